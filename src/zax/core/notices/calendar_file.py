"""A visit as a calendar file (RFC 5545) that mail programs understand (RFC 5546): REQUEST puts it in or moves
it, CANCEL takes it out. The UID stays the visit's own, the sequence grows with every change, so a reader that
gets them in any order ends with the last. Nothing in it is about health.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from icalendar import Alarm, Calendar, Event, vCalAddress, vText

PUBLISHED_EVERY = timedelta(minutes=30)
ALARM_BEFORE = timedelta(hours=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class CalendarVisit:
    """`day` and `start` (minutes) are the wall clock of `timezone`; `sequence` is the visit's version;
    `attendee` an email address.
    """

    visit_id: int
    sequence: int
    day: date
    start: int
    minutes: int
    timezone: str
    clinic: str
    provider: str
    where: str
    organizer: str
    attendee: str


def calendar_file(visit: CalendarVisit, *, canceled: bool, stamp: datetime) -> bytes:
    """The file, one visit; `stamp` is when it was made, UTC."""
    calendar = Calendar()
    calendar.add("prodid", "-//Zax//Visits//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "CANCEL" if canceled else "REQUEST")
    calendar.add_component(_event(visit, canceled, stamp))
    return _written(calendar, [visit.day])


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedEvent:
    """One visit of a calendar that is read by its address; as `CalendarVisit`, but for nobody to answer."""

    visit_id: int
    sequence: int
    day: date
    start: int
    minutes: int
    timezone: str
    summary: str
    where: str


def calendar_feed(events: Sequence[FeedEvent], name: str, domain: str, stamp: datetime) -> bytes:
    """All of them (METHOD PUBLISH), under the UIDs that their own files have; `stamp` is UTC."""
    calendar = Calendar()
    calendar.add("prodid", "-//Zax//Visits//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "PUBLISH")
    calendar.add("name", " ".join(name.split()))
    calendar.add("x-wr-calname", " ".join(name.split()))
    calendar.add("refresh-interval", PUBLISHED_EVERY, parameters={"value": "DURATION"})
    for each in events:
        calendar.add_component(_in_calendar(each, domain, stamp))
    return _written(calendar, [each.day for each in events])


def _written(calendar: Calendar, days: Sequence[date]) -> bytes:
    """With the clock changes of the years around: of a longer list some readers take the first alone."""
    if days:
        first, last = date(min(days).year - 1, 1, 1), date(max(days).year + 2, 1, 1)
        calendar.add_missing_timezones(first_date=first, last_date=last)
    made: bytes = calendar.to_ical()
    return made


def _in_calendar(visit: FeedEvent, domain: str, stamp: datetime) -> Event:
    begins = datetime.combine(visit.day, time(visit.start // 60, visit.start % 60), ZoneInfo(visit.timezone))
    # On the wall clock: a visit over the night of a clock change keeps its hours.
    ends = (begins.replace(tzinfo=None) + timedelta(minutes=visit.minutes)).replace(tzinfo=begins.tzinfo)
    event = Event()
    event.add("uid", f"visit-{visit.visit_id}@{domain}")
    event.add("sequence", visit.sequence)
    event.add("dtstamp", stamp.replace(tzinfo=UTC))
    event.add("dtstart", begins)
    event.add("dtend", ends)
    event.add("summary", visit.summary)
    event.add("location", visit.where)
    return event


def _event(visit: CalendarVisit, canceled: bool, stamp: datetime) -> Event:
    shown = FeedEvent(
        visit_id=visit.visit_id,
        sequence=visit.sequence,
        day=visit.day,
        start=visit.start,
        minutes=visit.minutes,
        timezone=visit.timezone,
        summary=f"{visit.clinic}, {visit.provider}",
        where=visit.where,
    )
    event = _in_calendar(shown, visit.organizer.rpartition("@")[2], stamp)
    event.add("status", "CANCELLED" if canceled else "CONFIRMED")
    event.add("organizer", _person(visit.organizer, visit.clinic))
    event.add("attendee", _person(visit.attendee, ""))
    if not canceled:
        event.add_component(_alarm(visit))
    return event


def _person(email: str, name: str) -> vCalAddress:
    person = vCalAddress(f"mailto:{email}")
    if name:
        person.params["CN"] = vText(name)
    return person


def _alarm(visit: CalendarVisit) -> Alarm:
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("description", f"{visit.clinic}, {visit.where}")
    alarm.add("trigger", -ALARM_BEFORE)
    return alarm

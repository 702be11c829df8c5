"""A visit as a calendar file (RFC 5545) that mail programs understand (RFC 5546): REQUEST puts it in or moves
it, CANCEL takes it out. The UID stays the visit's own, the sequence grows with every change, so a reader that
gets them in any order ends with the last. Nothing in it is about health.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from icalendar import Alarm, Calendar, Event, vCalAddress, vText

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
    calendar.add_missing_timezones()
    made: bytes = calendar.to_ical()
    return made


def _event(visit: CalendarVisit, canceled: bool, stamp: datetime) -> Event:
    begins = datetime.combine(visit.day, time(visit.start // 60, visit.start % 60), ZoneInfo(visit.timezone))
    # On the wall clock: a visit over the night of a clock change keeps its hours.
    ends = (begins.replace(tzinfo=None) + timedelta(minutes=visit.minutes)).replace(tzinfo=begins.tzinfo)
    event = Event()
    event.add("uid", f"visit-{visit.visit_id}@{visit.organizer.rpartition('@')[2]}")
    event.add("sequence", visit.sequence)
    event.add("dtstamp", stamp.replace(tzinfo=UTC))
    event.add("dtstart", begins)
    event.add("dtend", ends)
    event.add("summary", f"{visit.clinic}, {visit.provider}")
    event.add("location", visit.where)
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

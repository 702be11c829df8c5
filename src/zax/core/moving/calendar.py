"""Appointments as a calendar file (RFC 5545) brings them: each event a row, in the columns of the list of
appointments. An event that repeats, or lasts all day, is no appointment; its row says so and is refused
later.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from icalendar import Calendar, Component, Event, vCalAddress, vText

from zax.core.errors import Refused
from zax.core.moving.sheet import Sheet, decode
from zax.core.reading import plain_clock

HEADING = ("patient", "day", "at", "minutes", "provider", "type", "site", "note", "chart", "state")
CHART = "X-ZAX-CHART"
_NOT_COMING = {"CANCELLED"}


def is_calendar(content: bytes) -> bool:
    return content.lstrip(b"\xef\xbb\xbf \r\n\t")[:15].upper().startswith(b"BEGIN:VCALENDAR")


def read_calendar(content: bytes, zone: str) -> Sheet:
    """The events of the file, in order; times are the wall clock of `zone`. Refused for what is no
    calendar.
    """
    try:
        calendar = Calendar.from_ical(decode(content))
        events = [each for each in calendar.walk("VEVENT") if isinstance(each, Component)]
        rows = tuple((n, _row(each, ZoneInfo(zone))) for n, each in enumerate(events, 1))
    except (ValueError, KeyError, AttributeError, TypeError, OverflowError) as error:
        words = str(error).splitlines()[0][:120] if str(error) else "it is damaged"
        raise Refused(f"The calendar can’t be read: {words}.", "file") from error
    if not rows:
        raise Refused("The calendar holds no event.", "file")
    return Sheet(HEADING, rows)


def _row(event: Component, zone: ZoneInfo) -> tuple[str, ...]:
    start, minutes = _span(event, zone)
    summary = _text(event, "summary")
    patient, _, kind = summary.partition(": ")
    return (
        _text(event, "attendee", "CN") or patient,
        start.date().isoformat() if start else "",
        plain_clock(start.hour * 60 + start.minute) if start else "",
        str(minutes) if minutes else "",
        _text(event, "organizer", "CN"),
        _text(event, "categories") or kind,
        _text(event, "location"),
        _text(event, "description"),
        _text(event, CHART.lower()),
        _state(event),
    )


def _state(event: Component) -> str:
    if event.get("rrule") is not None:
        return "repeats"
    if _text(event, "status").upper() in _NOT_COMING:
        return "canceled"
    start = event.decoded("dtstart", None)
    return "all day" if isinstance(start, date) and not isinstance(start, datetime) else ""


def _span(event: Component, zone: ZoneInfo) -> tuple[datetime | None, int]:
    """When it starts, on the clinic's clock, and how many minutes it takes; None and 0 where it does not
    say.
    """
    start = event.decoded("dtstart", None)
    if not isinstance(start, datetime):
        return None, 0
    end = event.decoded("dtend", None)
    lasts = event.decoded("duration", None)
    if isinstance(end, datetime) and (end.tzinfo is None) == (start.tzinfo is None):
        lasts = end - start
    local = start.astimezone(zone) if start.tzinfo else start
    return local, max(0, int(lasts.total_seconds() // 60)) if lasts is not None else 0


def _text(event: Component, name: str, parameter: str = "") -> str:
    """One property as text, or a parameter of it; of several the first, empty for none."""
    found = event.get(name)
    if isinstance(found, list):
        found = found[0] if found else None
    if found is None:
        return ""
    if parameter:
        return str(found.params.get(parameter, ""))
    listed = getattr(found, "cats", None)
    return str(listed[0]) if listed else str(found)


@dataclass(frozen=True, slots=True, kw_only=True)
class MovingVisit:
    """An appointment as it goes out; `starts` is UTC, `chart` the patient's number."""

    number: int
    starts: datetime
    minutes: int
    patient: str
    chart: str
    provider: str
    kind: str
    site: str
    note: str


def write_calendar(visits: Iterable[MovingVisit], stamp: datetime) -> Iterator[str]:
    """A calendar of all of them, event by event; `read_calendar` reads it again. `stamp` is UTC."""
    yield "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Zax//Appointments//EN\r\n"
    for each in visits:
        event = Event()
        event.add("uid", f"appointment-{each.number}@zax.invalid")
        event.add("dtstamp", stamp.replace(tzinfo=UTC))
        event.add("dtstart", each.starts.replace(tzinfo=UTC))
        event.add("duration", timedelta(minutes=each.minutes))
        event.add("summary", f"{each.patient}: {each.kind}")
        event.add("attendee", _named(each.patient))
        event.add("organizer", _named(each.provider))
        event.add("categories", [each.kind])
        event.add("location", each.site)
        event.add(CHART.lower(), each.chart)
        if each.note:
            event.add("description", each.note)
        yield event.to_ical().decode()
    yield "END:VCALENDAR\r\n"


def _named(name: str) -> vCalAddress:
    """Somebody by their name; a calendar wants an address, and there is none to give."""
    person = vCalAddress("mailto:nobody@zax.invalid")
    person.params["CN"] = vText(name.replace('"', "'"))
    return person

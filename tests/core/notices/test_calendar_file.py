"""Calendar files as two foreign readers understand them, applied in any order."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import icalendar
import vobject
from hypothesis import given
from hypothesis import strategies as st

from zax.core.notices.calendar_file import CalendarVisit, FeedEvent, calendar_feed, calendar_file

NOW = datetime(2026, 11, 24, 18, 42)
VISIT = CalendarVisit(
    visit_id=7,
    sequence=1,
    day=date(2026, 12, 1),
    start=14 * 60,
    minutes=40,
    timezone="America/Los_Angeles",
    clinic="Juniper Quay Clinic",
    provider="Petra Okwu",
    where="Quay Street, 18 Quay Street, Marrow Harbor, WA",
    organizer="desk@example.org",
    attendee="helen@example.org",
)


def read(file: bytes) -> Any:
    (event,) = icalendar.Calendar.from_ical(file).walk("VEVENT")
    return event


def test_both_readers_find_the_same_time_place_and_people() -> None:
    file = calendar_file(VISIT, canceled=False, stamp=NOW)
    event, other = read(file), vobject.readOne(file.decode()).vevent
    assert event.decoded("dtstart") == other.dtstart.value
    assert event.decoded("dtstart").isoformat() == "2026-12-01T14:00:00-08:00"
    assert event.decoded("dtend") - event.decoded("dtstart") == timedelta(minutes=40)
    assert str(event["uid"]) == other.uid.value == "visit-7@example.org"
    assert (
        str(event["organizer"]) == "mailto:desk@example.org"
        and event["organizer"].params["CN"] == VISIT.clinic
    )
    assert str(event["location"]) == other.location.value == VISIT.where
    assert icalendar.Calendar.from_ical(file)["method"] == "REQUEST"
    assert len(event.walk("VALARM")) == 1 and b"BEGIN:VTIMEZONE" in file


@given(
    st.dates(date(2025, 1, 1), date(2032, 12, 31)),
    st.sampled_from(["America/Los_Angeles", "America/Phoenix"]),
)
def test_both_readers_find_the_same_moment_on_any_day_of_the_year(day: date, zone: str) -> None:
    file = calendar_file(replace(VISIT, day=day, timezone=zone), canceled=False, stamp=NOW)
    event, other = read(file), vobject.readOne(file.decode())
    at = datetime(day.year, day.month, day.day, 14, tzinfo=ZoneInfo(zone)).utcoffset()
    assert event.decoded("dtstart").utcoffset() == at
    assert other.vtimezone.tzinfo.utcoffset(datetime(day.year, day.month, day.day, 14)) == at


@given(st.permutations([0, 1, 2]))
def test_a_reader_that_gets_them_in_any_order_ends_with_the_last(order: list[int]) -> None:
    """Booked, moved, canceled: what counts is the highest sequence (RFC 5546, 2.1.5)."""
    moved = replace(VISIT, sequence=2, day=date(2026, 12, 2))
    files = [
        calendar_file(VISIT, canceled=False, stamp=NOW),
        calendar_file(moved, canceled=False, stamp=NOW),
        calendar_file(replace(moved, sequence=3), canceled=True, stamp=NOW),
    ]
    kept: dict[str, Any] = {}
    for number in order:
        event = read(files[number])
        known = kept.get(str(event["uid"]))
        if known is None or int(event["sequence"]) > int(known["sequence"]):
            kept[str(event["uid"])] = event
    (last,) = kept.values()
    assert str(last["status"]) == "CANCELLED" and last.decoded("dtstart").date() == date(2026, 12, 2)


@given(st.text(max_size=60), st.text(max_size=60))
def test_nobodys_name_adds_a_line_of_its_own(provider: str, where: str) -> None:
    file = calendar_file(replace(VISIT, provider=provider, where=where), canceled=False, stamp=NOW)
    calendar = icalendar.Calendar.from_ical(file)
    assert len(calendar.walk("VEVENT")) == 1 and calendar["method"] == "REQUEST"
    assert str(read(file)["uid"]) == "visit-7@example.org"


@given(st.dates(date(2026, 1, 1), date(2027, 12, 31)), st.integers(0, 23 * 60))
def test_the_wall_clock_is_kept_on_any_day(day: date, start: int) -> None:
    event = read(calendar_file(replace(VISIT, day=day, start=start), canceled=False, stamp=NOW))
    begins = event.decoded("dtstart")
    assert (begins.date(), begins.hour * 60 + begins.minute) == (day, start)


def fed(visit_id: int, day: date, summary: str = "T. R.") -> FeedEvent:
    return FeedEvent(
        visit_id=visit_id,
        sequence=3,
        day=day,
        start=14 * 60,
        minutes=40,
        timezone="America/Los_Angeles",
        summary=summary,
        where="Quay Street",
    )


def test_both_readers_find_every_visit_of_a_feed_under_the_uid_of_its_own_file() -> None:
    days = [date(2026, 10, 31), date(2026, 11, 1), date(2026, 12, 1)]
    file = calendar_feed(
        [fed(number, day) for number, day in enumerate(days, 7)], "Juniper Quay, Dr. Wren", "example.org", NOW
    )
    calendar, other = icalendar.Calendar.from_ical(file), vobject.readOne(file.decode())
    events = calendar.walk("VEVENT")
    assert calendar["method"] == "PUBLISH" and str(calendar["x-wr-calname"]) == "Juniper Quay, Dr. Wren"
    assert [event.decoded("dtstart").isoformat() for event in events] == [
        "2026-10-31T14:00:00-07:00",
        "2026-11-01T14:00:00-08:00",
        "2026-12-01T14:00:00-08:00",
    ]
    # This reader keeps a zone by its name for as long as it runs: what this file says of it counts.
    zone = other.vtimezone.tzinfo
    theirs = [each.dtstart.value.replace(tzinfo=zone) for each in other.vevent_list]
    assert [each.isoformat() for each in theirs] == [each.decoded("dtstart").isoformat() for each in events]
    assert str(events[0]["uid"]) == str(read(calendar_file(VISIT, canceled=False, stamp=NOW))["uid"])
    assert not calendar.walk("VALARM")


@given(st.text(max_size=60))
def test_no_name_breaks_out_of_its_line(summary: str) -> None:
    file = calendar_feed([fed(7, date(2026, 12, 1), summary)], summary, "example.org", NOW)
    assert len(icalendar.Calendar.from_ical(file).walk("VEVENT")) == 1


def test_a_feed_without_visits_is_a_calendar() -> None:
    file = calendar_feed([], "Juniper Quay", "example.org", NOW)
    assert icalendar.Calendar.from_ical(file).walk("VEVENT") == []

"""Quiet hours by the wall clock, over midnight and on the nights the clocks change."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.clock import local, to_utc
from zax.core.errors import Problems
from zax.core.messages.quiet import Awake, Quiet, as_kept, checked, quiet_of
from zax.demo.world import ZONE

MOMENTS = st.datetimes(datetime(2026, 1, 1), datetime(2027, 12, 31))
MINUTES = st.integers(0, 24 * 60 - 1)


def test_at_night_it_waits_for_the_morning() -> None:
    quiet = Quiet()
    assert quiet.over_at(datetime(2026, 11, 24, 10, 42)) == datetime(2026, 11, 24, 10, 42)
    assert quiet.over_at(datetime(2026, 11, 24, 20, 0)) == datetime(2026, 11, 25, 8, 0)
    assert quiet.over_at(datetime(2026, 11, 25, 3, 0)) == datetime(2026, 11, 25, 8, 0)
    assert quiet.over_at(datetime(2026, 11, 25, 8, 0)) == datetime(2026, 11, 25, 8, 0)


def test_a_night_of_23_or_25_hours_ends_at_eight_by_the_wall() -> None:
    for day in (datetime(2026, 3, 7, 21, 0), datetime(2026, 10, 31, 21, 0)):
        opens = to_utc(Quiet().over_at(day), ZONE)
        assert local(opens, ZONE).hour == 8 and not Quiet().is_quiet(local(opens, ZONE))


@given(MOMENTS, MINUTES, MINUTES, MINUTES, st.booleans())
def test_when_it_is_over_it_is_over_and_not_later_than_three_days(
    wall: datetime, one: int, other: int, saturday: int, sunday_off: bool
) -> None:
    begins, ends = min(one, other), max(one, other) + 1
    sunday = Awake(0, 0) if sunday_off else Awake(begins, ends)
    quiet = Quiet(Awake(begins, ends), Awake(saturday, 24 * 60), sunday)
    opens = quiet.over_at(wall)
    assert not quiet.is_quiet(opens)
    assert wall <= opens <= wall + timedelta(days=3)
    assert opens == wall or quiet.is_quiet(wall)


def test_a_sunday_may_be_quiet_all_day_and_a_weekday_not() -> None:
    quiet = checked(Quiet(sunday=Awake(0, 0)))
    assert quiet.over_at(datetime(2026, 11, 28, 21, 0)) == datetime(2026, 11, 30, 8, 0)
    for hours in (Awake(0, 0), Awake(9 * 60, 9 * 60 + 30), Awake(20 * 60, 8 * 60)):
        with pytest.raises(Problems) as wrong:
            checked(Quiet(weekdays=hours))
        assert set(wrong.value.problems) == {"weekdays_to"}


def test_hours_come_back_as_they_were_kept() -> None:
    quiet = Quiet(Awake(9 * 60, 19 * 60), Awake(600, 1080), Awake(0, 0))
    assert quiet_of(as_kept(quiet)) == quiet and quiet_of(None) == Quiet()

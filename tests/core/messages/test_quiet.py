"""Quiet hours by the wall clock, over midnight and on the nights the clocks change."""

from __future__ import annotations

from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.clock import local, to_utc
from zax.core.messages.quiet import Quiet
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


@given(MOMENTS, MINUTES, MINUTES)
def test_when_it_is_over_it_is_over_and_not_later_than_a_day(wall: datetime, begins: int, ends: int) -> None:
    quiet = Quiet(begins, ends)
    opens = quiet.over_at(wall)
    assert not quiet.is_quiet(opens)
    assert wall <= opens <= wall + timedelta(days=1)
    assert opens == wall or quiet.is_quiet(wall)

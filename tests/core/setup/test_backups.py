"""Which backups stay."""

from __future__ import annotations

from datetime import datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from zax.core.setup.backups import ALL_FOR, kept

NOW = datetime(2026, 11, 30, 4)
moments = st.sets(st.integers(0, 500 * 24), max_size=60).map(
    lambda hours: {NOW - timedelta(hours=each) for each in hours}
)


def test_a_year_of_nightly_backups_becomes_a_few_dozen() -> None:
    nightly = [NOW - timedelta(days=day) for day in range(400)]
    stay = kept(nightly, NOW)
    assert {NOW - timedelta(days=day) for day in range(14)} <= stay
    assert len(stay) < 40 and min(stay) >= NOW - timedelta(days=366)


@given(moments)
def test_the_newest_and_all_of_two_days_always_stay(every: set[datetime]) -> None:
    stay = kept(every, NOW)
    assert stay <= every
    assert {at for at in every if NOW - at <= ALL_FOR} <= stay
    assert not every or max(every) in stay


@given(moments)
def test_what_stays_stays_when_asked_again(every: set[datetime]) -> None:
    """Kills: a rule that throws away a little more each time it is asked."""
    stay = kept(every, NOW)
    assert kept(stay, NOW) == stay


@given(moments)
def test_every_day_of_two_weeks_that_had_one_has_one(every: set[datetime]) -> None:
    stay = kept(every, NOW)
    near = {at.date() for at in every if NOW - at <= timedelta(days=14)}
    assert near == {at.date() for at in stay if NOW - at <= timedelta(days=14)}

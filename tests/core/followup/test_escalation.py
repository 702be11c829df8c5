"""Overdue returns go up by the day alone: never down, never past the last step, an urgent one sooner."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Refused
from zax.core.followup.escalation import SHIPPED_RISES, Rise, To, checked_rises, next_rise, reached

DUE = date(2026, 11, 20)
STEPS = st.lists(st.integers(1, 60), min_size=0, max_size=5, unique=True).map(
    lambda days: [Rise(each, To.PERSON) for each in sorted(days)]
)


@pytest.mark.parametrize(
    ("after", "urgent", "steps"),
    [(0, False, 0), (0, True, 0), (1, True, 1), (2, False, 0), (3, False, 1), (400, False, 3)],
)
def test_steps_of_the_rule_that_ships(after: int, urgent: bool, steps: int) -> None:
    assert reached(DUE, urgent, DUE + timedelta(days=after), SHIPPED_RISES) == steps


@given(STEPS, st.booleans(), st.integers(-30, 120), st.integers(0, 60))
def test_a_later_day_never_reaches_less_and_one_in_time_reaches_nothing(
    rises: list[Rise], urgent: bool, day: int, more: int
) -> None:
    today = DUE + timedelta(days=day)
    now, then = (reached(DUE, urgent, each, rises) for each in (today, today + timedelta(days=more)))
    assert 0 <= now <= then <= len(rises)
    assert day > 0 or now == 0


@given(STEPS, st.booleans(), st.integers(0, 5))
def test_the_day_that_is_named_is_the_day_it_comes(rises: list[Rise], urgent: bool, done: int) -> None:
    coming = next_rise(DUE, urgent, done, rises)
    if coming is None:
        assert done >= len(rises)
        return
    day, _ = coming
    assert reached(DUE, urgent, day, rises) > done
    assert reached(DUE, urgent, day - timedelta(days=1), rises) <= done


@pytest.mark.parametrize("days", [[3, 3], [7, 3], [0], [366], [-1, 5]])
def test_steps_that_cannot_come_are_refused(days: list[int]) -> None:
    with pytest.raises(Refused):
        checked_rises([Rise(each, To.LETTER) for each in days])

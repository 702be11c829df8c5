"""What answers teach about a plan: only what they say plainly, only when they agree, and enough of them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.coverage.benefits import Benefits
from zax.core.money.cents import percent_of
from zax.core.remits.lessons import ENOUGH, LAST, Lesson, Observed, lessons, percent_paid
from zax.core.x12.remittance import Adjustment, RemitLine

PLAN = Benefits(name="Guild", percents={"basic": 80, "preventive": 100})
CATEGORIES = {"D2392": "basic", "D1110": "preventive"}


def line(charge: int, paid: int, *adjustments: tuple[str, str, int]) -> RemitLine:
    return RemitLine(
        code="D2392",
        qualifier="AD",
        modifiers=(),
        charge_cents=charge,
        paid_cents=paid,
        adjustments=[Adjustment(*each) for each in adjustments],
    )


@pytest.mark.parametrize(
    ("said", "percent"),
    [
        (line(10_000, 8_000, ("PR", "2", 2_000)), 80),
        (line(10_000, 4_500, ("PR", "1", 1_000), ("PR", "2", 4_500)), 50),
        (line(10_000, 3_500, ("CO", "45", 3_000), ("PR", "2", 3_500)), 50),
        (line(10_000, 10_000), 100),
        (line(10_000, 0, ("PR", "1", 10_000)), None),  # all to the deductible: it says no percentage
        (line(10_000, 6_000, ("PR", "2", 2_000), ("CO", "97", 2_000)), None),
        (line(10_000, 7_433, ("PR", "2", 2_567)), None),  # no whole percentage
        (line(10_000, 7_500, ("PR", "3", 2_500)), None),  # a copay is an amount, not a percentage
    ],
)
def test_only_a_plain_percentage_teaches(said: RemitLine, percent: int | None) -> None:
    assert percent_paid(said) == percent


@given(st.integers(100, 50_000), st.integers(1, 100), st.integers(0, 5_000), st.integers(0, 5_000))
def test_whatever_whole_percentage_was_paid_is_found(
    base: int, percent: int, off: int, deductible: int
) -> None:
    paid = percent_of(base, percent)
    own = base - paid
    adjustments = [("CO", "45", off), ("PR", "1", deductible), ("PR", "2", own)]
    found = percent_paid(line(base + off + deductible, paid, *adjustments))
    assert found is None if paid == 0 else found is not None and abs(percent_of(base, found) - paid) <= 1


def seen(*percents: int, code: str = "D2392", plan: int = 1) -> list[Observed]:
    return [Observed(plan, code, each) for each in percents]


def test_the_last_answers_have_to_agree_and_differ_from_what_is_on_file() -> None:
    plans = {1: PLAN}
    assert lessons(seen(*[50] * 6), plans, CATEGORIES) == [Lesson(1, "D2392", 80, 50, LAST)]
    assert lessons(seen(*[50] * ENOUGH), plans, CATEGORIES) == [Lesson(1, "D2392", 80, 50, ENOUGH)]
    assert lessons(seen(*[50] * (ENOUGH - 1)), plans, CATEGORIES) == []  # too few
    assert lessons(seen(50, 50, 80, 50, 50, 50), plans, CATEGORIES) == []  # they don't agree
    assert lessons(seen(*[80] * 6), plans, CATEGORIES) == []  # as on file
    # What was before the last six doesn't count anymore.
    assert lessons(seen(*[50] * 6, 80, 80), plans, CATEGORIES) == [Lesson(1, "D2392", 80, 50, 6)]
    assert lessons(seen(*[50] * 6, plan=9), plans, CATEGORIES) == []
    assert lessons(seen(*[50] * 6, code="X"), plans, CATEGORIES) == []


def test_once_taken_over_it_is_no_lesson() -> None:
    known = Benefits(name="Guild", percents={"basic": 80}, code_percents={"D2392": 50})
    assert lessons(seen(*[50] * 6), {1: known}, CATEGORIES) == []

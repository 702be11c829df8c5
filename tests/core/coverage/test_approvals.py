"""What a payer approved: which services and days it is for, what is left of it, and when it goes on a claim
by itself.
"""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.coverage.approvals import ApprovalOnFile, Counted, Use, one_that_fits, used_of

DAY = date(2026, 11, 24)


def approval(**changes: Any) -> ApprovalOnFile:
    values: dict[str, Any] = {
        "id": 1,
        "coverage_id": 5,
        "kind": "authorization",
        "number": "A-1",
        "codes": ("D27*",),
        "units": 3,
        "from_day": DAY - timedelta(10),
        "to_day": DAY,
        "note": "",
        "ended_at": None,
    }
    return ApprovalOnFile(**(values | changes))


def use(claim: int, line: int, **changes: Any) -> Use:
    values: dict[str, Any] = {"coverage_id": 5, "authorization": "A-1", "referral": None, "code": "D2740"}
    return Use(claim_id=claim, line_id=line, units=1, **(values | changes))


@pytest.mark.parametrize(
    ("day", "changes", "good"),
    [
        (DAY, {}, True),
        (DAY - timedelta(10), {}, True),
        (DAY - timedelta(11), {}, False),
        (DAY + timedelta(1), {}, False),
        (DAY + timedelta(1), {"to_day": None}, True),
        (DAY - timedelta(99), {"from_day": None}, True),
        (DAY, {"ended_at": datetime(2026, 11, 20)}, False),
    ],
)
def test_both_days_count_and_an_ended_one_never(day: date, changes: dict[str, Any], good: bool) -> None:
    assert approval(**changes).good_on(day) is good


@pytest.mark.parametrize(
    "other",
    [
        {"coverage_id": 6},
        {"authorization": "A-2"},
        {"authorization": None, "referral": "A-1"},
        {"code": "D2391"},
    ],
)
def test_other_plans_numbers_and_services_use_nothing_of_it(other: dict[str, Any]) -> None:
    assert used_of(approval(), [use(1, 1), use(2, 2, **other)]) == 1


def test_a_corrected_claim_uses_its_services_once_and_who_came_first_has_it() -> None:
    uses = [use(1, 1), use(2, 1), use(3, 2), use(4, 3)]
    assert used_of(approval(), uses) == 3
    assert [used_of(approval(), uses, claim) for claim in (1, 3, 4)] == [0, 1, 2]
    assert used_of(approval(kind="referral"), [use(1, 1, authorization=None, referral="A-1")]) == 1


def fits(*counted: Counted, wanted: tuple[tuple[str, int], ...] = (("D2740", 2),)) -> int | None:
    found = one_that_fits(counted, "authorization", 5, DAY, wanted)
    return found.id if found else None


def test_it_goes_on_a_claim_only_where_exactly_one_fits() -> None:
    assert fits() is None
    assert fits(Counted(approval(), 1)) == 1
    assert fits(Counted(approval(), 2)) is None  # one unit is left, two are wanted
    assert fits(Counted(approval(units=None), 99)) == 1
    assert fits(Counted(approval(), 0), Counted(approval(id=2, number="A-2"), 0)) is None
    assert fits(Counted(approval(), 0), Counted(approval(id=2, kind="referral"), 0)) == 1
    assert fits(Counted(approval(), 0), Counted(approval(id=2, coverage_id=6), 0)) == 1
    assert fits(Counted(approval(), 0), wanted=(("D1110", 1),)) is None
    assert fits(Counted(approval(codes=()), 0), wanted=(("D1110", 3),)) == 1


@given(st.lists(st.tuples(st.integers(1, 6), st.integers(1, 6)), max_size=30), st.integers(1, 6))
def test_claims_never_count_more_than_all_of_them_use(pairs: list[tuple[int, int]], claim: int) -> None:
    """Kills: a service counted for each claim that has it, one's own claim counted against itself."""
    uses = [use(claim_id, line) for claim_id, line in sorted(pairs)]
    every = used_of(approval(), uses)
    before = used_of(approval(), uses, claim)
    assert 0 <= before <= every == len({line for _, line in pairs})
    assert before == len({line for claim_id, line in pairs if claim_id < claim})

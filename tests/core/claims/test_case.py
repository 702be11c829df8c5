"""What the payer holds of a case."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

import pytest

from zax.core.claims.case import has_left, held, successor
from zax.core.claims.states import BEING_CORRECTED, WITHDRAWN, ClaimState

SENT = datetime(2026, 11, 24)


@dataclass(frozen=True, slots=True)
class One:
    id: int
    state: str = ClaimState.ACCEPTED
    frequency: str = "1"
    follows_id: int | None = None
    closed_why: str = ""
    sent_at: datetime | None = SENT


@pytest.mark.parametrize(
    ("claim", "left"),
    [
        (One(1, ClaimState.GOING, sent_at=None), True),
        (One(1, ClaimState.SENT), True),
        (One(1, ClaimState.DENIED), True),
        (One(1, ClaimState.CLOSED), True),
        (One(1, ClaimState.CLOSED, closed_why=BEING_CORRECTED), True),
        (One(1, ClaimState.CLOSED, closed_why="the patient pays", sent_at=None), False),
        (One(1, ClaimState.CLOSED, closed_why=WITHDRAWN), False),
        (One(1, ClaimState.REJECTED), False),
        (One(1, ClaimState.READY), False),
        (One(1, ClaimState.HELD_BACK, sent_at=None), False),
    ],
)
def test_what_has_left(claim: One, left: bool) -> None:
    assert has_left(claim) == left


@pytest.mark.parametrize(
    ("case", "ids"),
    [
        ([One(1), One(2, frequency="7", follows_id=1)], [2]),
        ([One(1), One(2, ClaimState.READY, "7", 1)], [1]),
        ([One(1), One(2, ClaimState.REJECTED, "7", 1)], [1]),
        ([One(1), One(2, frequency="8", follows_id=1)], []),
        ([One(1), One(2, frequency="8", follows_id=1), One(3)], [3]),
        ([One(1), One(2, frequency="1", follows_id=1)], [1, 2]),  # a second plan's
        ([One(1), One(2, frequency="7", follows_id=1), One(3, frequency="8", follows_id=2)], []),
    ],
)
def test_what_the_payer_holds(case: list[One], ids: list[int]) -> None:
    assert [each.id for each in held(case)] == ids


def test_what_comes_after_a_claim_is_no_second_plans_and_nothing_that_was_given_up() -> None:
    second, given_up = One(2, follows_id=1), One(3, ClaimState.CLOSED, "7", 1, "the patient pays", None)
    corrected = One(4, ClaimState.HELD_BACK, "7", 1, sent_at=None)
    assert successor([One(1), second, given_up], 1) is None
    assert successor([One(1), second, given_up, corrected], 1) == corrected

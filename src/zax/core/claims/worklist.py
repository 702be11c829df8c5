"""The list to work: every open claim stands under what it needs next, and an overdue one is overdue by the
payer's own norm, not by a guess of ours.

The norm is how many days nine of ten of the payer's last answers took, once there are enough of them; a
biller may set another.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from math import ceil


class Need(StrEnum):
    """What a claim needs next, in the order of the list. WAIT: nothing, it is in time."""

    FIX = "fix"
    SEND = "send"
    OVERDUE = "overdue"
    DENIED = "denied"
    REST = "rest"
    SECOND = "second"
    WAIT = "wait"


NEED_WORDS = {
    Need.FIX: "Fix first",
    Need.SEND: "Send",
    Need.OVERDUE: "Overdue",
    Need.DENIED: "Denied",
    Need.REST: "Paid in part",
    Need.SECOND: "Second plan",
    Need.WAIT: "With payers",
}
NEED_HINTS = {
    Need.FIX: "before sending",
    Need.SEND: "nothing stops them",
    Need.OVERDUE: "no answer in time",
    Need.DENIED: "decide what’s next",
    Need.REST: "decide about the rest",
    Need.SECOND: "the first plan has paid",
    Need.WAIT: "nothing to do yet",
}
# Until a payer has answered often enough to know better.
USUAL_DAYS = 30
ENOUGH_ANSWERS, LAST_ANSWERS = 10, 100
_NINE_OF_TEN = 0.9


def norm_of(days: Sequence[int]) -> int | None:
    """In how many days nine of ten answers came; None while there are too few to say. At least one day."""
    last = sorted(max(each, 0) for each in days[:LAST_ANSWERS])
    if len(last) < ENOUGH_ANSWERS:
        return None
    return max(1, last[ceil(len(last) * _NINE_OF_TEN) - 1])

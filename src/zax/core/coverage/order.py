"""Which of two coverages pays first. Source: NAIC Coordination of Benefits Model Regulation (MDL-120),
section 6.

One's own coverage before one held by somebody else; public assistance last; for a child of two insured
parents the parent whose birthday comes first in the year (not the older one), and on one birthday the
coverage that is older. A rank set by hand beats all of it, since a court's order does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class Candidate:
    """`relationship` is the X12 code of the patient to the subscriber (18 self, 01 spouse, 19 child)."""

    coverage_id: int
    relationship: str
    subscriber_birth: date | None
    from_day: date | None
    public: bool = False


def suggested_order(found: Sequence[Candidate]) -> list[Candidate]:
    """First payer first. A subscriber without birth date comes after one with."""
    return sorted(found, key=_place)


def _place(each: Candidate) -> tuple[bool, bool, bool, tuple[int, int], date, int]:
    birthday = (each.subscriber_birth.month, each.subscriber_birth.day) if each.subscriber_birth else (13, 0)
    if each.relationship != "19":
        birthday = (0, 0)
    return (
        each.public,
        each.relationship != "18",
        each.subscriber_birth is None,
        birthday,
        each.from_day or date.min,
        each.coverage_id,
    )


def order_reason(first: Candidate, second: Candidate) -> str:
    """Why `first` pays before `second`, in words."""
    if second.public and not first.public:
        return "public assistance pays last"
    if first.relationship == "18" and second.relationship != "18":
        return "the patient’s own coverage pays before one held by someone else"
    if (
        first.relationship == second.relationship == "19"
        and first.subscriber_birth
        and second.subscriber_birth
    ):
        if (first.subscriber_birth.month, first.subscriber_birth.day) != (
            second.subscriber_birth.month,
            second.subscriber_birth.day,
        ):
            return "the parent whose birthday comes first in the year pays first"
        return "both parents have one birthday, so the older coverage pays first"
    return "the older coverage pays first"

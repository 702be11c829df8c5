"""An overdue return that nobody booked goes up by itself: to a named person, to the clinician who asked for
it, at last a letter to the patient.

The steps are the clinic's own, in days past the due day; an urgent one counts from the due day itself. A step
is reached by the day alone, so an evening on which nothing ran is made up for the next morning.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from zax.core.errors import Refused


class To(StrEnum):
    PERSON = "person"
    CLINICIAN = "clinician"
    LETTER = "letter"


TO_WORDS = {To.PERSON: "a named person", To.CLINICIAN: "the clinician", To.LETTER: "a letter"}


@dataclass(frozen=True, slots=True)
class Rise:
    """After so many days past the due day it goes to whom."""

    days: int
    to: To


SHIPPED_RISES = (Rise(3, To.PERSON), Rise(7, To.CLINICIAN), Rise(14, To.LETTER))


def reached(due: date, urgent: bool, today: date, rises: Sequence[Rise]) -> int:
    """How many of the steps are reached; an urgent one skips the first pause."""
    over = (today - due).days
    soon = rises[0].days if urgent and rises else 0
    return sum(over > 0 and over + soon >= each.days for each in rises)


def next_rise(due: date, urgent: bool, done: int, rises: Sequence[Rise]) -> tuple[date, To] | None:
    """The day of the step that comes next, and to whom; None after the last."""
    if done >= len(rises):
        return None
    soon = rises[0].days if urgent else 0
    step = rises[done]
    return due + timedelta(days=max(1, step.days - soon)), step.to


def checked_rises(rises: Sequence[Rise]) -> tuple[Rise, ...]:
    """Steps that may be kept. Refused beside `days` where one comes before the one above it, or never."""
    for above, below in zip(rises, rises[1:], strict=False):
        if below.days <= above.days:
            raise Refused("Each step comes later than the one above it.", "days")
    if any(not 1 <= each.days <= 365 for each in rises):
        raise Refused("A step comes 1 to 365 days after the due day.", "days")
    return tuple(rises)

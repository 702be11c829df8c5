"""Where something stands that a patient should come for: worked out from the day and from the visit it hangs
on, never stored, so no way of changing a visit can forget it.

A visit that was missed, taken off or put on the shelf holds nothing: what hung on it is due again by itself.
What is done or ended stays readable. A due day of ten years ago is overdue like any other; there is no edge
beyond which something is out of sight. Days are the clinic's own.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.book.track import FINISHED, FREES_THE_TIME, Stop


class Stand(StrEnum):
    """In the order of a list: what needs somebody first."""

    OVERDUE = "overdue"
    DUE = "due"
    EARLY = "early"
    PAUSED = "paused"
    BOOKED = "booked"
    DONE = "done"
    ENDED = "ended"


STAND_WORDS = {
    Stand.OVERDUE: "overdue",
    Stand.DUE: "due",
    Stand.EARLY: "not yet due",
    Stand.PAUSED: "paused",
    Stand.BOOKED: "booked",
    Stand.DONE: "done",
    Stand.ENDED: "ended",
}
# Somebody still has to see to it.
OPEN = frozenset({Stand.OVERDUE, Stand.DUE, Stand.EARLY, Stand.PAUSED})


@dataclass(frozen=True, slots=True, kw_only=True)
class DueFacts:
    """What tells where it stands. `opens` is the first day it may be done, `due` the last one; `visit` the
    stop of the visit it hangs on, empty for none.
    """

    opens: date
    due: date
    visit: str = ""
    paused_until: date | None = None
    ended: bool = False


def stand_of(facts: DueFacts, today: date) -> Stand:
    if facts.ended:
        return Stand.ENDED
    if facts.visit and Stop(facts.visit) in FINISHED:
        return Stand.DONE
    if facts.visit and Stop(facts.visit) not in FREES_THE_TIME:
        return Stand.BOOKED
    if facts.paused_until and facts.paused_until > today:
        return Stand.PAUSED
    if facts.due < today:
        return Stand.OVERDUE
    return Stand.DUE if facts.opens <= today else Stand.EARLY


def days_over(due: date, today: date) -> int:
    """Days since the last day on which it was in time; 0 while it still is."""
    return max(0, (today - due).days)

"""Why a visit is canceled. The answer is data: it decides the patient's attendance, the waitlist
and what must be said.

Only what the patient did counts in the attendance; what the clinic did, or a slip of the hand, never
does.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from zax.core.book.track import CAME, Stop
from zax.core.errors import Refused


class OffWhy(StrEnum):
    MISSED = "missed"
    WANTS_ANOTHER = "wants"
    DOES_NOT = "declined"
    CLINIC = "clinic"
    MISTAKE = "mistake"
    EXPIRED = "expired"
    REFUSED = "refused"
    UNSEEN = "unseen"


@dataclass(frozen=True, slots=True)
class Off:
    """`counts_as` names what it counts as for the patient; `waits` puts the patient on the waitlist; a
    `note` must be given.
    """

    words: str
    counts_as: str = ""
    waits: bool = False
    note: bool = False
    offered: bool = True


OFF: Mapping[OffWhy, Off] = {
    OffWhy.MISSED: Off("No-show", counts_as="missed", waits=True),
    OffWhy.WANTS_ANOTHER: Off("Patient canceled, wants another time", counts_as="canceled", waits=True),
    OffWhy.DOES_NOT: Off("Patient canceled, doesn’t want another time", counts_as="canceled"),
    OffWhy.CLINIC: Off("Clinic canceled", waits=True, note=True),
    OffWhy.MISTAKE: Off("Entered by mistake"),
    OffWhy.EXPIRED: Off("Web request expired", offered=False),
    OffWhy.REFUSED: Off("Web request declined", offered=False),
    OffWhy.UNSEEN: Off("Left without being seen", counts_as="unseen", waits=True, offered=False),
}


@dataclass(frozen=True, slots=True)
class Attendance:
    """How a patient has kept their times: `kept`, `missed` and `canceled` visits, and those on which they
    came and left again `unseen`.
    """

    kept: int = 0
    missed: int = 0
    canceled: int = 0
    unseen: int = 0

    @property
    def words(self) -> str:
        """'missed 1 of 9, canceled 2', 'never missed, 6 visits', 'first visit'."""
        came = self.kept + self.missed
        gone = f", canceled {self.canceled}" if self.canceled else ""
        gone += f", left unseen {self.unseen}" if self.unseen else ""
        if not came:
            return f"no visits yet{gone}"
        if self.missed:
            return f"missed {self.missed} of {came}{gone}"
        return f"no missed visits, {came} visit{'s' if came > 1 else ''}{gone}"


def tally(visits: Iterable[tuple[str, str, int]]) -> Attendance:
    """How times were kept, from (state, why it was canceled, how many) of a patient's visits."""
    found = {"kept": 0, "missed": 0, "canceled": 0, "unseen": 0}
    for state, why, count in visits:
        counts_as = "kept" if state in CAME else "missed" if state == Stop.MISSED else ""
        if not counts_as and why:
            counts_as = OFF[OffWhy(why)].counts_as
        if counts_as:
            found[counts_as] += count
    return Attendance(**found)


def check_off(why: str, note: str) -> OffWhy:
    """The reason, if it is one to choose; Refused when none was chosen or its note is missing."""
    offered = {each.value for each, off in OFF.items() if off.offered}
    if why not in offered:
        raise Refused("Choose why the visit is canceled.", "why")
    chosen = OffWhy(why)
    if OFF[chosen].note and not note.strip():
        raise Refused("Say briefly what happened. The patient will ask.", "note")
    return chosen

"""A claim as data: everything a professional (837P) or dental (837D) claim file says, built from charges,
retyped by nobody.

Amounts in cents; dates local. Names follow the X12 implementation guides 005010X222A1 and 005010X224A2.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from zax.core.x12.parties import Organization, Person


class ClaimState(StrEnum):
    """A claim's life. HELD_BACK: a check stops it; READY: waits for the worker; CLOSED: answered and posted
    in full.
    """

    HELD_BACK = "held_back"
    READY = "ready"
    SENT = "sent"
    ACCEPTED = "accepted"
    REJECTED = "rejected"
    CLOSED = "closed"
    DENIED = "denied"


# The payer has said its last word; a person has to do something.
ANSWERED = frozenset({ClaimState.CLOSED, ClaimState.DENIED})
# A biller may correct it and check it again.
CAN_BE_CHECKED = frozenset({ClaimState.HELD_BACK, ClaimState.REJECTED})
IN_TROUBLE = frozenset({ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.DENIED})

STATE_WORDS = {
    ClaimState.HELD_BACK: "held back",
    ClaimState.READY: "going out",
    ClaimState.SENT: "sent",
    ClaimState.ACCEPTED: "with the payer",
    ClaimState.REJECTED: "rejected",
    ClaimState.CLOSED: "closed",
    ClaimState.DENIED: "denied",
}


@dataclass(frozen=True, slots=True)
class Clinician:
    first: str
    last: str
    npi: str
    taxonomy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimLine:
    """One service. `number` comes back in the 835 as line item control number; `pointers` are 1-based
    diagnoses.

    `place` and `rendering` are given only where they differ from the claim's; `area` is an oral cavity code
    (X12 SV304).
    """

    number: str
    code: str
    cents: int
    units: int
    day: date
    modifiers: tuple[str, ...] = ()
    pointers: tuple[int, ...] = ()
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    place: str = ""
    rendering: Clinician | None = None
    supervising: Clinician | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """One claim of one visit to one payer. `relationship` is 18 when the patient is the subscriber."""

    number: str
    dental: bool
    payer: Organization
    filing_indicator: str
    group_number: str
    relationship: str
    subscriber: Person
    patient: Person
    clinician: Clinician
    place_of_service: str
    lines: tuple[ClaimLine, ...]
    diagnoses: tuple[str, ...] = ()
    coverage_from: date | None = None
    coverage_to: date | None = None
    filing_days: int = 365
    needs_group: bool = False

    @property
    def cents(self) -> int:
        return sum(line.cents for line in self.lines)

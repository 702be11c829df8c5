"""A claim as data: everything a professional (837P), dental (837D) or institutional (837I) claim file says,
built from charges, retyped by nobody.

A `Claim` is exactly what its file carries: written and read again, it is the same claim. What a check has to
know besides (coverage dates, filing limit, earlier services) stands in `Situation`. Amounts in cents; dates
local. Names follow the X12 implementation guides 005010X222A1, 005010X224A2 and 005010X223A2.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from enum import StrEnum

from zax.core.claims.parts import (
    Accident,
    Attachment,
    Dates,
    Drug,
    LineDecision,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.x12.parties import Organization, Person


class Form(StrEnum):
    """Which of the three guides a claim follows."""

    PROFESSIONAL = "P"
    DENTAL = "D"
    INSTITUTIONAL = "I"


class Rank(StrEnum):
    """SBR01: which of a patient's plans this claim asks."""

    PRIMARY = "P"
    SECONDARY = "S"
    TERTIARY = "T"


class Frequency(StrEnum):
    """CLM05-3: a first claim, or one that replaces or takes back an earlier one."""

    ORIGINAL = "1"
    CORRECTED = "7"
    VOID = "8"


@dataclass(frozen=True, slots=True)
class Clinician:
    first: str
    last: str
    npi: str
    taxonomy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimLine:
    """One service. `number` comes back in the 835 as line item control number; `pointers` are 1-based
    diagnoses; `day` is None for work that is only planned.

    `place` and the people are given only where they differ from the claim's; `area` is an oral cavity code
    (X12 SV304). `last` is the last day of a service of several days. `basis` is UN for units, MJ for minutes
    (anesthesia), DA for days (a room). `first_placement` of a crown, bridge or denture is None where it is
    neither; a replacement names the day `placed_before`. Several teeth stand in `tooth` with commas.
    """

    number: str
    code: str
    cents: int
    units: int | Decimal
    day: date | None
    modifiers: tuple[str, ...] = ()
    pointers: tuple[int, ...] = ()
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    place: str = ""
    last: date | None = None
    basis: str = "UN"
    revenue: str = ""
    not_covered_cents: int = 0
    emergency: bool = False
    first_placement: bool | None = None
    placed_before: date | None = None
    appliance_on: date | None = None
    drug: Drug | None = None
    note: str = ""
    rendering: Clinician | None = None
    supervising: Clinician | None = None
    ordering: Clinician | None = None
    referring: Clinician | None = None
    assistant: Clinician | None = None
    purchased_npi: str = ""
    purchased_cents: int = 0
    decided: tuple[LineDecision, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """One claim to one payer. `relationship` is 18 when the patient is the subscriber.

    `frequency` 7 and 8 name the payer's own number of the earlier claim in `payer_claim` (REF F8). `others`
    are the patient's other plans on this claim with what they decided. `present` says for each diagnosis
    whether it was there on admission (institutional). `bill_type` is facility and kind (CLM05-1), without
    frequency.
    """

    number: str
    form: Form
    payer: Organization
    filing_indicator: str
    group_number: str
    relationship: str
    subscriber: Person
    patient: Person
    billing: Organization
    clinician: Clinician | None
    place_of_service: str
    lines: tuple[ClaimLine, ...]
    diagnoses: tuple[str, ...] = ()
    rank: Rank = Rank.PRIMARY
    frequency: Frequency = Frequency.ORIGINAL
    payer_claim: str = ""
    secondary_reason: str = ""
    died: date | None = None
    assigned: bool = True
    pays_us: bool = True
    released: bool = True
    predetermination: bool = False
    authorization: str = ""
    referral: str = ""
    clia: str = ""
    note: str = ""
    delay_reason: str = ""
    paid_cents: int = 0
    accident: Accident | None = None
    dates: Dates = Dates()
    attachments: tuple[Attachment, ...] = ()
    referring: Clinician | None = None
    supervising: Clinician | None = None
    assistant: Clinician | None = None
    attending: Clinician | None = None
    operating: Clinician | None = None
    other_operating: Clinician | None = None
    facility: Organization | None = None
    braces: OrthodonticPlan | None = None
    missing_teeth: tuple[str, ...] = ()
    teeth_to_extract: tuple[str, ...] = ()
    bill_type: str = ""
    stay: Stay | None = None
    present: tuple[str, ...] = ()
    others: tuple[OtherCoverage, ...] = ()

    @property
    def cents(self) -> int:
        return sum(line.cents for line in self.lines)

    @property
    def own(self) -> bool:
        """Whether the patient holds the plan."""
        return self.relationship == "18"

    @property
    def dental(self) -> bool:
        return self.form is Form.DENTAL

    @property
    def days(self) -> tuple[date, ...]:
        """The days of its services, the earliest first; none for work that is only planned."""
        return tuple(sorted(line.day for line in self.lines if line.day))

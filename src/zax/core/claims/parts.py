"""What a claim carries besides its services, folded away until it is needed: an accident, a stay, papers sent
along, drugs, braces, and what earlier plans decided.

Amounts in cents; dates local. Each says the element of the 5010 guides it stands for.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal


@dataclass(frozen=True, slots=True)
class Accident:
    """CLM11 and DTP*439. `kinds` are AA (auto), EM (work), OA (other); `state` of an auto accident."""

    kinds: tuple[str, ...]
    day: date | None = None
    state: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Dates:
    """The days a claim may name besides those of its services (DTP of loop 2300)."""

    onset: date | None = None
    first_treated: date | None = None
    last_seen: date | None = None
    got_worse: date | None = None
    last_period: date | None = None
    last_xray: date | None = None
    disabled_from: date | None = None
    disabled_to: date | None = None
    last_worked: date | None = None
    back_to_work: date | None = None
    admitted: date | None = None
    discharged: date | None = None
    appliance: date | None = None


@dataclass(frozen=True, slots=True)
class Attachment:
    """PWK: a paper that goes along. `how` it travels: BM mail, EL electronically, EM e-mail, FX fax, FT file
    transfer, AA on request; `number` ties it to the claim.
    """

    kind: str
    how: str
    number: str = ""


@dataclass(frozen=True, slots=True)
class Drug:
    """Loop 2410: NDC of eleven digits, how much of it (as written, such as 2.5) in F2, GR, ME, ML or UN."""

    ndc: str
    quantity: str
    unit: str


@dataclass(frozen=True, slots=True)
class OrthodonticPlan:
    """DN1: how many months in all, how many are left."""

    months: int
    months_left: int


@dataclass(frozen=True, slots=True)
class Adjusted:
    """One part of a CAS: group, reason, cents."""

    group: str
    reason: str
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class LineDecision:
    """Loop 2430: what one earlier payer, named by its id, decided of a line, and when."""

    payer_id: str
    paid_cents: int
    code: str
    units: int | Decimal
    day: date
    modifiers: tuple[str, ...] = ()
    adjusted: tuple[Adjusted, ...] = ()
    left_cents: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherCoverage:
    """Loops 2320, 2330A and 2330B: another plan of the patient, and what it decided of the whole claim.

    `decided` is False while it has not answered; `adjusted` holds what it said for the claim as a whole, not
    by line; `left_cents` is what it left to the patient (AMT EAF).
    """

    rank: str
    relationship: str
    payer_name: str
    payer_id: str
    member_id: str
    first: str
    last: str
    filing_indicator: str
    group_number: str = ""
    secondary_reason: str = ""
    pays_us: bool = True
    decided: bool = False
    decided_on: date | None = None
    paid_cents: int = 0
    left_cents: int | None = None
    payer_claim: str = ""
    adjusted: tuple[Adjusted, ...] = ()


@dataclass(frozen=True, slots=True)
class Happened:
    """An occurrence (HI*BH, with `last` HI*BI) or a procedure (HI*BBR, BBQ): code and day."""

    code: str
    day: date
    last: date | None = None


@dataclass(frozen=True, slots=True)
class Amount:
    """A value code (HI*BE) with its cents."""

    code: str
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    """What only an institutional claim says: the statement's period, admission, discharge and its codes.

    Hours are two digits (00 to 23). `admitting` is the admitting diagnosis, `reasons` the patient's own
    reasons (outpatient).
    """

    first: date
    last: date
    admitted: date | None = None
    admitted_hour: str = ""
    admission_type: str = ""
    admission_source: str = ""
    discharge_hour: str = ""
    discharge_status: str = ""
    admitting: str = ""
    reasons: tuple[str, ...] = ()
    causes: tuple[str, ...] = ()
    procedures: tuple[Happened, ...] = ()
    occurrences: tuple[Happened, ...] = ()
    values: tuple[Amount, ...] = ()
    conditions: tuple[str, ...] = ()

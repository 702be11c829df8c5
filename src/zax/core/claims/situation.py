"""What a check has to know besides the claim: the day, the coverage and payer behind it, and what was done
for the patient before. Handed in as data, so that checks look nothing up.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from zax.core.claims.payer_rules import PayerRule


class PayerKind(StrEnum):
    COMMERCIAL = "commercial"
    MEDICARE = "medicare"
    MEDICAID = "medicaid"


def payer_kind(filing_indicator: str) -> PayerKind:
    """By the code claims carry for it (X12 1032): MA and MB are Medicare, MC is Medicaid."""
    kinds = {"MA": PayerKind.MEDICARE, "MB": PayerKind.MEDICARE, "MC": PayerKind.MEDICAID}
    return kinds.get(filing_indicator, PayerKind.COMMERCIAL)


@dataclass(frozen=True, slots=True, kw_only=True)
class EarlierService:
    """A service of the same patient before. `open_claim` tells that an earlier claim asks or asked for it,
    other than one that this claim replaces.
    """

    day: date
    code: str
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    same_clinician: bool = True
    same_specialty: bool = True
    open_claim: bool = False


@dataclass(frozen=True, slots=True)
class PlanHolder:
    """One of the patient's plans: its rank (P, S, T), whose it is, and how the patient is related."""

    rank: str
    name: str
    birth: date | None
    relationship: str
    payer_id: str


@dataclass(frozen=True, slots=True)
class Approval:
    """An authorization or referral on file: its dates, and how many units it is good for and were used before
    this claim; None where the payer set no limit. `codes` are the services it is for, none for all.
    """

    number: str
    first: date | None = None
    last: date | None = None
    units: int | None = None
    used: int = 0
    codes: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class KnownDiagnosis:
    """What the code list has of a diagnosis: `complete` when it may be billed as it stands."""

    complete: bool
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Situation:
    """`needs` are what the payer rejects a claim without: group, referral, ndc. `diagnoses` is what the code
    list knows, None when it was not asked; `over_limits` says of a line, by its number, which limit of the
    plan it exceeds. `filing_days` None: the payer set no limit.
    """

    today: date
    payer_kind: PayerKind = PayerKind.COMMERCIAL
    coverage_from: date | None = None
    coverage_to: date | None = None
    filing_days: int | None = None
    needs: frozenset[str] = frozenset()
    authorized_codes: frozenset[str] = frozenset()
    approvals: tuple[Approval, ...] = ()
    history: tuple[EarlierService, ...] = ()
    plans: tuple[PlanHolder, ...] = ()
    diagnoses: Mapping[str, KnownDiagnosis] | None = None
    over_limits: Mapping[str, str] = field(default_factory=dict)
    rules: tuple[PayerRule, ...] = ()

    @property
    def medicare(self) -> bool:
        return self.payer_kind is PayerKind.MEDICARE

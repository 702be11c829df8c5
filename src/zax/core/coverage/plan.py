"""Payers and their plans, as all patients of the clinic share them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.coverage.benefits import Benefits

# Until somebody says otherwise.
USUAL_FILING_DAYS, USUAL_APPEAL_DAYS = 365, 180


@dataclass(frozen=True, slots=True, kw_only=True)
class Payer:
    """`required` names what its claims must have besides the usual; `eligibility` is auto or phone;
    `filing_days` how long after the visit a claim may be sent,
    `appeal_days` how long after its decision the payer takes an appeal.
    """

    id: int
    name: str
    electronic_id: str
    filing_indicator: str
    filing_days: int
    appeal_days: int
    kind: str
    eligibility: str
    required: Sequence[str]
    phone: str
    active: bool
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    id: int
    payer_id: int
    payer_name: str
    name: str
    dental: bool
    benefits: Benefits
    active: bool
    version: int
    note: str

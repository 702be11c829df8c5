"""Coverages, what counts toward their limits, and the questions asked of payers, as the other floors see
them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverageTerms:
    """What is entered of a coverage. `subscriber_id` None: somebody outside holds it, who stands
    in `holder`.
    """

    plan_id: int
    rank: int
    subscriber_id: int | None
    relationship: str
    member_id: str
    member_key: str
    group_number: str
    from_day: date | None
    to_day: date | None
    holder: Mapping[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Coverage(CoverageTerms):
    """A coverage with its plan, payer and the patient who holds it. `elsewhere_*` is what other clinics used
    in `elsewhere_year` (cents).
    """

    id: int
    patient_id: int
    elsewhere_deductible_cents: int
    elsewhere_paid_cents: int
    elsewhere_year: int
    checked_at: datetime | None
    check_state: str
    version: int
    payer_id: int
    dental: bool
    plan_name: str
    payer_name: str
    holder_first: str | None
    holder_last: str | None
    holder_birth: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class DoneLine:
    """A charge line that counts toward limits (cents). `first_plan_id` and `second_plan_id` are the plans it
    was estimated under, None where that was not noted; `own_cents` count toward the most a patient pays in a
    year. `answered` is how many closed claims it is on, `paid` what insurers paid.
    """

    patient_id: int
    day: date
    code: str
    category: str
    tooth: str
    area: str
    units: int
    provider_id: int
    first_plan_id: int | None
    second_plan_id: int | None
    deductible_cents: int
    own_cents: int
    first_cents: int
    second_cents: int
    second_deductible_cents: int
    second_own_cents: int
    answered: int
    paid: int


@dataclass(frozen=True, slots=True)
class DayCover:
    """The first coverage of a visit of a day; `member_id` None where there is none."""

    visit_id: int
    member_id: str | None
    checked_at: datetime | None
    check_state: str | None
    eligibility: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One question to a payer and its answer as they went over the wire; `state` is asking, fine, problem or
    failed.
    """

    id: int
    patient_id: int
    coverage_id: int
    visit_id: int | None
    batch_id: int | None
    trace: str
    day: date
    state: str
    words: str
    at: datetime
    by_id: int | None
    answered_at: datetime | None
    question: str
    answer: str | None
    handled_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedCheck(Check):
    by_name: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckToMend:
    """An answer about a coming visit that somebody must look at."""

    id: int
    state: str
    words: str
    answered_at: datetime | None
    coverage_id: int
    patient_id: int
    day: date
    first: str
    last: str
    phone: str
    member_id: str
    plan_name: str
    start_min: int | None
    visit_id: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckBatch:
    """A run over everybody booked, with how many of its questions stand how."""

    id: int
    at: datetime
    by_id: int | None
    first_day: date
    last_day: date
    total: int
    run_key: str
    asking: int
    fine: int
    problem: int
    failed: int


@dataclass(frozen=True, slots=True)
class ToAsk:
    """A coverage (`id`) without a fresh answer, and the first visit it is needed for."""

    id: int
    patient_id: int
    visit_id: int
    day: date

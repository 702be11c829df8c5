"""The journal, charge lines, payments and what hangs on them, as the other floors see them. Money is cents;
`at` and `*_at` are UTC.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.core.money.journal import Entry, Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerEntry:
    """One entry of the journal with where it belongs: a ledger is a patient with a visit, or without one."""

    id: int
    kind: str
    day: date
    at: datetime
    site_id: int
    patient_id: int
    visit_id: int | None
    line_id: int | None
    payment_id: int | None
    claim_id: int | None
    answer_id: int | None
    patient_cents: int
    insurer_cents: int
    words: str
    reverses_id: int | None
    of_id: int | None
    reason_id: int | None

    @property
    def entry(self) -> Entry:
        """As the core works with it."""
        return Entry(
            id=self.id,
            kind=Kind(self.kind),
            day=self.day,
            patient_cents=self.patient_cents,
            insurer_cents=self.insurer_cents,
            line_id=self.line_id,
            visit_id=self.visit_id,
            reverses=self.reverses_id,
            of=self.of_id,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedEntry(LedgerEntry):
    """With who made it."""

    by_name: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewEntry:
    kind: str
    day: date
    at: datetime
    by_id: int | None
    site_id: int
    patient_id: int
    visit_id: int | None
    patient_cents: int
    insurer_cents: int
    words: str
    line_id: int | None = None
    payment_id: int | None = None
    claim_id: int | None = None
    reverses_id: int | None = None
    of_id: int | None = None
    reason_id: int | None = None
    discount_id: int | None = None
    answer_id: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceLine:
    """A service on a visit, done or to be done. `fee_cents` is one unit's; the three estimates are the whole
    line's.
    """

    id: int
    visit_id: int
    service_id: int
    provider_id: int
    supervising_id: int | None
    units: int
    fee_cents: int
    tooth: str
    surfaces: str
    area: str
    modifiers: str
    points_to: Sequence[str]
    place: str
    billed: bool
    authorized: bool
    deductible_cents: int
    first_cents: int
    second_cents: int
    planned_id: int | None
    fee_why: str
    fee_by: int | None
    removed_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimedLine(ServiceLine):
    """A service as it stands on a claim: `cents` is what was claimed for it, `second_cents` what the second
    plan should pay of it, `contract_cents` what the first plan's contract forgives (None without one).
    """

    claim_id: int
    cents: int
    second_cents: int
    contract_cents: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LineWords:
    """What a charge line says of itself, with whose it is and its visit's day."""

    id: int
    visit_id: int | None
    service_id: int | None
    units: int
    tooth: str
    kind: str
    words: str
    entered_at: datetime
    person_id: int
    visit_day: date | None


@dataclass(frozen=True, slots=True)
class VisitDiagnosis:
    position: int
    code: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerVisit:
    """A visit that has money."""

    id: int
    patient_id: int
    day: date
    start_min: int
    state: str
    type_id: int
    provider_id: int
    site_id: int


@dataclass(frozen=True, slots=True)
class OpenOfVisit:
    """What a visit's entries come to; `fee_cents` is what was charged."""

    visit_id: int
    patient_cents: int
    insurer_cents: int
    fee_cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenRest:
    """Money of a patient that is still open: of the visit `id`, or (None) of what belongs to no visit."""

    id: int | None
    patient_id: int
    day: date
    first: str
    last: str
    patient_cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NewestRest(OpenRest):
    """`of_visits`: how many visits there are like it."""

    of_visits: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ComingVisit:
    """A visit from today on for which nothing is charged yet; `paid` is what it was paid ahead."""

    id: int
    patient_id: int
    day: date
    start_min: int
    type_id: int
    state: str
    first: str
    paid: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Payment:
    """One tender of a receipt. What is refunded is negative and names the payment it is `of`; `words` are
    the terminal's, or why.
    """

    id: int
    request_key: str
    receipt_id: int
    kind: str
    of_id: int | None
    patient_id: int
    visit_id: int | None
    site_id: int
    tender: str
    cents: int
    asked_cents: int
    check_number: str
    state: str
    card_ending: str
    card_id: int | None
    keep_card: bool
    terminal_ref: str
    words: str
    day: date
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitPayment(Payment):
    """A payment with what of it was for one visit."""

    here: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NewPayment:
    request_key: str
    receipt_id: int
    patient_id: int
    visit_id: int | None
    site_id: int
    tender: str
    cents: int
    state: str
    day: date
    at: datetime
    by_id: int | None
    check_number: str = ""
    card_id: int | None = None
    keep_card: bool = False
    kind: str = "payment"
    of_id: int | None = None
    card_ending: str = ""
    words: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PaymentPart:
    """What some of a payment is for: a line, a visit as a whole, or (neither) a deposit."""

    id: int
    payment_id: int
    patient_id: int
    visit_id: int | None
    line_id: int | None
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedPart(PaymentPart):
    first: str
    day: date | None
    type_id: int | None


@dataclass(frozen=True, slots=True)
class NewPart:
    patient_id: int
    visit_id: int | None
    line_id: int | None
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ReceiptRow:
    """What was paid in one go; `how` its receipt was wished: none, print, email."""

    id: int
    request_key: str
    patient_id: int
    site_id: int
    day: date
    at: datetime
    by_id: int | None
    how: str
    email: str
    change_cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedReceipt(ReceiptRow):
    """With its patient, who took it, and up to which day its site's books are closed."""

    first: str
    last: str
    email_now: str
    by_name: str | None
    closed_day: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CardOnFile:
    """The terminal's token stands for the card; its number is never here."""

    id: int
    patient_id: int
    token: str
    ending: str
    expires: str
    made_at: datetime
    first: str


@dataclass(frozen=True, slots=True)
class PaidHow:
    tender: str
    how: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PaymentPlanRow:
    """`every` is week, fortnight or month; `count` installments from `first_day` on."""

    id: int
    patient_id: int
    cents: int
    every: str
    count: int
    first_day: date
    card_id: int | None
    made_at: datetime
    made_by: int
    ended_at: datetime | None
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedPlan(PaymentPlanRow):
    first: str
    last: str
    household_id: int


@dataclass(frozen=True, slots=True)
class PlanTry:
    """An installment for which the card on file was tried; what came of it its payment says, `state` and
    `words` only when none was made.
    """

    plan_id: int
    number: int
    day: date
    state: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementRun:
    id: int
    rule: Mapping[str, object]
    day: date
    total: int
    done: int
    state: str
    made_at: datetime
    by_id: int
    ended_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class StatementRow:
    """A statement as it was made: its PDF lies in the file store under `digest` (SHA-256)."""

    id: int
    household_id: int
    patient_id: int | None
    run_id: int | None
    day: date
    cents: int
    state: str
    digest: str
    bytes: int
    made_at: datetime
    by_id: int | None
    way: str
    link: str | None
    told_at: datetime | None
    opened_at: datetime | None
    printed_at: datetime | None


@dataclass(frozen=True, slots=True)
class SoldProduct:
    """A sale's line on its patient's own ledger."""

    id: int
    patient_id: int
    product_id: int
    units: int


@dataclass(frozen=True, slots=True)
class LedgerKey:
    """A patient with a visit, or without one."""

    patient_id: int
    visit_id: int | None

"""Reading and writing what insurers paid: payments by payer and number, and what each says of its claims."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, bindparam, func, select, text, update

from zax.core.claims.claim import Form, Rank
from zax.core.remits.placing import FOR_A_PERSON, Outcome
from zax.core.remits.shortfalls import Work
from zax.store.claims.tables import claim, x12_file
from zax.store.coverage.tables import coverage, out_of_network, plan
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.remits.tables import payer_entry, remit, remit_claim, shortfall
from zax.store.rows import add, change, many, one
from zax.store.schema import charge_line, visit

_r, _a = remit, remit_claim
# Between a payment's number and which part of it this is.
PART = " part "
READING, OPEN, FINISHED, REVERSED = "reading", "open", "finished", "reversed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Remit:
    """One payment. `kind` is 835, or how it came where it was entered by hand; `placed_cents` of it stand on
    claims, `level_cents` were taken (below zero: added) beside them; `waiting` answers need a person.
    """

    id: int
    file_id: int | None
    kind: str
    trace: str
    payer: str
    payer_id: int | None
    provider_id: int | None
    site_id: int | None
    day: date | None
    paid_cents: int
    state: str
    why: str
    scan: str
    scan_type: str
    made_at: datetime | None
    worked_by_id: int | None
    worked_at: datetime | None
    finished_at: datetime | None
    books_day: date | None
    version: int
    worked_by: str | None
    placed_cents: int
    level_cents: int
    answers: int
    waiting: int

    @property
    def rest_cents(self) -> int:
        """What of it is still to be placed."""
        return self.paid_cents - self.placed_cents + self.level_cents

    @property
    def by_hand(self) -> bool:
        return self.kind != "835"

    @property
    def who(self) -> str:
        """The payer as people write it."""
        return self.payer.title() if self.payer.isupper() else self.payer


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerRow:
    """What a payment says of one claim, with whom it is about."""

    id: int
    remit_id: int
    claim_id: int | None
    number: str
    paid_cents: int
    outcome: str
    why: str
    answer: Mapping[str, Any] | None
    expected: Sequence[Mapping[str, Any]] | None
    at: datetime | None
    by_name: str | None
    patient_id: int | None
    first: str | None
    last: str | None
    visit_id: int | None
    claim_number: str | None


def remit_known(connection: Connection, payer: str, trace: str) -> tuple[int, str, str] | None:
    """(payment, its state, the file in which it came, empty for one by hand) of a payment that is known."""
    query = select(_r.c.id, _r.c.state, func.coalesce(x12_file.c.name, ""))
    query = query.join(x12_file, x12_file.c.id == _r.c.file_id, isouter=True)
    row = connection.execute(query.where(_r.c.payer == payer[:80], _r.c.trace == trace[:50])).first()
    return (row[0], row[1], row[2]) if row else None


def add_remit(connection: Connection, *, trace: str, payer: str, **values: Any) -> int:
    return add(connection, _r, trace=trace[:50], payer=payer[:80], **values)


def change_remit(connection: Connection, remit_id: int, **values: Any) -> None:
    """Set some of its columns; every change counts its version up."""
    change(connection, _r, remit_id, version=_r.c.version + 1, **values)


_PLACED = (
    "(SELECT COALESCE(-SUM(j.insurer_cents), 0) FROM journal j"
    " LEFT JOIN journal o ON o.id = j.reverses_id"
    " WHERE j.answer_id IN (SELECT q.id FROM remit_claim q WHERE q.remit_id = remit.id)"
    " AND COALESCE(o.kind, j.kind) = 'insurer')"
)
_LEVEL = "(SELECT COALESCE(SUM(e.cents), 0) FROM payer_entry e WHERE e.remit_id = remit.id)"
_WAITING = ", ".join(f"'{each}'" for each in sorted(FOR_A_PERSON))
_COUNT = f"(SELECT COUNT(*) FROM remit_claim q WHERE q.remit_id = remit.id AND q.outcome <> '{Outcome.OUT}')"
_OPEN = f"(SELECT COUNT(*) FROM remit_claim q WHERE q.remit_id = remit.id AND q.outcome IN ({_WAITING}))"


def _remits() -> Select[Any]:
    return select(
        _r,
        user.c.name.label("worked_by"),
        text(f"{_PLACED} AS placed_cents"),
        text(f"{_LEVEL} AS level_cents"),
        text(f"{_COUNT} AS answers"),
        text(f"{_OPEN} AS waiting"),
    ).join(user, user.c.id == _r.c.worked_by_id, isouter=True)


def remit_of(connection: Connection, remit_id: int) -> Remit | None:
    return one(connection, _remits().where(_r.c.id == remit_id), Remit)


def hold_remit(connection: Connection, remit_id: int) -> Remit | None:
    """The payment, held until the transaction ends."""
    connection.execute(select(_r.c.id).where(_r.c.id == remit_id).with_for_update()).first()
    return remit_of(connection, remit_id)


def hold_reading(connection: Connection, remit_id: int) -> int | None:
    """A payment that is still being read, held until the transaction ends; None for any other."""
    query = select(_r.c.id, _r.c.state).where(_r.c.id == remit_id)
    row = connection.execute(query.with_for_update()).first()
    return row.id if row and row.state == READING else None


@dataclass(frozen=True, slots=True)
class PaymentPart:
    """A payment, or another part of it that came later."""

    id: int
    file_id: int | None
    kind: str
    state: str
    paid_cents: int

    @property
    def by_hand(self) -> bool:
        return self.kind != "835"


def parts_of(connection: Connection, payer: str, trace: str) -> list[PaymentPart]:
    """A payment and the other parts of it that came, the first one first."""
    return many(connection, _parts(payer, trace).order_by(_r.c.id), PaymentPart)


def part_in_file(connection: Connection, file_id: int, payer: str, trace: str, cents: int) -> int | None:
    """The payment of that number and amount, or the part of it, that a file brought: one that is still to be
    read first.
    """
    query = _parts(payer, trace).where(_r.c.file_id == file_id, _r.c.paid_cents == cents)
    first = one(connection, query.order_by((_r.c.state == READING).desc(), _r.c.id).limit(1), PaymentPart)
    return first.id if first else None


def _parts(payer: str, trace: str) -> Select[Any]:
    part = _r.c.trace.startswith(f"{trace[:40]}{PART}", autoescape=True)
    return select(_r).where(_r.c.payer == payer[:80], (_r.c.trace == trace[:50]) | part)


def numbers_of(connection: Connection, remit_id: int) -> set[str]:
    """The claim numbers that a payment speaks of."""
    query = select(_a.c.number).where(_a.c.remit_id == remit_id)
    return set(connection.execute(query).scalars())


def remit_by_key(connection: Connection, request_key: str) -> int | None:
    return connection.execute(select(_r.c.id).where(_r.c.request_key == request_key)).scalar()


def remits_of_file(connection: Connection, file_id: int) -> list[tuple[int, str, str]]:
    """(payment, number, state) of a file, in its order."""
    query = select(_r.c.id, _r.c.trace, _r.c.state).where(_r.c.file_id == file_id).order_by(_r.c.id)
    return [(row[0], row[1], row[2]) for row in connection.execute(query)]


def remits_in_file(connection: Connection, file_id: int) -> list[Remit]:
    return many(connection, _remits().where(_r.c.file_id == file_id).order_by(_r.c.id), Remit)


def count_short(connection: Connection, remit_id: int) -> int:
    """How many claims of a payment left something short that nobody has decided about."""
    query = select(func.count(shortfall.c.answer_id.distinct()))
    query = query.join(_a, _a.c.id == shortfall.c.answer_id)
    query = query.where(
        _a.c.remit_id == remit_id, shortfall.c.state == "open", shortfall.c.work != Work.ABOVE
    )
    return int(connection.execute(query).scalar_one())


def reading_facts(connection: Connection, claim_ids: Sequence[int]) -> dict[int, tuple[bool, bool, int]]:
    """By claim: whether its plan pays after another, whether it is a facility's, and its payer."""
    query = (
        select(claim.c.id, claim.c.rank, claim.c.form, plan.c.payer_id)
        .join(coverage, coverage.c.id == claim.c.coverage_id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .where(claim.c.id.in_(list(claim_ids) or [0]))
    )
    rows = connection.execute(query)
    return {row[0]: (row[1] != Rank.PRIMARY, row[2] == Form.INSTITUTIONAL, row[3]) for row in rows}


def count_answers(connection: Connection, remit_id: int) -> int:
    """How many claims of a payment were taken in so far."""
    query = select(func.count()).where(_a.c.remit_id == remit_id)
    return int(connection.execute(query).scalar_one())


def open_remits(connection: Connection) -> list[Remit]:
    """Those that are not placed whole yet, the oldest first."""
    return many(connection, _remits().where(_r.c.state.in_([OPEN, READING])).order_by(_r.c.id), Remit)


def listed_remits(connection: Connection, state: str, wanted: Wanted) -> Listed[Remit]:
    """All of a state (empty: of any); `cents` is what was paid with them."""
    query = _remits().where(_r.c.state == state) if state else _remits()
    orders = {
        Order.OLDEST: (_r.c.id,),
        Order.LARGEST: (_r.c.paid_cents.desc(), _r.c.id),
        Order.NEWEST: (_r.c.id.desc(),),
    }
    return listed(connection, query, Remit, wanted, (_r.c.payer, _r.c.trace), orders, "paid_cents")


def last_payer(connection: Connection) -> int | None:
    """Whose payment was entered by hand last."""
    query = select(_r.c.payer_id).where(_r.c.kind != "835", _r.c.payer_id.is_not(None))
    return connection.execute(query.order_by(_r.c.id.desc()).limit(1)).scalar()


def finished_within(connection: Connection, site_id: int, after: date, day: date) -> list[Remit]:
    """Payments by hand that were finished on a site's books days after `after` up to `day`."""
    query = _remits().where(_r.c.site_id == site_id, _r.c.state == FINISHED, _r.c.kind != "835")
    query = query.where(_r.c.books_day > after, _r.c.books_day <= day)
    return many(connection, query.order_by(_r.c.id), Remit)


def add_answer(
    connection: Connection,
    *,
    remit_id: int,
    claim_id: int | None,
    number: str,
    paid_cents: int,
    outcome: str,
    why: str = "",
    **more: Any,
) -> int:
    return add(
        connection,
        _a,
        remit_id=remit_id,
        claim_id=claim_id,
        number=number[:40],
        paid_cents=paid_cents,
        outcome=outcome,
        why=why[:500],
        **more,
    )


def change_answer(connection: Connection, answer_id: int, **values: Any) -> None:
    change(connection, _a, answer_id, **values)


def _answers() -> Select[Any]:
    return (
        select(
            _a,
            user.c.name.label("by_name"),
            claim.c.patient_id,
            claim.c.visit_id,
            claim.c.number.label("claim_number"),
            patient.c.first,
            patient.c.last,
        )
        .join(user, user.c.id == _a.c.by_id, isouter=True)
        .join(claim, claim.c.id == _a.c.claim_id, isouter=True)
        .join(patient, patient.c.id == claim.c.patient_id, isouter=True)
    )


def answers_of(connection: Connection, remit_id: int, most: int = 2000) -> list[AnswerRow]:
    """What a payment says claim by claim, in its order; where there are more, those that wait come first."""
    waiting = _a.c.outcome.in_(FOR_A_PERSON)
    chosen = select(_a.c.id).where(_a.c.remit_id == remit_id).order_by(waiting.desc(), _a.c.id).limit(most)
    ids = [*connection.execute(chosen).scalars()]
    return many(connection, _answers().where(_a.c.id.in_(ids or [0])).order_by(_a.c.id), AnswerRow)


def answer_of(connection: Connection, answer_id: int) -> AnswerRow | None:
    return one(connection, _answers().where(_a.c.id == answer_id), AnswerRow)


def hold_answer(connection: Connection, answer_id: int) -> AnswerRow | None:
    """Held until the transaction ends."""
    connection.execute(select(_a.c.id).where(_a.c.id == answer_id).with_for_update()).first()
    return answer_of(connection, answer_id)


def answers_of_claim(connection: Connection, claim_id: int) -> list[AnswerRow]:
    """What was said of a claim, oldest first, but for what was taken out again."""
    query = _answers().where(_a.c.claim_id == claim_id, _a.c.outcome != Outcome.OUT)
    return many(connection, query.order_by(_a.c.id), AnswerRow)


@dataclass(frozen=True, slots=True)
class ClaimPayment:
    """A payment that speaks of a claim, and what it paid of it."""

    remit_id: int
    payer: str
    trace: str
    day: date | None
    paid_cents: int
    outcome: str


def payments_of_claim(connection: Connection, claim_id: int) -> list[ClaimPayment]:
    """Oldest first, those taken out again too."""
    query = (
        select(_a.c.remit_id, _r.c.payer, _r.c.trace, _r.c.day, _a.c.paid_cents, _a.c.outcome)
        .join(_r, _r.c.id == _a.c.remit_id)
        .where(_a.c.claim_id == claim_id)
    )
    return many(connection, query.order_by(_a.c.id), ClaimPayment)


def last_answers(connection: Connection, most: int) -> list[AnswerRow]:
    """The newest that were placed with the lines they were about, the newest first."""
    query = _answers().where(
        _a.c.answer.is_not(None), _a.c.expected.is_not(None), _a.c.outcome != Outcome.OUT
    )
    return many(connection, query.order_by(_a.c.id.desc()).limit(most), AnswerRow)


def plain_answers(connection: Connection, most: int) -> list[tuple[int, Mapping[str, Any]]]:
    """(plan, what it answered) of the newest placed answers of plans that pay first and in their network."""
    outside = select(out_of_network.c.provider_id).where(
        out_of_network.c.payer_id == plan.c.payer_id, out_of_network.c.provider_id == visit.c.provider_id
    )
    query = (
        select(coverage.c.plan_id, _a.c.answer)
        .join(claim, claim.c.id == _a.c.claim_id)
        .join(coverage, coverage.c.id == claim.c.coverage_id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .join(visit, visit.c.id == claim.c.visit_id)
        .where(
            _a.c.outcome == Outcome.POSTED,
            _a.c.answer.is_not(None),
            claim.c.rank == Rank.PRIMARY,
            ~outside.exists(),
        )
    )
    rows = connection.execute(query.order_by(_a.c.id.desc()).limit(most))
    return [(row[0], row[1]) for row in rows]


def claims_waiting(connection: Connection, claim_ids: Sequence[int]) -> set[int]:
    """Those of which an answer waits for a person."""
    query = select(_a.c.claim_id).distinct()
    query = query.where(_a.c.claim_id.in_(claim_ids), _a.c.outcome.in_(FOR_A_PERSON))
    return set(connection.execute(query).scalars()) if claim_ids else set()


def count_open_answers(connection: Connection) -> int:
    query = select(func.count()).where(_a.c.outcome.in_(FOR_A_PERSON))
    return int(connection.execute(query).scalar_one())


_SHARES = (
    update(charge_line)
    .where(charge_line.c.id == bindparam("line_id"))
    .values(deductible_cents=bindparam("deductible"), own_cents=bindparam("own"))
)


def note_shares(connection: Connection, rows: list[Mapping[str, object]]) -> None:
    """What the payer counted for a line (`line_id`) toward the `deductible`, and toward the most a patient
    pays in a year (`own`); cents.
    """
    connection.execute(_SHARES, rows)


def level_entries(connection: Connection, remit_id: int) -> list[tuple[str, str, int]]:
    """(words, reference, cents) of what was taken or added beside the claims."""
    query = select(payer_entry.c.words, payer_entry.c.reference, payer_entry.c.cents)
    rows = connection.execute(query.where(payer_entry.c.remit_id == remit_id).order_by(payer_entry.c.id))
    return [(row[0], row[1], row[2]) for row in rows]

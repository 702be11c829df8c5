"""Reading and writing what of a line was not paid and waits for a decision."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, func, select, update

from zax.core.remits.shortfalls import Shortfall, Work
from zax.store.claims.tables import claim
from zax.store.remits.tables import remit, remit_claim, shortfall
from zax.store.rows import add, change, many, one
from zax.store.schema import charge_line, coverage, patient, payer, plan, service, visit

_s = shortfall
OPEN, APPEALED, ENDED = "open", "appealed", "ended"


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenShortfall:
    """One of the list, with what it is about. `act_by` is the last day to appeal, `answer_by` when an appeal
    should be answered.
    """

    id: int
    answer_id: int
    claim_id: int
    line_id: int
    cents: int
    work: str
    reasons: Sequence[str]
    remarks: Sequence[str]
    words: str
    state: str
    act_by: date | None
    answer_by: date | None
    letter: str
    ended_how: str
    made_at: datetime
    appealed_at: datetime | None
    claim_number: str
    payer_claim: str
    patient_id: int
    visit_id: int
    first: str
    last: str
    day: date
    code: str
    service: str
    tooth: str
    payer_id: int
    payer_name: str
    trace: str
    paid_on: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class BelowContractRow(OpenShortfall):
    """One that was paid below the contract: with the member's number, and the claim's lines as they stood."""

    member_id: str
    expected: Sequence[Mapping[str, Any]] | None


def add_shortfall(
    connection: Connection, answer_id: int, claim_id: int, at: datetime, act_by: date | None, short: Shortfall
) -> int:
    return add(
        connection,
        _s,
        answer_id=answer_id,
        claim_id=claim_id,
        line_id=short.line_id,
        cents=short.cents,
        work=short.work,
        reasons=list(short.reasons),
        remarks=list(short.remarks),
        words=short.words[:500],
        act_by=act_by,
        made_at=at,
    )


def _shortfalls() -> Select[Any]:
    return (
        select(
            _s,
            claim.c.number.label("claim_number"),
            claim.c.payer_claim,
            claim.c.patient_id,
            claim.c.visit_id,
            patient.c.first,
            patient.c.last,
            visit.c.day,
            service.c.code,
            service.c.words.label("service"),
            charge_line.c.tooth,
            payer.c.id.label("payer_id"),
            payer.c.name.label("payer_name"),
            remit.c.trace,
            remit.c.day.label("paid_on"),
        )
        .join(claim, claim.c.id == _s.c.claim_id)
        .join(patient, patient.c.id == claim.c.patient_id)
        .join(visit, visit.c.id == claim.c.visit_id)
        .join(charge_line, charge_line.c.id == _s.c.line_id)
        .join(service, service.c.id == charge_line.c.service_id)
        .join(coverage, coverage.c.id == claim.c.coverage_id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .join(payer, payer.c.id == plan.c.payer_id)
        .join(remit_claim, remit_claim.c.id == _s.c.answer_id)
        .join(remit, remit.c.id == remit_claim.c.remit_id)
    )


@dataclass(frozen=True, slots=True)
class ShortFilter:
    """0 and empty mean all; `cents` at least so much, `days` at least so old."""

    payer_id: int = 0
    work: str = ""
    cents: int = 0
    before: datetime | None = None


def open_shortfalls(
    connection: Connection, chosen: ShortFilter = ShortFilter(), most: int = 500
) -> list[OpenShortfall]:
    """What nobody has decided about yet, or has appealed; what runs out first is first."""
    query = _shortfalls().where(_s.c.state.in_([OPEN, APPEALED]))
    if chosen.payer_id:
        query = query.where(payer.c.id == chosen.payer_id)
    if chosen.work:
        query = query.where(_s.c.work == chosen.work)
    if chosen.cents:
        query = query.where(_s.c.cents >= chosen.cents)
    if chosen.before:
        query = query.where(_s.c.made_at < chosen.before)
    order = (func.coalesce(_s.c.answer_by, _s.c.act_by, date(9999, 1, 1)), _s.c.cents.desc(), _s.c.id)
    return many(connection, query.order_by(*order).limit(most), OpenShortfall)


def shortfall_of(connection: Connection, shortfall_id: int) -> OpenShortfall | None:
    return one(connection, _shortfalls().where(_s.c.id == shortfall_id), OpenShortfall)


def below_contract_of(connection: Connection, payer_id: int) -> list[BelowContractRow]:
    """What the payer allowed below its contract and hasn't been asked for, the oldest service first."""
    query = _shortfalls().add_columns(coverage.c.member_id, remit_claim.c.expected)
    query = query.where(payer.c.id == payer_id, _s.c.work == Work.UNDERPAID, _s.c.state == OPEN)
    return many(connection, query.order_by(visit.c.day, _s.c.id), BelowContractRow)


def hold_shortfall(connection: Connection, shortfall_id: int) -> OpenShortfall | None:
    """Held until the transaction ends."""
    connection.execute(select(_s.c.id).where(_s.c.id == shortfall_id).with_for_update()).first()
    return shortfall_of(connection, shortfall_id)


def change_shortfall(connection: Connection, shortfall_id: int, **values: Any) -> None:
    change(connection, _s, shortfall_id, **values)


def open_of_claim(connection: Connection, claim_id: int) -> list[OpenShortfall]:
    query = _shortfalls().where(_s.c.claim_id == claim_id, _s.c.state.in_([OPEN, APPEALED]))
    return many(connection, query.order_by(_s.c.id), OpenShortfall)


def end_of_claim(connection: Connection, claim_id: int, how: str, at: datetime) -> None:
    """Everything open about a claim is decided."""
    ended = {"state": ENDED, "ended_how": how[:200], "ended_at": at}
    where = (_s.c.claim_id == claim_id, _s.c.state.in_([OPEN, APPEALED]))
    connection.execute(update(_s).where(*where).values(**ended))


def end_of_answer(connection: Connection, answer_id: int, how: str, at: datetime) -> None:
    """Everything open that one answer left is gone with it."""
    ended = {"state": ENDED, "ended_how": how[:200], "ended_at": at}
    where = (_s.c.answer_id == answer_id, _s.c.state.in_([OPEN, APPEALED]))
    connection.execute(update(_s).where(*where).values(**ended))


def claims_with_open(connection: Connection, claim_ids: Sequence[int]) -> set[int]:
    """Those of which something waits for a decision."""
    query = select(_s.c.claim_id).distinct()
    query = query.where(_s.c.claim_id.in_(claim_ids), _s.c.state.in_([OPEN, APPEALED]))
    return set(connection.execute(query).scalars()) if claim_ids else set()


def count_open(connection: Connection) -> int:
    query = select(func.count()).where(_s.c.state.in_([OPEN, APPEALED]))
    return int(connection.execute(query).scalar_one())

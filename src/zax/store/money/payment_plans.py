"""Reading and writing payment plans, the charges on them, and the tries of their installments."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime

from sqlalchemy import Connection, insert, select, update
from sqlalchemy.dialects.mysql import insert as mysql_insert

from zax.store.money.records import NamedPlan, PaymentPlanRow, PlanTry
from zax.store.money.tables import payment_plan, plan_line, plan_try
from zax.store.patients.tables import patient
from zax.store.rows import add, many, one

_p, _k, _t = payment_plan, plan_line, plan_try


def any_on_plan(connection: Connection, line_ids: Iterable[int]) -> bool:
    """Whether one of these charges is on a plan that runs."""
    query = select(_k.c.line_id).join(_p, _p.c.id == _k.c.plan_id)
    query = query.where(_p.c.ended_at.is_(None), _k.c.line_id.in_(list(line_ids) or [0]))
    return connection.execute(query.limit(1)).first() is not None


def add_plan(
    connection: Connection,
    *,
    patient_id: int,
    cents: int,
    every: str,
    count: int,
    first_day: date,
    card_id: int | None,
    made_at: datetime,
    made_by: int | None,
    lines: Mapping[int, int],
) -> int:
    """A plan over these charges ({line: cents})."""
    plan_id = add(
        connection,
        _p,
        patient_id=patient_id,
        cents=cents,
        every=every,
        count=count,
        first_day=first_day,
        card_id=card_id,
        made_at=made_at,
        made_by=made_by,
    )
    rows = [{"plan_id": plan_id, "line_id": line, "cents": part} for line, part in lines.items()]
    connection.execute(insert(_k), rows)
    return plan_id


def running_plan_for_update(connection: Connection, plan_id: int) -> PaymentPlanRow | None:
    query = select(_p).where(_p.c.id == plan_id, _p.c.ended_at.is_(None)).with_for_update()
    return one(connection, query, PaymentPlanRow)


def end_plan(connection: Connection, plan_id: int, at: datetime, why: str) -> None:
    """Nothing happens to one that has ended."""
    values = {"ended_at": at, "why_ended": why[:120], "version": _p.c.version + 1}
    connection.execute(update(_p).where(_p.c.id == plan_id, _p.c.ended_at.is_(None)).values(**values))


def running_plans(connection: Connection, household_id: int | None = None) -> list[NamedPlan]:
    """Every plan that runs, or those of one household; the newest first."""
    query = select(_p, patient.c.first, patient.c.last, patient.c.household_id)
    query = query.join(patient, patient.c.id == _p.c.patient_id).where(_p.c.ended_at.is_(None))
    if household_id is not None:
        query = query.where(patient.c.household_id == household_id)
    return many(connection, query.order_by(_p.c.id.desc()), NamedPlan)


def lines_of_plan(connection: Connection, plan_id: int) -> list[int]:
    return [*connection.execute(select(_k.c.line_id).where(_k.c.plan_id == plan_id)).scalars()]


def tries_of(connection: Connection, plan_id: int, number: int) -> list[PlanTry]:
    """The tries of an installment, oldest first."""
    query = select(_t).where(_t.c.plan_id == plan_id, _t.c.number == number).order_by(_t.c.id)
    return many(connection, query, PlanTry)


def claim_try(connection: Connection, plan_id: int, number: int, day: date, at: datetime) -> bool:
    """Note that this installment is tried that day; False when it was before."""
    row = mysql_insert(_t).prefix_with("IGNORE").values(plan_id=plan_id, number=number, day=day, at=at)
    return bool(connection.execute(row).rowcount)


def note_try(connection: Connection, plan_id: int, number: int, day: date, state: str, words: str) -> None:
    mine = (_t.c.plan_id == plan_id, _t.c.number == number, _t.c.day == day)
    connection.execute(update(_t).where(*mine).values(state=state, words=words[:200]))

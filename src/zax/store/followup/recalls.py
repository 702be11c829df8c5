"""Reading and writing recalls: one open row a patient and visit type."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.store.followup.tables import recall
from zax.store.rows import add, change, many, one

_r = recall


@dataclass(frozen=True, slots=True, kw_only=True)
class Recall:
    id: int
    patient_id: int
    type_id: int
    months: int
    due_day: date
    made_at: datetime
    visit_id: int | None
    ended_at: datetime | None


def recalls_of(connection: Connection, patient_id: int) -> list[Recall]:
    """The open recalls of a patient, the soonest first."""
    query = select(_r).where(_r.c.patient_id == patient_id, _r.c.ended_at.is_(None))
    return many(connection, query.order_by(_r.c.due_day), Recall)


def recall_for_update(connection: Connection, recall_id: int) -> Recall | None:
    return one(connection, select(_r).where(_r.c.id == recall_id).with_for_update(), Recall)


def end_recall(connection: Connection, recall_id: int, at: datetime) -> None:
    change(connection, _r, recall_id, ended_at=at)


def end_recalls_for(connection: Connection, patient_id: int, type_id: int, at: datetime) -> None:
    mine = (_r.c.patient_id == patient_id, _r.c.type_id == type_id, _r.c.ended_at.is_(None))
    connection.execute(update(_r).where(*mine).values(ended_at=at))


def add_recall(
    connection: Connection,
    *,
    patient_id: int,
    type_id: int,
    months: int,
    due_day: date,
    made_at: datetime,
    made_by: int | None,
    visit_id: int,
) -> None:
    add(
        connection,
        _r,
        patient_id=patient_id,
        type_id=type_id,
        months=months,
        due_day=due_day,
        made_at=made_at,
        made_by=made_by,
        visit_id=visit_id,
    )

"""Recalls: when a patient should come again for what. One open row a patient and visit type; a later visit moves it on."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from sqlalchemy import Connection, select, update

from zax.core.followup.recall import next_due
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store import schema


def recalls_of(connection: Connection, patient_id: int) -> Sequence[Any]:
    """The open recalls of a patient, the soonest first."""
    r = schema.recall
    return connection.execute(
        select(r).where(r.c.patient_id == patient_id, r.c.ended_at.is_(None)).order_by(r.c.due_day)
    ).all()


def write_recall(tx: Transaction, visit: Any, type_id: int, months: int) -> date | None:
    """After this visit the patient is due again in so many months (0: no recall for this type); the day."""
    r = schema.recall
    tx.connection.execute(
        update(r)
        .where(r.c.patient_id == visit.patient_id, r.c.type_id == type_id, r.c.ended_at.is_(None))
        .values(ended_at=tx.now)
    )
    if not months:
        return None
    due = next_due(visit.day, months)
    tx.add(
        r, patient_id=visit.patient_id, type_id=type_id, months=months, due_day=due, made_at=tx.now, made_by=tx.actor.id, visit_id=visit.id
    )  # fmt: skip
    tx.audit("recall.set", patient_id=visit.patient_id, visit_id=visit.id, months=months, due=due.isoformat())
    return due


@act("book")
def end_recall(tx: Transaction, recall_id: int) -> None:
    """No longer to be recalled for this."""
    r = schema.recall
    row = tx.one(select(r).where(r.c.id == recall_id).with_for_update())
    if row is not None and row.ended_at is None:
        tx.connection.execute(update(r).where(r.c.id == recall_id).values(ended_at=tx.now))
        tx.audit("recall.ended", patient_id=row.patient_id, recall=recall_id)
        tx.tell("patient", patient_id=row.patient_id)

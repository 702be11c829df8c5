"""Recalls: when a patient should come again for what. One open row a patient and visit type; a later visit
moves it on.
"""

from __future__ import annotations

from datetime import date

from zax.core.followup.recall import next_due
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.book.records import Visit
from zax.store.followup import recalls as stored


def write_recall(tx: Transaction, visit: Visit, type_id: int, months: int) -> date | None:
    """After this visit the patient is due again in so many months (0: no recall for this type); the day."""
    stored.end_recalls_for(tx.connection, visit.patient_id, type_id, tx.now)
    if not months:
        return None
    due = next_due(visit.day, months)
    stored.add_recall(
        tx.connection,
        patient_id=visit.patient_id,
        type_id=type_id,
        months=months,
        due_day=due,
        made_at=tx.now,
        made_by=tx.actor.id,
        visit_id=visit.id,
    )
    tx.audit("recall.set", patient_id=visit.patient_id, visit_id=visit.id, months=months, due=due.isoformat())
    return due


@act("book")
def end_recall(tx: Transaction, recall_id: int) -> None:
    """No longer to be recalled for this."""
    row = stored.recall_for_update(tx.connection, recall_id)
    if row is not None and row.ended_at is None:
        stored.end_recall(tx.connection, recall_id, tx.now)
        tx.audit("recall.ended", patient_id=row.patient_id, recall=recall_id)
        tx.tell("patient", patient_id=row.patient_id)

"""Writing to a patient: a row of the log and the errand that carries it out, in the act's own transaction.
What is written here has its words already; what is written by rule gets them when it goes (zax.desk.notices).
"""

from __future__ import annotations

from datetime import datetime

from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.desk.acts.transaction import Transaction
from zax.store.messages.messages import NewMessage, put_messages


def write_to(
    tx: Transaction,
    channel: Channel,
    to: str,
    words: str,
    *,
    key: str,
    sort: Sort,
    patient_id: int | None,
    subject: str = "",
    visit_id: int | None = None,
    why: str = "",
    due_at: datetime | None = None,
) -> None:
    """A message with these words; its key makes it go once, however often this is called."""
    made = NewMessage(
        request_key=key,
        event=sort,
        channel=channel,
        address=to,
        subject=subject[:200],
        words=words,
        patient_id=patient_id,
        visit_id=visit_id,
        why=why,
        by_id=tx.actor.id,
        made_at=tx.now,
        due_at=due_at or tx.now,
    )
    put_messages(tx.connection, [made])
    if patient_id is not None:
        tx.tell("message", patient_id=patient_id)

"""Messages from a patient's own page into the Inbox, and what was said both ways as the page shows it: what
people wrote to each other, not reminders and codes.
"""

from __future__ import annotations

from zax.core.errors import Refused
from zax.core.form import LONGEST_KEY
from zax.core.messages.message import Sort
from zax.core.messages.reply import Meaning
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.inbox.conversation import Line, conversation
from zax.desk.inbox.inbox import FROM_PAGE
from zax.desk.own.signing_in import Own
from zax.store.acts.traces import claim_form
from zax.store.engine import Connection
from zax.store.inbox.replies import add_reply
from zax.store.patients.records import Patient

LONGEST = 1000
_SHOWN = frozenset({Sort.BY_HAND, Sort.ANSWER})


def say(desk: Desk, own: Own, person: Patient, words: str, once: str = "") -> bool:
    """To the front desk; whether it is new: a form (`once` is its key) that was sent twice is one message.
    Refused beside `words` when empty or too long.
    """
    said = " ".join(words.split())
    if not said:
        raise Refused("Write something first.", "words")
    if len(said) > LONGEST:
        raise Refused(f"Keep it to {LONGEST} letters; this has {len(said)}.", "words")

    def write(tx: Transaction) -> bool:
        if once and not claim_form(tx.connection, f"own-{once}"[:LONGEST_KEY], tx.now):
            return False
        add_reply(
            tx.connection,
            channel=FROM_PAGE,
            phone=person.phone or person.email or f"page-{person.id}",
            words=said,
            at=tx.now,
            meaning=Meaning.QUESTION,
            patient_id=person.id,
        )
        tx.audit("own.wrote", patient_id=person.id, by=own.patient.id)
        tx.tell("reply", patient_id=person.id)
        return True

    return in_transaction(desk, WORKER, write)


def said_both_ways(connection: Connection, person: Patient) -> list[Line]:
    """The oldest first."""
    return [
        line
        for line in conversation(connection, person)
        if not line.ours or (line.message is not None and line.message.event in _SHOWN)
    ]

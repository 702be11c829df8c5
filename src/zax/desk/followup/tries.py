"""Tries to reach somebody: noted with how, outcome and initials, about everything they were about at once.
One noted by mistake is taken back and stays readable.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from zax.core.errors import NotFound, Refused
from zax.core.followup.attempts import OUTCOME_WORDS, Outcome
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.followup.reasons_why import LONGEST
from zax.store.followup import tries as stored
from zax.store.patients.patients import patient_of

HOW = {
    "call": "called",
    "text": "texted",
    "email": "emailed",
    "letter": "wrote a letter",
    "front": "spoke in person",
}


@act("book")
def note_try(
    tx: Transaction, patient_id: int, about: Sequence[str], how: str, outcome: str, note: str = ""
) -> int:
    """Somebody tried to reach them; the try's id. `about` names what it was about, such as "recall-7"."""
    if patient_of(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    return write_try(tx, patient_id, about, how, outcome, note)


def write_try(
    tx: Transaction,
    patient_id: int,
    about: Sequence[str],
    how: str,
    outcome: str,
    note: str = "",
    *,
    again_on: date | None = None,
    again_words: str = "",
) -> int:
    """Inside another act; `again_on` is the day they asked for. Refused beside `outcome` and `note`."""
    if how not in HOW or outcome not in list(Outcome):
        raise Refused("Say how it went.", "outcome")
    if len(note.strip()) > LONGEST:
        raise Refused(f"Keep the note to {LONGEST} characters.", "note")
    made = stored.add_try(
        tx.connection,
        patient_id,
        how=how,
        outcome=outcome,
        note=note.strip(),
        about=list(about),
        at=tx.now,
        by_id=tx.actor.id,
        again_on=again_on,
        again_words=again_words,
    )
    tx.audit("contact.tried", patient_id=patient_id, words=f"{HOW[how]}, {OUTCOME_WORDS[Outcome(outcome)]}")
    tx.tell("patient", patient_id=patient_id)
    return made


@act("book")
def undo_try(tx: Transaction, try_id: int) -> None:
    """It was noted by mistake."""
    row = stored.hold_try(tx.connection, try_id)
    if row is None:
        raise NotFound("There is no such try.")
    if row.undone_at is None and tx.actor.id is not None:
        stored.undo_try(tx.connection, try_id, tx.now, tx.actor.id)
        tx.audit("contact.undone", patient_id=row.patient_id, try_id=try_id)
        tx.tell("patient", patient_id=row.patient_id)

"""Flags and notes on a patient: set and ended, never deleted, each with who and when."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.form import Form, Tick, a_day_or_none
from zax.core.patients.flags import Flag
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store.patients import notes as stored

LONGEST_NOTE = 500


@act("patients")
def set_flag(tx: Transaction, patient_id: int, flag_id: int) -> None:
    """Put a flag on a patient; twice is once."""
    locked_patient(tx, patient_id)
    flag = tx.clinic.flags.get(flag_id)
    if flag is None or not flag.active:
        raise Refused("Choose a flag from the list.", "flag_id")
    if any(each.flag_id == flag_id for each in stored.flags_of(tx.connection, patient_id)):
        return
    stored.add_flag(tx.connection, patient_id, flag_id, tx.now, tx.actor.id)
    tx.audit("patient.flag", patient_id=patient_id, changed={"flag": ["", flag.words]})
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def end_flag(tx: Transaction, patient_id: int, flag_id: int) -> None:
    if stored.end_flag(tx.connection, patient_id, flag_id, tx.now):
        tx.audit(
            "patient.flag", patient_id=patient_id, changed={"flag": [tx.clinic.flags[flag_id].words, ""]}
        )
        tx.tell("patient", patient_id=patient_id)


class NoteForm(Form):
    """A note, pinned or not, shown until a day if one is given."""

    note: str = ""
    pinned: Tick = False
    until: Annotated[date | None, a_day_or_none("Choose the day from the calendar.")] = None


@act("patients")
def add_note(tx: Transaction, patient_id: int, form: NoteForm) -> int:
    """A new note; its id."""
    return put_note(tx, patient_id, form)


def put_note(tx: Transaction, patient_id: int, form: NoteForm) -> int:
    """The same within an act."""
    locked_patient(tx, patient_id)
    kept = " ".join(form.note.split())
    if not kept:
        raise Refused("Write the note first.", "note")
    if len(kept) > LONGEST_NOTE:
        raise Refused(f"A note has at most {LONGEST_NOTE} letters; this has {len(kept)}.", "note")
    if form.until is not None and form.until < tx.clinic_day:
        raise Refused("That day is over. Leave it empty for a note that stays.", "until")
    note_id = stored.add_note(
        tx.connection,
        patient_id=patient_id,
        words=kept,
        pinned=form.pinned,
        until_day=form.until,
        at=tx.now,
        by_id=tx.actor.id,
    )
    tx.audit("patient.note", patient_id=patient_id, changed={"note": ["", kept]})
    tx.tell("patient", patient_id=patient_id)
    return note_id


@act("patients")
def end_note(tx: Transaction, patient_id: int, note_id: int) -> None:
    row = stored.note_for_update(tx.connection, patient_id, note_id)
    if row is None:
        raise NotFound("There is no such note.")
    if row.ended_at is None:
        stored.end_note(tx.connection, note_id, tx.now, tx.actor.id)
        tx.audit("patient.note", patient_id=patient_id, changed={"note": [row.words, ""]})
        tx.tell("patient", patient_id=patient_id)


@act("setup")
def save_flag(tx: Transaction, flag_id: int, words: str, warns: bool, active: bool) -> int:
    """A flag of the clinic's own; words may change, a flag in use stays on its patients."""
    kept = " ".join(words.split())
    if not 2 <= len(kept) <= 40:
        raise Refused("A flag is 2 to 40 letters, such as “Cash only”.", "words")
    if any(each.words.lower() == kept.lower() and each.id != flag_id for each in tx.clinic.flags.values()):
        raise Conflict(f"There’s already a flag “{kept}”.", "words")
    before = tx.clinic.flags.get(flag_id)
    position = before.position if before else len(tx.clinic.flags) + 1
    flag_id = stored.save_flag(tx.connection, Flag(flag_id, kept, warns, active, position))
    tx.change_setup("setup.flag", words=kept)
    return flag_id

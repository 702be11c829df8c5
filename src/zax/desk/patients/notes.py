"""Flags and notes on a patient: set and ended, never deleted, each with who and when."""

from __future__ import annotations

from datetime import date
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError

from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store import schema

LONGEST_NOTE = 500


def flags_of(connection: Any, patient_id: int) -> list[Any]:
    f, k = schema.flag, schema.patient_flag
    query = select(k.c.id, k.c.flag_id, f.c.words, f.c.warns).join(f, f.c.id == k.c.flag_id)
    return list(
        connection.execute(query.where(k.c.patient_id == patient_id, k.c.ended_at.is_(None)).order_by(f.c.position))
    )


def notes_of(connection: Any, patient_id: int, today: date) -> list[Any]:
    """Pinned first, then the newest; those whose day has passed are left out."""
    n, u = schema.patient_note, schema.user
    query = select(n, u.c.name.label("by_name")).join(u, u.c.id == n.c.by_id, isouter=True)
    query = query.where(
        n.c.patient_id == patient_id, n.c.ended_at.is_(None), n.c.until_day.is_(None) | (n.c.until_day >= today)
    )
    return list(connection.execute(query.order_by(n.c.pinned.desc(), n.c.id.desc())))


@act("patients")
def set_flag(tx: Transaction, patient_id: int, flag_id: int) -> None:
    """Put a flag on a patient; twice is once."""
    locked_patient(tx, patient_id)
    flag = tx.clinic.flags.get(flag_id)
    if flag is None or not flag.active:
        raise Refused("Choose a flag from the list.", "flag_id")
    if any(each.flag_id == flag_id for each in flags_of(tx.connection, patient_id)):
        return
    tx.add(schema.patient_flag, patient_id=patient_id, flag_id=flag_id, at=tx.now, by_id=tx.actor.id)
    tx.audit("patient.flag", patient_id=patient_id, changed={"flag": ["", flag.words]})
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def end_flag(tx: Transaction, patient_id: int, flag_id: int) -> None:
    k = schema.patient_flag
    done = tx.connection.execute(
        update(k)
        .where(k.c.patient_id == patient_id, k.c.flag_id == flag_id, k.c.ended_at.is_(None))
        .values(ended_at=tx.now)
    )
    if done.rowcount:
        tx.audit("patient.flag", patient_id=patient_id, changed={"flag": [tx.clinic.flags[flag_id].words, ""]})
        tx.tell("patient", patient_id=patient_id)


@act("patients")
def add_note(tx: Transaction, patient_id: int, words: str, pinned: bool, until: str) -> int:
    """A note, pinned or not, shown until a day if one is given; its id."""
    locked_patient(tx, patient_id)
    kept = " ".join(words.split())
    if not kept:
        raise Refused("Write the note first.", "note")
    if len(kept) > LONGEST_NOTE:
        raise Refused(f"A note has at most {LONGEST_NOTE} letters; this has {len(kept)}.", "note")
    try:
        last = date.fromisoformat(until) if until else None
    except ValueError:
        raise Refused("Choose the day from the calendar.", "until") from None
    if last is not None and last < tx.now.date():
        raise Refused("That day is over. Leave it empty for a note that stays.", "until")
    note_id = tx.add(
        schema.patient_note, patient_id=patient_id, words=kept, pinned=pinned, until_day=last, at=tx.now, by_id=tx.actor.id,
    )  # fmt: skip
    tx.audit("patient.note", patient_id=patient_id, changed={"note": ["", kept]})
    tx.tell("patient", patient_id=patient_id)
    return note_id


@act("patients")
def end_note(tx: Transaction, patient_id: int, note_id: int) -> None:
    n = schema.patient_note
    row = tx.one(select(n).where(n.c.id == note_id, n.c.patient_id == patient_id).with_for_update())
    if row is None:
        raise NotFound("There is no such note.")
    if row.ended_at is None:
        tx.connection.execute(update(n).where(n.c.id == note_id).values(ended_at=tx.now, ended_by=tx.actor.id))
        tx.audit("patient.note", patient_id=patient_id, changed={"note": [row.words, ""]})
        tx.tell("patient", patient_id=patient_id)


@act("setup")
def save_flag(tx: Transaction, flag_id: int, words: str, warns: bool, active: bool) -> int:
    """A flag of the clinic's own; words may change, a flag in use stays on its patients."""
    kept = " ".join(words.split())
    if not 2 <= len(kept) <= 40:
        raise Refused("A flag is 2 to 40 letters, such as “Cash only”.", "words")
    f = schema.flag
    values = {"words": kept, "warns": warns, "active": active}
    if any(each.words.lower() == kept.lower() and each.id != flag_id for each in tx.clinic.flags.values()):
        raise Conflict(f"There is a flag “{kept}” already.", "words")
    try:
        if flag_id:
            tx.connection.execute(update(f).where(f.c.id == flag_id).values(**values))
        else:
            flag_id = tx.add(f, position=len(tx.clinic.flags) + 1, **values)
    except IntegrityError as error:
        raise Conflict("This flag cannot be kept. Try again.", "words") from error
    tx.change_setup("setup.flag", words=kept)
    return flag_id

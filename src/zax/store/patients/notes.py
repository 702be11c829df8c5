"""Reading and writing what is put on a patient: flags and notes."""

from __future__ import annotations

from datetime import date, datetime

from sqlalchemy import Connection, null, or_, select, update

from zax.core.patients.flags import Flag
from zax.store.patients.records import PatientFlag, PatientNote
from zax.store.patients.tables import flag, patient_flag, patient_note
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one


def flags_of(connection: Connection, patient_id: int) -> list[PatientFlag]:
    """The flags that are on a patient, in the clinic's order."""
    query = (
        select(patient_flag.c.id, patient_flag.c.flag_id, flag.c.words, flag.c.warns)
        .join(flag, flag.c.id == patient_flag.c.flag_id)
        .where(patient_flag.c.patient_id == patient_id, patient_flag.c.ended_at.is_(None))
        .order_by(flag.c.position)
    )
    return many(connection, query, PatientFlag)


def add_flag(connection: Connection, patient_id: int, flag_id: int, at: datetime, by_id: int | None) -> None:
    add(connection, patient_flag, patient_id=patient_id, flag_id=flag_id, at=at, by_id=by_id)


def end_flag(connection: Connection, patient_id: int, flag_id: int, at: datetime) -> bool:
    """Whether it was on the patient."""
    on = (
        patient_flag.c.patient_id == patient_id,
        patient_flag.c.flag_id == flag_id,
        patient_flag.c.ended_at.is_(None),
    )
    return bool(connection.execute(update(patient_flag).where(*on).values(ended_at=at)).rowcount)


def save_flag(connection: Connection, kept: Flag) -> int:
    """A flag of the clinic's list; `id` 0 makes one. Its id."""
    values = {"words": kept.words, "warns": kept.warns, "active": kept.active}
    if not kept.id:
        return add(connection, flag, position=kept.position, **values)
    change(connection, flag, kept.id, **values)
    return kept.id


def notes_of(connection: Connection, patient_id: int, today: date) -> list[PatientNote]:
    """Pinned first, then the newest; those whose day has passed are left out."""
    n = patient_note
    query = (
        select(n, user.c.name.label("by_name"))
        .join(user, user.c.id == n.c.by_id, isouter=True)
        .where(n.c.patient_id == patient_id, n.c.ended_at.is_(None))
        .where(or_(n.c.until_day.is_(None), n.c.until_day >= today))
        .order_by(n.c.pinned.desc(), n.c.id.desc())
    )
    return many(connection, query, PatientNote)


def note_for_update(connection: Connection, patient_id: int, note_id: int) -> PatientNote | None:
    n = patient_note
    query = select(n, null().label("by_name")).where(n.c.id == note_id, n.c.patient_id == patient_id)
    return one(connection, query.with_for_update(), PatientNote)


def add_note(
    connection: Connection,
    *,
    patient_id: int,
    words: str,
    pinned: bool,
    until_day: date | None,
    at: datetime,
    by_id: int | None,
) -> int:
    return add(
        connection,
        patient_note,
        patient_id=patient_id,
        words=words,
        pinned=pinned,
        until_day=until_day,
        at=at,
        by_id=by_id,
    )


def end_note(connection: Connection, note_id: int, at: datetime, by_id: int | None) -> None:
    change(connection, patient_note, note_id, ended_at=at, ended_by=by_id)

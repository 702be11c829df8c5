"""Files and photos of a patient: recognised, kept by content, listed with kind, day and who; taken away by ending, never by deleting."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select, update

from zax.core.errors import NotFound, Refused
from zax.core.patients.uploads import KINDS, Cut, portrait, recognise
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store import schema
from zax.store.files import FileStore


def files_of(connection: Any, patient_id: int) -> list[Any]:
    f, u = schema.patient_file, schema.user
    query = select(f, u.c.name.label("by_name")).join(u, u.c.id == f.c.by_id, isouter=True)
    return list(
        connection.execute(query.where(f.c.patient_id == patient_id, f.c.ended_at.is_(None)).order_by(f.c.id.desc()))
    )


@act("patients")
def keep_file(
    tx: Transaction,
    store: FileStore,
    patient_id: int,
    kind: str,
    name: str,
    content: bytes,
    coverage_id: int | None = None,
) -> int:
    """Keep a file; its id. Refused beside `file` or `kind`."""
    locked_patient(tx, patient_id)
    if kind not in KINDS:
        raise Refused("Choose what it is.", "kind")
    media = recognise(content)
    c = schema.coverage
    if coverage_id and tx.one(select(c.c.id).where(c.c.id == coverage_id, c.c.patient_id == patient_id)) is None:
        raise NotFound("This patient has no such coverage.")
    shown = " ".join("".join(ch for ch in name.replace("\\", "/").split("/")[-1] if ch.isprintable()).split())[-120:]
    file_id = tx.add(
        schema.patient_file, patient_id=patient_id, coverage_id=coverage_id, kind=kind, name=shown or KINDS[kind], digest=store.put(content), media=media,
        bytes=len(content), at=tx.now, by_id=tx.actor.id,
    )  # fmt: skip
    tx.audit("patient.file", patient_id=patient_id, file_id=file_id, changed={"file": ["", KINDS[kind]]})
    tx.tell("patient", patient_id=patient_id)
    return file_id


@act("patients")
def end_file(tx: Transaction, patient_id: int, file_id: int) -> None:
    """Out of the list; the content stays where it is."""
    f = schema.patient_file
    row = tx.one(select(f).where(f.c.id == file_id, f.c.patient_id == patient_id).with_for_update())
    if row is None:
        raise NotFound("There is no such file.")
    tx.connection.execute(update(f).where(f.c.id == file_id).values(ended_at=tx.now, ended_by=tx.actor.id))
    tx.audit(
        "patient.file", patient_id=patient_id, file_id=file_id, changed={"file": [KINDS.get(row.kind, row.kind), ""]}
    )
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def put_file_back(tx: Transaction, patient_id: int, file_id: int) -> None:
    """Undo `end_file`."""
    f = schema.patient_file
    tx.connection.execute(
        update(f).where(f.c.id == file_id, f.c.patient_id == patient_id).values(ended_at=None, ended_by=None)
    )
    tx.audit("patient.file", patient_id=patient_id, file_id=file_id, changed={"file": ["", "back"]})
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def set_photo(tx: Transaction, store: FileStore, patient_id: int, content: bytes, cut: Cut) -> None:
    """The patient's portrait, from a file or the camera."""
    row = locked_patient(tx, patient_id)
    digest = store.put(portrait(content, cut))
    tx.connection.execute(
        update(schema.patient).where(schema.patient.c.id == row.id).values(photo=digest, version=row.version + 1)
    )
    tx.audit("patient.photo", patient_id=patient_id, changed={"photo": ["", "a new one"]})
    tx.tell("patient", patient_id=patient_id)


def one_file(connection: Any, file_id: int) -> Any:
    f = schema.patient_file
    row = connection.execute(select(f).where(f.c.id == file_id, f.c.ended_at.is_(None))).first()
    if row is None:
        raise NotFound("There is no such file.")
    return row

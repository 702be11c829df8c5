"""Files and photos of a patient: recognized, kept by content, listed with kind, day and who; taken away by
ending, never by deleting.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from zax.core.errors import NotFound, Refused
from zax.core.patients.uploads import KINDS, Cut, portrait, recognize
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.patients.details import locked_patient
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.patients import files as stored
from zax.store.patients.patients import save_patient
from zax.store.patients.records import PatientFile


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
    return put_file(tx, store, patient_id, kind, name, content, coverage_id)


def put_file(
    tx: Transaction,
    store: FileStore,
    patient_id: int,
    kind: str,
    name: str,
    content: bytes,
    coverage_id: int | None = None,
    at: datetime | None = None,
) -> int:
    """The same within an act; `at` (UTC) for one that was made earlier."""
    locked_patient(tx, patient_id)
    if kind not in KINDS:
        raise Refused("Choose the type.", "kind")
    media = recognize(content)
    if coverage_id and not stored.has_coverage(tx.connection, patient_id, coverage_id):
        raise NotFound("This patient has no such coverage.")
    shown = " ".join(
        "".join(ch for ch in name.replace("\\", "/").split("/")[-1] if ch.isprintable()).split()
    )[-120:]
    file_id = stored.add_file(
        tx.connection,
        patient_id=patient_id,
        coverage_id=coverage_id,
        kind=kind,
        name=shown or KINDS[kind],
        digest=store.put(content),
        media=media,
        size=len(content),
        at=at or tx.now,
        by_id=tx.actor.id,
    )
    tx.audit("patient.file", patient_id=patient_id, file_id=file_id, changed={"file": ["", KINDS[kind]]})
    tx.tell("patient", patient_id=patient_id)
    return file_id


@act("patients")
def end_file(tx: Transaction, patient_id: int, file_id: int) -> None:
    """Out of the list; the content stays where it is."""
    row = stored.file_for_update(tx.connection, patient_id, file_id)
    if row is None:
        raise NotFound("There is no such file.")
    stored.end_file(tx.connection, file_id, tx.now, tx.actor.id)
    tx.audit(
        "patient.file",
        patient_id=patient_id,
        file_id=file_id,
        changed={"file": [KINDS.get(row.kind, row.kind), ""]},
    )
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def put_file_back(tx: Transaction, patient_id: int, file_id: int) -> None:
    """Undo `end_file`."""
    stored.put_file_back(tx.connection, patient_id, file_id)
    tx.audit("patient.file", patient_id=patient_id, file_id=file_id, changed={"file": ["", "back"]})
    tx.tell("patient", patient_id=patient_id)


@act("patients")
def set_photo(tx: Transaction, store: FileStore, patient_id: int, content: bytes, cut: Cut) -> None:
    """The patient's portrait, from a file or the camera."""
    row = locked_patient(tx, patient_id)
    digest = store.put(portrait(content, cut))
    save_patient(tx.connection, row, replace(row, photo=digest, version=row.version + 1))
    tx.audit("patient.photo", patient_id=patient_id, changed={"photo": ["", "a new one"]})
    tx.tell("patient", patient_id=patient_id)


def one_file(connection: Connection, file_id: int) -> PatientFile:
    """NotFound for one that is not there or was taken away."""
    row = stored.file_of(connection, file_id)
    if row is None:
        raise NotFound("There is no such file.")
    return row

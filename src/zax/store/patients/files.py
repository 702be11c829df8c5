"""Reading and writing the list of a patient's files; their content lies in the file store."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Select, null, select, update

from zax.store.patients.records import PatientFile
from zax.store.patients.tables import patient_file
from zax.store.people.tables import user
from zax.store.rows import add, many, one
from zax.store.schema import coverage

_f = patient_file


def _with_name() -> Select[Any]:
    return select(_f, user.c.name.label("by_name")).join(user, user.c.id == _f.c.by_id, isouter=True)


def files_of(connection: Connection, patient_id: int) -> list[PatientFile]:
    """The newest first."""
    query = (
        _with_name().where(_f.c.patient_id == patient_id, _f.c.ended_at.is_(None)).order_by(_f.c.id.desc())
    )
    return many(connection, query, PatientFile)


def file_of(connection: Connection, file_id: int) -> PatientFile | None:
    return one(connection, _with_name().where(_f.c.id == file_id, _f.c.ended_at.is_(None)), PatientFile)


def has_file(connection: Connection, patient_id: int, digest: str) -> bool:
    """Whether the patient's record holds this very content."""
    query = select(_f.c.id).where(
        _f.c.patient_id == patient_id, _f.c.digest == digest, _f.c.ended_at.is_(None)
    )
    return connection.execute(query.limit(1)).first() is not None


def file_for_update(connection: Connection, patient_id: int, file_id: int) -> PatientFile | None:
    """Also one that was taken away."""
    query = select(_f, null().label("by_name")).where(_f.c.id == file_id, _f.c.patient_id == patient_id)
    return one(connection, query.with_for_update(), PatientFile)


def add_file(
    connection: Connection,
    *,
    patient_id: int,
    coverage_id: int | None,
    kind: str,
    name: str,
    digest: str,
    media: str,
    size: int,
    at: datetime,
    by_id: int | None,
) -> int:
    return add(
        connection,
        _f,
        patient_id=patient_id,
        coverage_id=coverage_id,
        kind=kind,
        name=name,
        digest=digest,
        media=media,
        bytes=size,
        at=at,
        by_id=by_id,
    )


def end_file(connection: Connection, file_id: int, at: datetime, by_id: int | None) -> None:
    connection.execute(update(_f).where(_f.c.id == file_id).values(ended_at=at, ended_by=by_id))


def put_file_back(connection: Connection, patient_id: int, file_id: int) -> None:
    mine = (_f.c.id == file_id, _f.c.patient_id == patient_id)
    connection.execute(update(_f).where(*mine).values(ended_at=None, ended_by=None))


def has_coverage(connection: Connection, patient_id: int, coverage_id: int) -> bool:
    query = select(coverage.c.id).where(coverage.c.id == coverage_id, coverage.c.patient_id == patient_id)
    return connection.execute(query).first() is not None

"""How much there is of what a clinic needs for its first days."""

from __future__ import annotations

from sqlalchemy import Connection, func, select

from zax.store.claims.tables import x12_file
from zax.store.patients.tables import patient


def any_patient(connection: Connection) -> int:
    """1 when there is one: they are not counted."""
    return len(connection.execute(select(patient.c.id).limit(1)).all())


def files_sent(connection: Connection) -> int:
    query = select(func.count()).select_from(x12_file).where(x12_file.c.direction == "out")
    return int(connection.execute(query).scalar_one())

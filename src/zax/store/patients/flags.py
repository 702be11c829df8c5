"""Reading the clinic's flags."""

from __future__ import annotations

from sqlalchemy import Connection, select

from zax.core.patients.flags import Flag
from zax.store.patients.tables import flag
from zax.store.rows import many


def flags(connection: Connection) -> dict[int, Flag]:
    return {each.id: each for each in many(connection, select(flag).order_by(flag.c.position), Flag)}

"""Signs of life: when a process or a duty last said that it lives, and where the clock stood."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select
from sqlalchemy.dialects.mysql import insert

from zax.store.rows import one
from zax.store.worker.tables import beat


@dataclass(frozen=True, slots=True)
class Beat:
    """`at` is the system's time, `clock_at` the product's clock, both UTC."""

    at: datetime
    clock_at: datetime


def write_beat(connection: Connection, name: str, at: datetime, clock_at: datetime) -> None:
    values = {"at": at, "clock_at": clock_at}
    connection.execute(insert(beat).values(name=name, **values).on_duplicate_key_update(**values))


def last_beat(connection: Connection, name: str = "worker") -> Beat | None:
    return one(connection, select(beat.c.at, beat.c.clock_at).where(beat.c.name == name), Beat)

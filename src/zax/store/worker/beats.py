"""Signs of life: when a process or a duty last said that it lives, where the clock stood, and how often in a
row it has failed since it last did its work.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, select, update
from sqlalchemy.dialects.mysql import insert

from zax.store.rows import many, one
from zax.store.worker.tables import beat


@dataclass(frozen=True, slots=True)
class Beat:
    """`at` is the system's time, `clock_at` the product's clock, both UTC."""

    at: datetime
    clock_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Failing:
    """A duty that failed `failures` times in a row, first at `failed_at` (product's clock, UTC)."""

    name: str
    failures: int
    failed_at: datetime
    why: str


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a duty stands: the product's clock (UTC) when it was last begun, and how often in a row it failed
    since it last did its work.
    """

    name: str
    clock_at: datetime
    failures: int


def write_beat(connection: Connection, name: str, at: datetime, clock_at: datetime) -> None:
    values = {"at": at, "clock_at": clock_at}
    connection.execute(insert(beat).values(name=name, **values).on_duplicate_key_update(**values))


def last_beat(connection: Connection, name: str = "worker") -> Beat | None:
    return one(connection, select(beat.c.at, beat.c.clock_at).where(beat.c.name == name), Beat)


def note_failure(connection: Connection, name: str, at: datetime, clock_at: datetime, why: str) -> None:
    """One more in a row."""
    first = {"at": at, "clock_at": clock_at, "failures": 1, "failed_at": clock_at, "why": why[:200]}
    again = [
        ("at", at),
        ("clock_at", clock_at),
        ("failed_at", func.coalesce(beat.c.failed_at, clock_at)),
        ("failures", beat.c.failures + 1),
        ("why", why[:200]),
    ]
    connection.execute(insert(beat).values(name=name, **first).on_duplicate_key_update(again))


def note_success(connection: Connection, name: str) -> None:
    """It did its work: what failed before is over."""
    well = {"failures": 0, "failed_at": None, "why": ""}
    connection.execute(update(beat).where(beat.c.name == name, beat.c.failures > 0).values(**well))


_STANDING = select(beat.c.name, beat.c.clock_at, beat.c.failures)


def standings(connection: Connection) -> dict[str, Standing]:
    """By name."""
    return {each.name: each for each in many(connection, _STANDING, Standing)}


def standing(connection: Connection, name: str) -> Standing | None:
    return one(connection, _STANDING.where(beat.c.name == name), Standing)


def failing(connection: Connection, times: int) -> list[Failing]:
    """Every duty that failed so often in a row, the longest first."""
    query = select(beat).where(beat.c.failures >= times).order_by(beat.c.failed_at)
    return many(connection, query, Failing)

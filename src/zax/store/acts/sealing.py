"""The seals over what only grows: who did what, and who looked. A stretch is sealed once its rows have stood
for a while, so that no act that is still running can write among them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, Table, func, insert, select

from zax.core.acts.chain import START, Seal
from zax.store.acts.tables import audit, audit_seal
from zax.store.columns import metadata
from zax.store.rows import many

BATCH = 5_000
# By the name of the table: its columns in the order in which they are summed up.
SEALED: Mapping[str, Sequence[str]] = {
    "audit": ("id", "at", "by_id", "act", "patient_id", "visit_id", "detail"),
    "look": ("id", "at", "user_id", "patient_id", "screen"),
}


def table_of(name: str) -> Table:
    """Who looked is another area's table: it is known by its name."""
    return metadata.tables[name] if name != audit.name else audit


def seals(connection: Connection, name: str) -> list[Seal]:
    """Oldest first."""
    query = select(audit_seal).where(audit_seal.c.name == name).order_by(audit_seal.c.id)
    return many(connection, query, Seal)


@dataclass(frozen=True, slots=True)
class LastSeal:
    last_id: int
    digest: str


def last_seal(connection: Connection, name: str) -> LastSeal:
    """Of one that waits for whoever seals at this moment."""
    query = (
        select(audit_seal.c.last_id, audit_seal.c.digest)
        .where(audit_seal.c.name == name)
        .order_by(audit_seal.c.id.desc())
        .limit(1)
        .with_for_update()
    )
    row = connection.execute(query).first()
    return LastSeal(int(row.last_id), str(row.digest)) if row else LastSeal(0, START)


def newest_before(connection: Connection, name: str, after_id: int, until: datetime) -> int:
    """The last row that is old enough and has no younger one before it; 0 for none. `until` is UTC."""
    table = table_of(name)
    younger = connection.execute(
        select(func.min(table.c.id)).where(table.c.id > after_id, table.c.at > until)
    ).scalar()
    query = select(func.max(table.c.id)).where(table.c.id > after_id)
    if younger is not None:
        query = query.where(table.c.id < younger)
    return int(connection.execute(query).scalar() or 0)


def rows_between(connection: Connection, name: str, after_id: int, last_id: int) -> Iterator[list[object]]:
    """Every row after the one up to the other, in order, as it is summed up."""
    table = table_of(name)
    columns = [table.c[each] for each in SEALED[name]]
    while after_id < last_id:
        query = (
            select(*columns)
            .where(table.c.id > after_id, table.c.id <= last_id)
            .order_by(table.c.id)
            .limit(BATCH)
        )
        found = connection.execute(query).all()
        if not found:
            return
        for row in found:
            yield [each.isoformat() if isinstance(each, datetime) else each for each in row]
        after_id = int(found[-1][0])


def add_seal(connection: Connection, name: str, seal: Seal, at: datetime) -> None:
    values = {"name": name, "last_id": seal.last_id, "rows": seal.rows, "digest": seal.digest, "at": at}
    connection.execute(insert(audit_seal).values(**values))


def newest_id(connection: Connection, name: str) -> int:
    return int(connection.execute(select(func.coalesce(func.max(table_of(name).c.id), 0))).scalar_one())

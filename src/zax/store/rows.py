"""How rows leave this floor and come back: as frozen dataclasses, built by the names of the columns that a
statement selects.

A statement may select more than the record holds; a field that it does not select is an error at the first
row, so a record can never be filled by position with somebody else's column.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import fields
from functools import lru_cache
from typing import Any, Protocol, TypeVar, cast

from sqlalchemy import Connection, Executable, Table, func, insert, select, update

from zax.core.errors import NotFound, Stale

Record = TypeVar("Record")


class Kept(Protocol):
    """A record of a row that has an id."""

    @property
    def id(self) -> int: ...


def many(connection: Connection, statement: Executable, kind: type[Record], **values: object) -> list[Record]:
    """Every row of the statement as a `kind`, in the statement's order. `values` fill its parameters."""
    result = connection.execute(statement, values)
    make = _maker(cast(Any, kind), tuple(result.keys()))
    return [make(row) for row in result]


def one(connection: Connection, statement: Executable, kind: type[Record], **values: object) -> Record | None:
    """The first row as a `kind`; None when there is none."""
    result = connection.execute(statement, values)
    row = result.first()
    return None if row is None else _maker(cast(Any, kind), tuple(result.keys()))(row)


def add(connection: Connection, table: Table, **values: object) -> int:
    """A new row; its id."""
    key = connection.execute(insert(table).values(**values)).inserted_primary_key
    assert key is not None
    return int(key[0])


def change(connection: Connection, table: Table, row_id: int, **values: object) -> None:
    """Set some columns of one row."""
    connection.execute(update(table).where(table.c.id == row_id).values(**values))


def save(connection: Connection, table: Table, before: Kept, after: Kept) -> None:
    """Write what differs between two states of one row; both are records with its id (`dataclasses.replace`
    makes the second).
    """
    names = (each.name for each in fields(after))  # type: ignore[arg-type]
    changed = {name: getattr(after, name) for name in names if getattr(after, name) != getattr(before, name)}
    if changed:
        change(connection, table, before.id, **changed)


def keep(
    connection: Connection, table: Table, row_id: int, version: int, values: Mapping[str, object], what: str
) -> int:
    """A row of the setup as it is kept now; `row_id` 0 makes one, at the end where rows have an order. Its
    id.

    Raises NotFound, and Stale when its version is no longer the one that the form was filled in from. `what`
    is its word for people.
    """
    if not row_id:
        return add(connection, table, **values, **at_end(connection, table))
    row = connection.execute(select(table.c.version).where(table.c.id == row_id).with_for_update()).first()
    if row is None:
        raise NotFound(f"There is no such {what}.")
    if row.version != version:
        raise Stale(f"Someone changed this {what} since you opened it. Check it again, then save.")
    change(connection, table, row_id, **values, version=row.version + 1)
    return row_id


def sql_list(states: Iterable[str]) -> str:
    """A named set of core as SQL writes it, such as (left, settled) in quotes. For constants of core only,
    never for what somebody typed.
    """
    return "(" + ", ".join(f"'{state}'" for state in sorted(states)) + ")"


def put_in_order(connection: Connection, table: Table, ids: Iterable[int]) -> None:
    """Rows that have a position, in this order."""
    for position, number in enumerate(ids, 1):
        change(connection, table, number, position=position)


def at_end(connection: Connection, table: Table) -> dict[str, int]:
    """The position of a new row where rows have an order; nothing where they have none."""
    if "position" not in table.c:
        return {}
    last = connection.execute(select(func.coalesce(func.max(table.c.position), 0))).scalar_one()
    return {"position": int(last) + 1}


@lru_cache(maxsize=1024)
def _maker(kind: Callable[..., Any], keys: tuple[str, ...]) -> Callable[[Sequence[Any]], Any]:
    """A function that makes one record, written out once a statement: a day has hundreds of rows of thirty
    columns.
    """
    wanted = [each.name for each in fields(kind) if each.init]  # type: ignore[arg-type]
    missing = [name for name in wanted if name not in keys]
    if missing:
        raise TypeError(f"{kind.__name__} needs {', '.join(missing)}, which the statement does not select")
    given = ", ".join(f"{name}=row[{keys.index(name)}]" for name in wanted)
    made: Callable[[Sequence[Any]], Any] = eval(f"lambda row: kind({given})", {"kind": kind})
    return made

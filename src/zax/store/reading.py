"""How rows leave this floor: as frozen dataclasses, built by the names of the columns that a statement selects.

A statement may select more than the record holds; a field that it does not select is an error at the first row, so a record can never
be filled by position with somebody else's column.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import fields
from functools import lru_cache
from typing import Any, TypeVar, cast

from sqlalchemy import Connection, Executable

Record = TypeVar("Record")


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


@lru_cache(maxsize=1024)
def _maker(kind: Callable[..., Any], keys: tuple[str, ...]) -> Callable[[Sequence[Any]], Any]:
    """A function that makes one record, written out once a statement: a day has hundreds of rows of thirty columns."""
    wanted = [each.name for each in fields(kind) if each.init]  # type: ignore[arg-type]
    missing = [name for name in wanted if name not in keys]
    if missing:
        raise TypeError(f"{kind.__name__} needs {', '.join(missing)}, which the statement does not select")
    given = ", ".join(f"{name}=row[{keys.index(name)}]" for name in wanted)
    made: Callable[[Sequence[Any]], Any] = eval(f"lambda row: kind({given})", {"kind": kind})
    return made

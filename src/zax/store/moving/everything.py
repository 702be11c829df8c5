"""Every row of every table, as text, on its way out and in again. What opens doors stays here: passwords,
links, sessions, secrets of cards and devices; so does what only this machine needs, and what waits to be
sent, which would otherwise go out twice.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, datetime
from itertools import islice

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Connection,
    Date,
    DateTime,
    Integer,
    MetaData,
    Table,
    Text,
    func,
    insert,
    select,
    text,
)
from sqlalchemy.types import TypeEngine

from zax.core.table import Cell
from zax.store import schema

LEFT_OUT: Mapping[str, str] = {
    "session": "who is signed in",
    "user_link": "invitations and reset links",
    "recovery_code": "recovery codes",
    "passkey": "passkeys, which are good at one address",
    "sign_in_try": "tries to sign in",
    "own_session": "patients who are signed in",
    "own_login": "patients’ passwords",
    "online_try": "tries on patients’ pages",
    "tablet": "tablets at the door, which are linked anew",
    "tablet_stay": "who stood at a tablet",
    "calendar_feed": "secret addresses of calendars",
    "outbox": "what waits to be sent, so that nothing goes out twice",
    "form_done": "forms that were sent, so that none is sent twice",
    "feed": "what wakes open screens",
    "beat": "the helper’s clock",
    "archive": "archives that were made",
    "call_lock": "who has a call open",
    "inbox_lock": "who has an item open",
    "diagnosis_code": "the book of diagnoses, which comes with Zax",
}
# Columns whose content stays here.
BLANKED: Mapping[str, tuple[str, ...]] = {
    "user": ("password_hash", "pin_hash", "second_sealed", "second_at"),
    "card_on_file": ("token",),
    "online_code": ("code", "device"),
    "patient": ("ssn_cipher",),
}
NULL = "\\N"
_MANY = 1000


def tables() -> list[str]:
    """The tables that go out, so that none comes before one it points to."""
    return [each.name for each in schema.metadata.sorted_tables if each.name not in LEFT_OUT]


def columns_of(name: str) -> list[str]:
    return [each.name for each in _raw(name).columns]


def rows_of(connection: Connection, name: str) -> Iterator[list[Cell]]:
    """All rows in the order of their keys: whole numbers, and all else as text."""
    table = _raw(name)
    query = select(table).order_by(*table.primary_key.columns)
    if name == "setting":
        # The gateway's secret, and what opens the doors.
        query = query.where(table.c.name != "gateway", table.c.name.not_like(r"door\_%"))
    blank = BLANKED.get(name, ())
    for row in connection.execute(query, execution_options={"yield_per": _MANY}):
        yield [
            (NULL if column.nullable else "") if column.name in blank else _cell(value)
            for column, value in zip(table.columns, row, strict=True)
        ]


def add_rows(connection: Connection, name: str, columns: Sequence[str], rows: Iterable[Sequence[str]]) -> int:
    """Rows as `rows_of` gave them, into an empty table; how many. ValueError for a cell that is none of its
    column, KeyError for a column that is not there.
    """
    table, count = _raw(name), 0
    kinds = [table.c[each].type for each in columns]
    values = (
        {each: _value(cell, kind) for each, cell, kind in zip(columns, row, kinds, strict=True)}
        for row in rows
    )
    while some := list(islice(values, _MANY)):
        connection.execute(insert(table), some)
        count += len(some)
    return count


def is_empty(connection: Connection) -> bool:
    """Whether no clinic lives here: no site, no patient, nobody who signs in."""
    return not any(
        connection.execute(select(func.count()).select_from(schema.metadata.tables[name])).scalar()
        for name in ("site", "patient", "user")
    )


def clear(connection: Connection) -> None:
    """Take away what the migrations brought along, before a whole clinic comes in."""
    for name in reversed(tables()):
        connection.execute(text(f"DELETE FROM `{name}`"))


def without_checks(connection: Connection, off: bool) -> None:
    """While rows come in table by table, one may point to another that comes later."""
    connection.execute(text(f"SET foreign_key_checks={0 if off else 1}"))


def dangling(connection: Connection) -> list[str]:
    """Columns that point to rows which are not there, as 'visit.patient_id'."""
    found = []
    for name in tables():
        for key in schema.metadata.tables[name].foreign_keys:
            here, there = key.parent, key.column
            if there.table.name in LEFT_OUT:
                continue
            query = (
                select(func.count())
                .select_from(here.table)
                .where(here.is_not(None), here.not_in(select(there)))
                if here.table is there.table
                else select(func.count())
                .select_from(here.table.outerjoin(there.table, here == there))
                .where(here.is_not(None), there.is_(None))
            )
            if connection.execute(query).scalar():
                found.append(f"{name}.{here.name}")
    return found


def _raw(name: str) -> Table:
    """The table with JSON as the text it is kept as, and without what the database works out."""
    table = schema.metadata.tables[name]
    return Table(
        name,
        MetaData(),
        *(
            Column(
                each.name,
                Text() if isinstance(each.type, JSON) else each.type,
                primary_key=each.primary_key,
                nullable=each.nullable,
                autoincrement=False,
            )
            for each in table.columns
            if each.computed is None
        ),
    )


def _cell(value: object) -> Cell:
    if value is None:
        return NULL
    if isinstance(value, int):
        return int(value)
    if isinstance(value, (datetime, date)):
        return value.isoformat()
    found = str(value)
    return f"\\{found}" if found.startswith("\\") else found


def _value(cell: str, kind: TypeEngine[object]) -> object:
    if cell == NULL:
        return None
    if isinstance(kind, (Integer, Boolean)):
        return bool(int(cell)) if isinstance(kind, Boolean) else int(cell)
    if isinstance(kind, DateTime):
        return datetime.fromisoformat(cell)
    if isinstance(kind, Date):
        return date.fromisoformat(cell)
    return cell[1:] if cell.startswith("\\") else cell

"""The log of the setup's changes: while an act runs that changes the setup, every row it touches is noted
before and after, whoever writes it and how. So each change can be told in words and turned back, and no page
has to think of it.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from typing import Any, TypeAlias

from sqlalchemy import (
    Connection,
    Date,
    DateTime,
    Delete,
    Insert,
    Table,
    Update,
    and_,
    delete,
    insert,
    select,
    update,
)
from sqlalchemy.exc import IntegrityError

from zax.core.acts.row_changes import RowChange, Values, changes_to
from zax.core.errors import Refused
from zax.store.acts.tables import setup_change
from zax.store.columns import metadata
from zax.store.rows import add

# The tables of the setup. Who signs in is not among them: nobody comes back by an undo.
RECORDED = frozenset(
    {
        "adjustment_rule",
        "arrival_step",
        "closure",
        "discount",
        "fee",
        "fee_schedule",
        "flag",
        "form_template",
        "headsup",
        "notice_rule",
        "out_of_network",
        "payer",
        "payer_norm",
        "payer_rule",
        "plan",
        "planned_fee",
        "product",
        "provider",
        "provider_exception",
        "provider_hours",
        "ready_note",
        "reason",
        "recall_type",
        "record_field",
        "return_reason",
        "role",
        "room",
        "service",
        "service_set",
        "service_set_line",
        "setting",
        "site",
        "stage",
        "tender_kind",
        "visit_type",
        "visit_type_service",
    }
)
_INFO = "zax_setup_log"
_NOT_SETTINGS = ("setup_version", "hold_")
Key: TypeAlias = tuple[str, tuple[object, ...]]


@dataclass(slots=True)
class SetupLog:
    """The rows of one act as they were before it touched them."""

    before: dict[Key, Values | None] = field(default_factory=dict)

    def note(self, table: Table, key: tuple[object, ...], row: Values | None) -> None:
        if table.name == "setting" and str(key[0]).startswith(_NOT_SETTINGS):
            return
        self.before.setdefault((table.name, key), row)


@contextmanager
def recording(connection: Connection) -> Iterator[None]:
    """While an act of the setup runs on this connection."""
    connection.info[_INFO] = SetupLog()
    try:
        yield
    finally:
        connection.info.pop(_INFO, None)


def note_rows(connection: Connection, statement: Any, many_values: Any, values: Any, _options: Any) -> None:
    """Before a statement runs: the rows that it will touch, as they are."""
    log = _log_for(connection, statement)
    if log is None:
        return
    table = statement.table
    if isinstance(statement, (Update, Delete)):
        query = select(table)
        if statement.whereclause is not None:
            query = query.where(statement.whereclause)
        for row in connection.execute(query):
            log.note(table, _key_in(table, row._mapping), _kept(row._mapping))
        return
    given = _given(statement, many_values, values)
    for each in given:
        key = tuple(each.get(column.name) for column in table.primary_key)
        if None not in key:  # the others get their number from the database
            log.note(table, key, _row(connection, table, key))


def note_made(
    connection: Connection, statement: Any, _many: Any, _values: Any, _options: Any, result: Any
) -> None:
    """After an insert: the row that was made."""
    log = _log_for(connection, statement)
    if log is None or not isinstance(statement, Insert) or result.context.executemany:
        return
    key, name = result.inserted_primary_key, str(getattr(statement.table, "name", ""))
    if key is not None and None not in key:
        log.note(metadata.tables[name], tuple(key), None)


def _log_for(connection: Connection, statement: Any) -> SetupLog | None:
    if not isinstance(statement, (Insert, Update, Delete)):
        return None
    if str(getattr(statement.table, "name", "")) not in RECORDED:
        return None
    found = connection.info.get(_INFO)
    return found if isinstance(found, SetupLog) else None


def _given(statement: Insert, many_values: Any, values: Any) -> Sequence[Mapping[str, object]]:
    """The rows of an insert, as far as they are given by value."""
    if many_values:
        return list(many_values)
    own = statement.compile().params
    return [own | (values or {})]


def _key_in(table: Table, row: Mapping[Any, object]) -> tuple[object, ...]:
    return tuple(row[column.name] for column in table.primary_key)


def _plain(value: object) -> object:
    """As JSON keeps it, and as it compares equal when it is read again."""
    if isinstance(value, (datetime, date)):
        return value.isoformat()
    return str(value) if isinstance(value, Decimal) else value


def _kept(row: Mapping[Any, object]) -> Values:
    return {str(name): _plain(value) for name, value in row.items()}


def _at(table: Table, key: Sequence[object]) -> Any:
    return and_(*(column == value for column, value in zip(table.primary_key, key, strict=True)))


def _row(connection: Connection, table: Table, key: Sequence[object]) -> Values | None:
    found = connection.execute(select(table).where(_at(table, key))).first()
    return None if found is None else _kept(found._mapping)


def changes_of(connection: Connection) -> list[RowChange]:
    """What the running act has changed so far."""
    log = connection.info.get(_INFO)
    if not isinstance(log, SetupLog):
        return []
    found = []
    for (name, key), before in log.before.items():
        table = metadata.tables[name]
        after = _row(connection, table, key)
        if before != after:
            names = [column.name for column in table.primary_key]
            found.append(RowChange(name, dict(zip(names, map(_plain, key), strict=True)), before, after))
    return found


def keep_change(
    connection: Connection, *, at: datetime, by_id: int | None, act: str, words: str, changes: list[RowChange]
) -> int:
    return add(
        connection, setup_change, at=at, by_id=by_id, act=act, words=words, changes=changes_to(changes)
    )


def turn_back(
    connection: Connection, change_id: int, changes: Sequence[RowChange], at: datetime, by_id: int | None
) -> None:
    """Every row as it was before. Refused when one of them was changed since, or is in use by now."""
    for each in changes:
        table = metadata.tables[each.table]
        key = _typed_key(table, each.key)
        if _row(connection, table, key) != each.after:
            raise Refused("That was changed again since. Change it on its page instead.")
    try:
        for each in reversed(changes):
            _put_back(connection, each)
    except IntegrityError:
        raise Refused("It’s in use by now. Put it out of use on its page instead.") from None
    connection.execute(
        update(setup_change).where(setup_change.c.id == change_id).values(undone_at=at, undone_by=by_id)
    )


def _put_back(connection: Connection, change: RowChange) -> None:
    table = metadata.tables[change.table]
    where = _at(table, _typed_key(table, change.key))
    if change.before is None:
        connection.execute(delete(table).where(where))
        return
    values = _typed(table, change.before)
    if change.after is None:
        connection.execute(insert(table).values(**values))
        return
    if "version" in values:  # a form that shows what came before the undo is stale
        values["version"] = int(str(change.after["version"])) + 1
    connection.execute(update(table).where(where).values(**values))


def _typed_key(table: Table, key: Values) -> tuple[object, ...]:
    typed = _typed(table, key)
    return tuple(typed[column.name] for column in table.primary_key)


def _typed(table: Table, values: Values) -> dict[str, Any]:
    """As the columns take them; computed ones are the database's."""
    made = {}
    for name, value in values.items():
        column = table.c[name]
        if column.computed is not None:
            continue
        if isinstance(value, str) and isinstance(column.type, DateTime):
            value = datetime.fromisoformat(value)
        elif isinstance(value, str) and isinstance(column.type, Date):
            value = date.fromisoformat(value)
        made[name] = value
    return made

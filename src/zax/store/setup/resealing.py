"""Everything in the database that the vault sealed: found, and sealed anew with another key. Each value is
replaced only where it is still the one that was read, so nothing that is written meanwhile is lost.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import Column, Connection, Table, or_, select, update

from zax.store.schema import outbox, patient, setting, user

# Texts that are sealed as a whole, and maps with one sealed word.
_TEXTS: tuple[tuple[Table, str], ...] = ((user, "second_sealed"), (patient, "ssn_cipher"))
_MAPS: tuple[tuple[Table, str, str], ...] = ((setting, "value", "secret"), (outbox, "payload", "sealed"))
_SEALED_SETTINGS = or_(setting.c.name == "gateway", setting.c.name.like(r"door\_%"))


@dataclass(frozen=True, slots=True)
class SealedValue:
    """One sealed text, and where it stands: a row's key, a column, the word of a map."""

    table: Table
    key: object
    column: str
    word: str
    text: str


def sealed_values(connection: Connection) -> Iterator[SealedValue]:
    """All that is sealed now. Of the outbox only what still waits."""
    for table, name in _TEXTS:
        key, column = _key(table), table.c[name]
        for row in connection.execute(select(key, column).where(column != "")):
            yield SealedValue(table, row[0], name, "", row[1])
    for table, name, word in _MAPS:
        key, column = _key(table), table.c[name]
        query = select(key, column)
        query = (
            query.where(_SEALED_SETTINGS)
            if table is setting
            else query.where(outbox.c.kind == "people_mail", outbox.c.state != "done")
        )
        for row in connection.execute(query):
            text = row[1].get(word) if isinstance(row[1], dict) else None
            if text:
                yield SealedValue(table, row[0], name, word, str(text))


def replace_sealed(connection: Connection, value: SealedValue, text: str) -> bool:
    """Whether it was still there to be replaced."""
    key, column = _key(value.table), value.table.c[value.column]
    row = connection.execute(select(column).where(key == value.key).with_for_update()).first()
    if row is None:
        return False
    if not value.word:
        if row[0] != value.text:
            return False
        new: object = text
    else:
        if not isinstance(row[0], dict) or row[0].get(value.word) != value.text:
            return False
        new = row[0] | {value.word: text}
    connection.execute(update(value.table).where(key == value.key).values({column: new}))
    return True


def _key(table: Table) -> Column[object]:
    (column,) = table.primary_key.columns
    return column

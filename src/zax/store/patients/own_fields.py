"""The clinic's own fields of the record: reading them and keeping one."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import Connection, func, select

from zax.core.patients.own_fields import Needed, OwnField, OwnKind
from zax.store.patients.tables import patient, record_field
from zax.store.rows import add, change, put_in_order


def own_fields(connection: Connection) -> dict[int, OwnField]:
    """All of them in their order, retired ones too."""
    query = select(record_field).order_by(record_field.c.position, record_field.c.id)
    return {
        row.id: OwnField(
            id=row.id,
            name=row.kept_as,
            words=row.words,
            kind=OwnKind(row.kind),
            choices=tuple(row.choices),
            section=row.section,
            needed=Needed(row.needed),
            at_visits=row.at_visits,
            position=row.position,
            active=row.active,
        )
        for row in connection.execute(query)
    }


def save_own_field(connection: Connection, kept: OwnField) -> int:
    """A field of the clinic's list; `id` 0 makes one. Its id."""
    values = {
        "words": kept.words,
        "choices": list(kept.choices),
        "section": kept.section,
        "needed": kept.needed.value,
        "at_visits": kept.at_visits,
        "active": kept.active,
        "position": kept.position,
    }
    if not kept.id:
        return add(connection, record_field, kept_as=kept.name, kind=kept.kind.value, **values)
    change(connection, record_field, kept.id, **values)
    return kept.id


def order_own_fields(connection: Connection, ids: Sequence[int]) -> None:
    put_in_order(connection, record_field, ids)


def counted(connection: Connection, names: Sequence[str]) -> dict[str, int]:
    """In how many records each of the fields is filled in."""
    if not names:
        return {}
    has = [
        func.count(func.nullif(func.json_value(patient.c.own, f"$.{name}"), "")).label(name) for name in names
    ]
    row = connection.execute(select(*has)).one()
    return {name: int(getattr(row, name)) for name in names}

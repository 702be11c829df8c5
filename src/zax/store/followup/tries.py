"""Reading and writing tries to reach a patient; the taken back ones stay readable."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, select

from zax.store.followup.tables import contact_try
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one

_t = contact_try


@dataclass(frozen=True, slots=True, kw_only=True)
class ContactTry:
    """A try to reach a patient; `about` names what it was about, such as "return-12"."""

    id: int
    patient_id: int
    how: str
    outcome: str
    note: str
    about: list[str]
    at: datetime
    by_id: int
    by_name: str
    undone_at: datetime | None
    again_on: date | None
    again_words: str


def add_try(connection: Connection, patient_id: int, **values: Any) -> int:
    return add(connection, _t, patient_id=patient_id, **values)


def _tries() -> Select[Any]:
    return select(_t, user.c.name.label("by_name")).join(user, user.c.id == _t.c.by_id)


def tries_of(connection: Connection, patient_ids: list[int]) -> list[ContactTry]:
    """Tries to reach these people, the oldest first, the undone ones too."""
    query = _tries().where(_t.c.patient_id.in_(patient_ids or [0]))
    return many(connection, query.order_by(_t.c.id), ContactTry)


def hold_try(connection: Connection, try_id: int) -> ContactTry | None:
    connection.execute(select(_t.c.id).where(_t.c.id == try_id).with_for_update()).first()
    return one(connection, _tries().where(_t.c.id == try_id), ContactTry)


def undo_try(connection: Connection, try_id: int, at: datetime, by_id: int) -> None:
    change(connection, _t, try_id, undone_at=at, undone_by=by_id)

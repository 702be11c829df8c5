"""Reading and writing which archives of everything were asked for."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select

from zax.store.moving.tables import archive
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one

_a = archive


@dataclass(frozen=True, slots=True, kw_only=True)
class Archive:
    """As in the table; `by_name` is who asked for it."""

    id: int
    state: str
    done: int
    about: int
    bytes: int
    words: str
    at: datetime
    by_name: str | None
    ended_at: datetime | None


_WITH_NAME = select(_a, user.c.name.label("by_name")).join(user, user.c.id == _a.c.by_id, isouter=True)


def newest(connection: Connection, most: int) -> list[Archive]:
    return many(connection, _WITH_NAME.order_by(_a.c.id.desc()).limit(most), Archive)


def archive_of(connection: Connection, archive_id: int) -> Archive | None:
    return one(connection, _WITH_NAME.where(_a.c.id == archive_id), Archive)


def is_waiting(connection: Connection) -> bool:
    """Whether one is being made; the newest row is held, so that two asks do not both find none."""
    query = select(_a.c.state).order_by(_a.c.id.desc()).limit(1).with_for_update()
    return connection.execute(query).scalar() == "waiting"


def add_archive(connection: Connection, at: datetime, by_id: int | None) -> int:
    return add(connection, _a, at=at, by_id=by_id)


def change_archive(connection: Connection, archive_id: int, **values: object) -> None:
    change(connection, _a, archive_id, **values)


def made_before(connection: Connection, moment: datetime) -> list[int]:
    """The archives that were made by then and are still here."""
    query = select(_a.c.id).where(_a.c.state == "made", _a.c.ended_at < moment)
    return list(connection.execute(query).scalars())

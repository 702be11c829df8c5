"""Codes that were texted, and the count of tries."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, insert, select

from zax.store.online.tables import online_code, online_try
from zax.store.rows import add, change, one

_c, _t = online_code, online_try


@dataclass(frozen=True, slots=True, kw_only=True)
class OnlineCode:
    id: int
    purpose: str
    device: str
    phone: str
    language: str
    code: str
    code_at: datetime
    tries: int
    used_at: datetime | None


def add_code(connection: Connection, **values: object) -> int:
    return add(connection, _c, **values)


def change_code(connection: Connection, number: int, **values: object) -> None:
    change(connection, _c, number, **values)


def hold_code(connection: Connection, number: int) -> OnlineCode | None:
    """The code, held until the transaction ends: tries at once are counted one by one."""
    return one(connection, select(_c).where(_c.c.id == number).with_for_update(), OnlineCode)


def note_try(connection: Connection, kind: str, who: str, at: datetime) -> None:
    connection.execute(insert(_t).values(kind=kind, who=who, at=at))


def tries_since(connection: Connection, kind: str, who: str, since: datetime) -> int:
    query = select(func.count()).where(_t.c.kind == kind, _t.c.who == who, _t.c.at > since)
    return int(connection.execute(query).scalar_one())


def forget_tries(connection: Connection, before: datetime) -> int:
    return connection.execute(delete(_t).where(_t.c.at < before)).rowcount

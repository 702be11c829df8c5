"""Requests from the web as they are kept, and the count of tries."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, delete, func, insert, select

from zax.core.patients.person import search_key
from zax.store.online.tables import online_request, online_try
from zax.store.patients.tables import patient
from zax.store.rows import add, change, one

_r, _t, _p = online_request, online_try, patient


@dataclass(frozen=True, slots=True, kw_only=True)
class OnlineRequest:
    """Moments are UTC, the day and minute the site's wall clock."""

    id: int
    device: str
    type_id: int
    site_id: int
    provider_id: int
    day: date
    start_min: int
    been_here: bool
    first: str
    last: str
    birth: date
    phone: str
    message: str
    language: str
    code: str
    code_at: datetime
    code_tries: int
    visit_id: int | None
    link: str | None
    made_at: datetime
    done_at: datetime | None


def add_request(connection: Connection, **values: object) -> int:
    return add(connection, _r, **values)


def change_request(connection: Connection, number: int, **values: object) -> None:
    change(connection, _r, number, **values)


def hold_request(connection: Connection, number: int) -> OnlineRequest | None:
    return one(connection, select(_r).where(_r.c.id == number).with_for_update(), OnlineRequest)


def request_by_link(connection: Connection, link: str) -> OnlineRequest | None:
    return one(connection, select(_r).where(_r.c.link == link), OnlineRequest)


def note_try(connection: Connection, kind: str, who: str, at: datetime) -> None:
    connection.execute(insert(_t).values(kind=kind, who=who, at=at))


def tries_since(connection: Connection, kind: str, who: str, since: datetime) -> int:
    query = select(func.count()).where(_t.c.kind == kind, _t.c.who == who, _t.c.at > since)
    return int(connection.execute(query).scalar_one())


def forget_tries(connection: Connection, before: datetime) -> int:
    return connection.execute(delete(_t).where(_t.c.at < before)).rowcount


def same_person(connection: Connection, first: str, last: str, birth: date, phone: str) -> list[int]:
    """The active patients with this very name, birth date and mobile phone."""
    query = select(_p.c.id).where(
        _p.c.birth == birth,
        _p.c.phone == phone,
        _p.c.last_key == search_key(last),
        _p.c.first_key == search_key(first),
        _p.c.status == "active",
    )
    return list(connection.execute(query).scalars())

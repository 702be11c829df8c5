"""Times asked for online, as they are kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select

from zax.core.patients.person import search_key
from zax.store.online.tables import online_request
from zax.store.patients.tables import patient
from zax.store.rows import add, change, one

_r, _p = online_request, patient


@dataclass(frozen=True, slots=True, kw_only=True)
class OnlineRequest:
    """Moments are UTC, the day and minute the site's wall clock."""

    id: int
    code_id: int
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
    visit_id: int | None
    link: str | None
    made_at: datetime
    done_at: datetime | None


def add_request(connection: Connection, **values: object) -> int:
    return add(connection, _r, **values)


def change_request(connection: Connection, number: int, **values: object) -> None:
    change(connection, _r, number, **values)


def request_of_code(connection: Connection, code_id: int) -> OnlineRequest | None:
    """The request that this code confirms, held until the transaction ends."""
    return one(connection, select(_r).where(_r.c.code_id == code_id).with_for_update(), OnlineRequest)


def request_by_link(connection: Connection, link: str) -> OnlineRequest | None:
    return one(connection, select(_r).where(_r.c.link == link), OnlineRequest)


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

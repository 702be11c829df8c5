"""Calendar addresses as they are kept, and the visits that one shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select

from zax.core.book.track import FREES_THE_TIME, Stop
from zax.store.book.tables import visit
from zax.store.notices.tables import calendar_feed
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one

_f, _v, _p = calendar_feed, visit, patient


@dataclass(frozen=True, slots=True, kw_only=True)
class Feed:
    """`names`: it shows whole names and kinds of visits; moments are UTC."""

    id: int
    secret: str
    provider_id: int | None
    patient_id: int | None
    names: bool
    made_at: datetime
    read_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedVisit:
    id: int
    site_id: int
    provider_id: int
    patient_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    state: str
    version: int
    first: str
    last: str


def add_feed(connection: Connection, **values: object) -> int:
    return add(connection, _f, **values)


def change_feed(connection: Connection, feed_id: int, **values: object) -> None:
    change(connection, _f, feed_id, **values)


def feed_by_secret(connection: Connection, secret: str) -> Feed | None:
    """One that still stands."""
    return one(connection, select(_f).where(_f.c.secret == secret, _f.c.ended_at.is_(None)), Feed)


def feed_by_id(connection: Connection, feed_id: int) -> Feed | None:
    return one(connection, select(_f).where(_f.c.id == feed_id, _f.c.ended_at.is_(None)), Feed)


def feeds_of_providers(connection: Connection) -> list[Feed]:
    query = select(_f).where(_f.c.provider_id.is_not(None), _f.c.ended_at.is_(None))
    return many(connection, query.order_by(_f.c.id), Feed)


def feed_of_patient(connection: Connection, patient_id: int) -> Feed | None:
    query = select(_f).where(_f.c.patient_id == patient_id, _f.c.ended_at.is_(None))
    return one(connection, query.order_by(_f.c.id.desc()), Feed)


def visits_between(
    connection: Connection,
    first: date,
    last: date,
    *,
    provider_id: int | None = None,
    patient_id: int | None = None,
) -> list[FeedVisit]:
    """The visits of one of the two that take their time, in their order."""
    whose = _v.c.provider_id == provider_id if provider_id is not None else _v.c.patient_id == patient_id
    query = (
        select(
            *(_v.c[name] for name in FeedVisit.__dataclass_fields__ if name not in {"first", "last"}),
            _p.c.first,
            _p.c.last,
        )
        .join(_p, _p.c.id == _v.c.patient_id)
        .where(
            whose,
            _v.c.day.between(first, last),
            _v.c.state.not_in(sorted({*FREES_THE_TIME, Stop.SHELF, Stop.HELD})),
            _v.c.minutes > 0,
        )
        .order_by(_v.c.day, _v.c.start_min, _v.c.id)
    )
    return many(connection, query, FeedVisit)

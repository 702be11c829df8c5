"""People who were here and have no next visit: whom nobody would miss, were it not for this list."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, and_, exists, func, select
from sqlalchemy.sql import ColumnElement

from zax.core.book.track import FINISHED, FREES_THE_TIME
from zax.store.book.tables import visit
from zax.store.followup.tables import patient_return, recall
from zax.store.patients.tables import patient
from zax.store.rows import many

_p = patient


@dataclass(frozen=True, slots=True)
class Unbooked:
    """Who it is, when they were here last, and how often."""

    id: int
    first: str
    last: str
    phone: str
    birth: date | None
    last_day: date
    visits: int


@dataclass(frozen=True, slots=True)
class UnbookedFilter:
    """Seen last from that day on, by that provider (0: by anyone); `all` shows those who are recalled or
    asked back too.
    """

    since: date
    provider_id: int = 0
    all: bool = False


def unbooked(
    connection: Connection, wanted: UnbookedFilter, today: date, most: int, skip: int = 0
) -> list[Unbooked]:
    """Those of one page, who was here last on top."""
    query = (
        select(
            _p.c.id,
            _p.c.first,
            _p.c.last,
            _p.c.phone,
            _p.c.birth,
            func.max(visit.c.day).label("last_day"),
            func.count(visit.c.id).label("visits"),
        )
        .join(visit, and_(visit.c.patient_id == _p.c.id, visit.c.state.in_(sorted(FINISHED))))
        .where(*_left_alone(wanted, today))
        .group_by(_p.c.id)
        .having(func.max(visit.c.day) >= wanted.since)
        .order_by(func.max(visit.c.day).desc(), _p.c.id)
    )
    return many(connection, query.limit(most).offset(skip), Unbooked)


def count_unbooked(connection: Connection, wanted: UnbookedFilter, today: date) -> int:
    seen = exists().where(
        visit.c.patient_id == _p.c.id, visit.c.state.in_(sorted(FINISHED)), visit.c.day >= wanted.since
    )
    query = select(func.count()).select_from(_p).where(seen.correlate(_p), *_left_alone(wanted, today))
    return int(connection.execute(query).scalar_one())


def _left_alone(wanted: UnbookedFilter, today: date) -> list[ColumnElement[bool]]:
    ahead = visit.alias("ahead")
    over = sorted(FINISHED | FREES_THE_TIME)
    comes = exists().where(ahead.c.patient_id == _p.c.id, ahead.c.day >= today, ahead.c.state.not_in(over))
    found: list[ColumnElement[bool]] = [_p.c.status == "active", ~comes.correlate(_p)]
    if not wanted.all:
        recalled = exists().where(recall.c.patient_id == _p.c.id, recall.c.ended_at.is_(None))
        r = patient_return.c
        asked = exists().where(r.patient_id == _p.c.id, r.ended_at.is_(None), r.booked_visit_id.is_(None))
        found += [~recalled.correlate(_p), ~asked.correlate(_p)]
    if wanted.provider_id:
        theirs = visit.alias("theirs")
        by = exists().where(
            theirs.c.patient_id == _p.c.id,
            theirs.c.provider_id == wanted.provider_id,
            theirs.c.state.in_(sorted(FINISHED)),
            theirs.c.day >= wanted.since,
        )
        found.append(by.correlate(_p))
    return found

"""Tablets and who stands at them, as they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.core.book.track import AHEAD
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one
from zax.store.schema import message, visit
from zax.store.tablet.tables import tablet, tablet_stay

_t, _s = tablet, tablet_stay


@dataclass(frozen=True, slots=True, kw_only=True)
class Tablet:
    id: int
    name: str
    site_id: int
    opened_at: datetime | None
    made_at: datetime
    ended_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    id: int
    tablet_id: int
    visit_id: int
    told: Mapping[str, str]
    used_at: datetime
    ended_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """A visit of today with whose it is."""

    id: int
    last_key: str
    state: str
    start_min: int


def add_tablet(connection: Connection, **values: object) -> int:
    return add(connection, _t, **values)


def tablets(connection: Connection) -> list[Tablet]:
    """Those in use, by name."""
    return many(connection, select(_t).where(_t.c.ended_at.is_(None)).order_by(_t.c.name, _t.c.id), Tablet)


def tablet_of(connection: Connection, secret: str) -> Tablet | None:
    return one(connection, select(_t).where(_t.c.secret == secret, _t.c.ended_at.is_(None)), Tablet)


def change_tablet(connection: Connection, number: int, **values: object) -> None:
    change(connection, _t, number, **values)


def expected_on(connection: Connection, site_id: int, day: date, birth: date) -> list[Expected]:
    """The visits of that day of people born then, the earliest first."""
    query = (
        select(visit.c.id, patient.c.last_key, visit.c.state, visit.c.start_min)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(
            visit.c.site_id == site_id,
            visit.c.day == day,
            visit.c.state.in_(list(AHEAD)),
            patient.c.birth == birth,
        )
    )
    return many(connection, query.order_by(visit.c.start_min, visit.c.id), Expected)


def visit_of_link(connection: Connection, link: str) -> int | None:
    """The visit that the link of one of our messages is about."""
    return connection.execute(select(message.c.visit_id).where(message.c.link == link)).scalar()


def stay_of(connection: Connection, tablet_id: int) -> Stay | None:
    """Who stands there now, held until the transaction ends."""
    query = select(_s).where(_s.c.tablet_id == tablet_id, _s.c.ended_at.is_(None)).order_by(_s.c.id.desc())
    return one(connection, query.limit(1).with_for_update(), Stay)


def begin_stay(connection: Connection, tablet_id: int, visit_id: int, at: datetime) -> int:
    """Whoever stood there before is forgotten."""
    end_stays(connection, tablet_id, at)
    return add(connection, _s, tablet_id=tablet_id, visit_id=visit_id, begun_at=at, used_at=at)


def change_stay(connection: Connection, number: int, **values: object) -> None:
    change(connection, _s, number, **values)


def end_stays(connection: Connection, tablet_id: int, at: datetime) -> None:
    mine = (_s.c.tablet_id == tablet_id, _s.c.ended_at.is_(None))
    connection.execute(update(_s).where(*mine).values(ended_at=at))

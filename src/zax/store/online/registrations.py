"""Registrations as they are kept, and who in the line waits for the desk."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, and_, select

from zax.core.book.track import EXPECTED
from zax.core.json import KeptJson
from zax.store.online.tables import online_who, registration
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one
from zax.store.schema import visit

_r, _n = registration, online_who


@dataclass(frozen=True, slots=True, kw_only=True)
class Registration:
    """`pages` is what was typed, by page and field; `shown` what was on file when it was opened first."""

    id: int
    patient_id: int
    visit_id: int | None
    link: str | None
    state: str
    language: str
    proven_phone: str
    wrong_tries: int
    shown: Mapping[str, str]
    pages: Mapping[str, Mapping[str, str]]
    photos: Mapping[str, Mapping[str, str]]
    taken: KeptJson
    made_at: datetime
    opened_at: datetime | None
    saved_at: datetime | None
    sent_at: datetime | None
    done_at: datetime | None
    done_by: int | None
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Who:
    """Who somebody says they are, until a code is typed."""

    id: int
    code_id: int
    first: str
    last: str
    birth: date | None
    patient_id: int | None
    made_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitingRegistration:
    """One in the line of the desk: whose it is, and their next visit."""

    id: int
    patient_id: int
    first: str
    last: str
    status: str
    sent_at: datetime
    day: date | None
    start_min: int | None
    visit_id: int | None


def add_registration(connection: Connection, **values: object) -> int:
    return add(connection, _r, **values)


def change_registration(connection: Connection, number: int, **values: object) -> None:
    change(connection, _r, number, **values)


def registration_by_link(connection: Connection, link: str) -> Registration | None:
    return one(connection, select(_r).where(_r.c.link == link), Registration)


def registration_of(connection: Connection, number: int) -> Registration | None:
    return one(connection, select(_r).where(_r.c.id == number), Registration)


def hold_registration(connection: Connection, number: int) -> Registration | None:
    """The row, held until the transaction ends."""
    return one(connection, select(_r).where(_r.c.id == number).with_for_update(), Registration)


def open_registration_of(connection: Connection, patient_id: int) -> Registration | None:
    """The newest that this patient can still fill in."""
    query = select(_r).where(_r.c.patient_id == patient_id, _r.c.state == "open", _r.c.link.is_not(None))
    return one(connection, query.order_by(_r.c.id.desc()).limit(1), Registration)


def sent_from_tablet(connection: Connection, visit_id: int) -> Registration | None:
    """What was changed at check-in for this visit and waits for the desk."""
    query = select(_r).where(_r.c.visit_id == visit_id, _r.c.state == "sent", _r.c.link.is_(None))
    return one(connection, query.order_by(_r.c.id.desc()).limit(1).with_for_update(), Registration)


def registrations_of(connection: Connection, patient_id: int) -> list[Registration]:
    """All of a patient, the newest first."""
    query = select(_r).where(_r.c.patient_id == patient_id).order_by(_r.c.id.desc()).limit(50)
    return many(connection, query, Registration)


def waiting_registrations(connection: Connection, today: date) -> list[WaitingRegistration]:
    """Those that were sent and nobody has looked at, who comes soonest first."""
    coming = visit.alias("coming")
    next_visit = (
        select(coming.c.id)
        .where(
            coming.c.patient_id == _r.c.patient_id,
            coming.c.day >= today,
            coming.c.state.in_(list(EXPECTED)),
        )
        .order_by(coming.c.day, coming.c.start_min)
        .limit(1)
        .scalar_subquery()
    )
    query = (
        select(
            _r.c.id,
            _r.c.patient_id,
            patient.c.first,
            patient.c.last,
            patient.c.status,
            _r.c.sent_at,
            visit.c.day,
            visit.c.start_min,
            visit.c.id.label("visit_id"),
        )
        .join(patient, patient.c.id == _r.c.patient_id)
        .join(
            visit,
            and_(visit.c.patient_id == _r.c.patient_id, visit.c.id == next_visit),
            isouter=True,
        )
        .where(_r.c.state == "sent")
        .order_by(visit.c.day.is_(None), visit.c.day, visit.c.start_min, _r.c.sent_at, _r.c.id)
        .limit(200)
    )
    return many(connection, query, WaitingRegistration)


def add_who(connection: Connection, **values: object) -> int:
    return add(connection, _n, **values)


def who_of(connection: Connection, code_id: int) -> Who | None:
    return one(connection, select(_n).where(_n.c.code_id == code_id), Who)

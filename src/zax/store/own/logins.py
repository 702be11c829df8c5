"""Passwords, sessions and whom else somebody may see, as they are kept."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.store.own.tables import own_allowed, own_login, own_session
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import add, change, many, one

_l, _s, _a = own_login, own_session, own_allowed


@dataclass(frozen=True, slots=True, kw_only=True)
class Login:
    id: int
    patient_id: int
    password_hash: str
    wrong_tries: int
    wrong_at: datetime | None
    made_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnSession:
    id: int
    patient_id: int
    device: str
    made_at: datetime
    used_at: datetime
    ended_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowed:
    """`patient_id` may see and do for `for_id`; `proof` is what the desk saw."""

    id: int
    patient_id: int
    for_id: int
    first: str
    last: str
    birth: date | None
    proof: str
    at: datetime
    by_name: str


def login_of(connection: Connection, patient_id: int) -> Login | None:
    return one(connection, select(_l).where(_l.c.patient_id == patient_id), Login)


def login_for_update(connection: Connection, patient_id: int) -> Login | None:
    return one(connection, select(_l).where(_l.c.patient_id == patient_id).with_for_update(), Login)


def add_login(connection: Connection, **values: object) -> int:
    return add(connection, _l, **values)


def change_login(connection: Connection, number: int, **values: object) -> None:
    change(connection, _l, number, **values)


def patients_at(connection: Connection, email: str) -> list[int]:
    """The active patients with this email address who have a password."""
    query = select(patient.c.id).join(_l, _l.c.patient_id == patient.c.id)
    query = query.where(patient.c.email == email, patient.c.status == "active", _l.c.password_hash != "")
    return list(connection.execute(query).scalars())


def add_session(connection: Connection, **values: object) -> int:
    return add(connection, _s, **values)


def session_of(connection: Connection, secret: str) -> OwnSession | None:
    return one(connection, select(_s).where(_s.c.secret == secret, _s.c.ended_at.is_(None)), OwnSession)


def use_session(connection: Connection, number: int, at: datetime) -> None:
    change(connection, _s, number, used_at=at)


def end_sessions(connection: Connection, patient_id: int, at: datetime, but: int = 0) -> int:
    """End all sessions of somebody; how many."""
    query = update(_s).where(_s.c.patient_id == patient_id, _s.c.ended_at.is_(None), _s.c.id != but)
    return connection.execute(query.values(ended_at=at)).rowcount


def end_session(connection: Connection, number: int, at: datetime) -> None:
    change(connection, _s, number, ended_at=at)


def allowed_for(connection: Connection, patient_ids: Iterable[int]) -> list[Allowed]:
    """Whom these may see."""
    query = (
        select(_a, patient.c.first, patient.c.last, patient.c.birth, user.c.name.label("by_name"))
        .join(patient, patient.c.id == _a.c.for_id)
        .join(user, user.c.id == _a.c.by_id)
        .where(_a.c.patient_id.in_(list(patient_ids)), _a.c.ended_at.is_(None), patient.c.status == "active")
    )
    return many(connection, query.order_by(patient.c.birth), Allowed)


def who_may_see(connection: Connection, for_id: int) -> list[Allowed]:
    """Who may see this one: `first` and `last` are theirs."""
    query = (
        select(_a, patient.c.first, patient.c.last, patient.c.birth, user.c.name.label("by_name"))
        .join(patient, patient.c.id == _a.c.patient_id)
        .join(user, user.c.id == _a.c.by_id)
        .where(_a.c.for_id == for_id, _a.c.ended_at.is_(None))
    )
    return many(connection, query.order_by(_a.c.id), Allowed)


def add_allowed(connection: Connection, **values: object) -> int:
    return add(connection, _a, **values)


def end_allowed(connection: Connection, number: int, at: datetime, by_id: int | None) -> None:
    change(connection, _a, number, ended_at=at, ended_by=by_id)

"""Sealed records (staff, family): which they are, who opened them with what reason."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, bindparam, exists, select, update

from zax.store.patients.tables import patient, seal_broken
from zax.store.people.tables import user
from zax.store.rows import add, many, one

_b = seal_broken
_OPENED = exists().where(
    _b.c.patient_id == patient.c.id, _b.c.user_id == bindparam("user_id"), _b.c.until > bindparam("now")
)
_SHUT = select(patient.c.id).where(patient.c.id == bindparam("patient_id"), patient.c.sealed, ~_OPENED)


@dataclass(frozen=True, slots=True)
class Sealed:
    """A sealed record; `name` is the patient's."""

    id: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Opened:
    """Who opened one, when (UTC), why, and whether a manager has looked at that."""

    id: int
    at: datetime
    patient_id: int
    first: str
    last: str
    by_name: str
    reason: str
    seen_at: datetime | None


def is_shut(connection: Connection, patient_id: int, user_id: int, now: datetime) -> bool:
    """Whether this person has to give a reason first."""
    values = {"patient_id": patient_id, "user_id": user_id, "now": now}
    return connection.execute(_SHUT, values).first() is not None


def seal(connection: Connection, patient_id: int, on: bool) -> bool:
    """Whether it was otherwise until now."""
    mine = (patient.c.id == patient_id, patient.c.sealed.is_(not on))
    return bool(connection.execute(update(patient).where(*mine).values(sealed=on)).rowcount)


def note_opened(
    connection: Connection, *, at: datetime, until: datetime, user_id: int, patient_id: int, reason: str
) -> int:
    return add(connection, _b, at=at, until=until, user_id=user_id, patient_id=patient_id, reason=reason)


def sealed_records(connection: Connection) -> list[Sealed]:
    query = select(patient).where(patient.c.sealed).order_by(patient.c.last_key, patient.c.first_key)
    return many(connection, query, Sealed)


def sealed_name(connection: Connection, patient_id: int) -> Sealed | None:
    return one(connection, select(patient).where(patient.c.id == patient_id, patient.c.sealed), Sealed)


def openings(connection: Connection, limit: int) -> list[Opened]:
    """The newest first."""
    query = (
        select(_b, patient.c.first, patient.c.last, user.c.name.label("by_name"))
        .join(patient, patient.c.id == _b.c.patient_id)
        .join(user, user.c.id == _b.c.user_id)
        .order_by(_b.c.id.desc())
        .limit(limit)
    )
    return many(connection, query, Opened)


def note_seen(connection: Connection, opened_id: int, at: datetime, by_id: int | None) -> None:
    mine = (_b.c.id == opened_id, _b.c.seen_at.is_(None))
    connection.execute(update(_b).where(*mine).values(seen_at=at, seen_by=by_id))

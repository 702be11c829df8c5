"""Who has whom on the phone, how somebody was tried lately, and what the call sheet says of its people."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, Select, and_, delete, func, or_, select
from sqlalchemy.dialects.mysql import insert

from zax.core.book.track import FINISHED, FREES_THE_TIME
from zax.store.book.tables import visit
from zax.store.followup.tables import call_lock, contact_try
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import many, one

_l, _t, _p = call_lock, contact_try, patient


@dataclass(frozen=True, slots=True)
class CallLock:
    patient_id: int
    user_id: int
    at: datetime
    name: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CallPerson:
    """What a row says of a person; `last_day` and `next_*` are visits, done and to come."""

    id: int
    first: str
    last: str
    birth: date | None
    language: str
    phone: str
    home_phone: str
    work_phone: str
    household_id: int
    last_day: date | None
    next_visit_id: int | None
    next_day: date | None


def lock_of(connection: Connection, patient_id: int) -> CallLock | None:
    """Whoever has them, however long ago it was, as it is now; the patient's row is held by who asks."""
    query = _locks().where(_l.c.patient_id == patient_id).with_for_update(of=_l)
    return one(connection, query, CallLock)


def locks_since(connection: Connection, at: datetime) -> dict[int, CallLock]:
    """Who is on the phone with whom, by patient, begun after that moment."""
    return {each.patient_id: each for each in many(connection, _locks().where(_l.c.at > at), CallLock)}


def take_lock(connection: Connection, patient_id: int, user_id: int, at: datetime) -> None:
    made = insert(_l).values(patient_id=patient_id, user_id=user_id, at=at)
    connection.execute(made.on_duplicate_key_update(user_id=user_id, at=at))


def free_lock(connection: Connection, patient_id: int, user_id: int) -> None:
    connection.execute(delete(_l).where(_l.c.patient_id == patient_id, _l.c.user_id == user_id))


def _locks() -> Select[Any]:
    return select(_l, user.c.name).join(user, user.c.id == _l.c.user_id)


def people_to_call(connection: Connection, patient_ids: Sequence[int], today: date) -> dict[int, CallPerson]:
    """By id, with their last and next visit."""
    over = sorted(FINISHED | FREES_THE_TIME)
    ahead = (
        select(visit.c.id)
        .where(visit.c.patient_id == _p.c.id, visit.c.day >= today, visit.c.state.not_in(over))
        .order_by(visit.c.day, visit.c.id)
        .limit(1)
        .correlate(_p)
        .scalar_subquery()
    )
    came = (
        select(func.max(visit.c.day))
        .where(visit.c.patient_id == _p.c.id, visit.c.state.in_(sorted(FINISHED)))
        .correlate(_p)
        .scalar_subquery()
    )
    own = (_p.c.id, _p.c.first, _p.c.last, _p.c.birth, _p.c.language, _p.c.phone, _p.c.home_phone)
    inner = (
        select(*own, _p.c.work_phone, _p.c.household_id, came.label("last_day"), ahead.label("next_visit_id"))
        .where(_p.c.id.in_(list(patient_ids) or [0]))
        .subquery("p")
    )
    coming = visit.alias("coming")
    query = select(inner, coming.c.day.label("next_day")).join(
        coming, coming.c.id == inner.c.next_visit_id, isouter=True
    )
    return {each.id: each for each in many(connection, query, CallPerson)}


@dataclass(frozen=True, slots=True)
class LateTry:
    patient_id: int
    how: str
    outcome: str
    about: list[str]
    at: datetime
    again_on: date | None


def tries_lately(connection: Connection, since: datetime, today: date) -> list[LateTry]:
    """Everybody's tries since then that stand, and older ones with a day yet to come; the oldest first."""
    query = select(_t.c.patient_id, _t.c.how, _t.c.outcome, _t.c.about, _t.c.at, _t.c.again_on).where(
        and_(_t.c.undone_at.is_(None), or_(_t.c.at >= since, _t.c.again_on > today))
    )
    return many(connection, query.order_by(_t.c.id), LateTry)


def outcomes_since(connection: Connection, at: datetime, user_id: int) -> dict[str, int]:
    """How somebody's calls since then went, by outcome."""
    made = and_(_t.c.by_id == user_id, _t.c.at >= at, _t.c.how == "call", _t.c.undone_at.is_(None))
    query = select(_t.c.outcome, func.count()).where(made).group_by(_t.c.outcome)
    return {outcome: int(count) for outcome, count in connection.execute(query)}

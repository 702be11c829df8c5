"""Looking back: who did what, and who looked at whom."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import ColumnElement, Connection, and_, bindparam, select, text

from zax.core.json import KeptJson
from zax.core.people.unusual import NEAR_DAYS, LookFacts
from zax.store.acts.tables import audit
from zax.store.patients.tables import patient
from zax.store.people.tables import look, user
from zax.store.rows import many


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What is looked for: moments are UTC, 0 and empty mean any. `about` begins the names of the acts."""

    since: datetime
    until: datetime
    user_id: int = 0
    patient_id: int = 0
    about: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Did:
    """An act; `by_name` None for what Zax did by itself, the names None where it was about no patient."""

    id: int
    at: datetime
    act: str
    by_name: str | None
    patient_id: int | None
    first: str | None
    last: str | None
    visit_id: int | None
    detail: KeptJson


@dataclass(frozen=True, slots=True, kw_only=True)
class Saw:
    id: int
    at: datetime
    by_name: str
    patient_id: int
    first: str | None
    last: str | None
    screen: str


def acts(connection: Connection, wanted: Wanted, limit: int, before: int = 0) -> list[Did]:
    """The newest first; `before` an id."""
    a = audit
    query = (
        select(a, user.c.name.label("by_name"), patient.c.first, patient.c.last)
        .join(user, user.c.id == a.c.by_id, isouter=True)
        .join(patient, patient.c.id == a.c.patient_id, isouter=True)
        .where(a.c.at >= wanted.since, a.c.at < wanted.until)
        .order_by(a.c.id.desc())
        .limit(limit)
    )
    more: list[ColumnElement[bool]] = []
    if wanted.user_id:
        more.append(a.c.by_id == wanted.user_id)
    if wanted.patient_id:
        more.append(a.c.patient_id == wanted.patient_id)
    if wanted.about:
        more.append(a.c.act.startswith(wanted.about, autoescape=True))
    if before:
        more.append(a.c.id < before)
    return many(connection, query.where(and_(*more)) if more else query, Did)


def looks(connection: Connection, wanted: Wanted, limit: int, before: int = 0) -> list[Saw]:
    """The newest first."""
    query = (
        select(look, user.c.name.label("by_name"), patient.c.first, patient.c.last)
        .join(user, user.c.id == look.c.user_id)
        .join(patient, patient.c.id == look.c.patient_id, isouter=True)
        .where(look.c.at >= wanted.since, look.c.at < wanted.until)
        .order_by(look.c.id.desc())
        .limit(limit)
    )
    more: list[ColumnElement[bool]] = []
    if wanted.user_id:
        more.append(look.c.user_id == wanted.user_id)
    if wanted.patient_id:
        more.append(look.c.patient_id == wanted.patient_id)
    if before:
        more.append(look.c.id < before)
    return many(connection, query.where(and_(*more)) if more else query, Saw)


PAGE = 2_000


def every_act(connection: Connection, wanted: Wanted) -> Iterator[Did]:
    """All of them, read page by page."""
    before = 0
    while found := acts(connection, wanted, PAGE, before):
        yield from found
        before = found[-1].id


def every_look(connection: Connection, wanted: Wanted) -> Iterator[Saw]:
    before = 0
    while found := looks(connection, wanted, PAGE, before):
        yield from found
        before = found[-1].id


_FACTS = text(
    """
    SELECT d.user_id, u.name AS user_name, d.patient_id, p.first, p.last, d.at, d.times,
      EXISTS (
        SELECT 1 FROM visit v WHERE v.patient_id = d.patient_id
          AND v.day BETWEEN :day - INTERVAL :near DAY AND :day + INTERVAL :near DAY
      ) AS near,
      EXISTS (
        SELECT 1 FROM audit a WHERE a.patient_id = d.patient_id AND a.by_id = d.user_id
          AND a.at BETWEEN d.at - INTERVAL 12 HOUR AND d.at + INTERVAL 12 HOUR
      ) AS did
    FROM (
      SELECT l.user_id, l.patient_id, MIN(l.at) AS at, COUNT(*) AS times
      FROM look l
      WHERE l.at >= :since AND l.at < :until
      GROUP BY l.user_id, l.patient_id
    ) d
    JOIN `user` u ON u.id = d.user_id
    JOIN patient p ON p.id = d.patient_id
    """
).bindparams(bindparam("near", NEAR_DAYS))


def look_facts(connection: Connection, day: date, since: datetime, until: datetime) -> list[LookFacts]:
    """Each person’s looks at each patient on one day of the clinic, which goes from one moment to the other
    (UTC).
    """
    return many(connection, _FACTS, LookFacts, day=str(day), since=since, until=until)

"""The past as the chance of not coming is learned from it, and what is known of visits to come."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, bindparam, text

from zax.core.book.cancellation import OffWhy
from zax.core.book.track import CHARGED, ON_THE_BOOK, Stop
from zax.store.rows import many, sql_list

# Came or was a no-show: what the patient canceled in time, or the clinic did, says nothing about it.
_WAS_MISSED = f"(v.state = '{Stop.MISSED}' OR v.off_why = '{OffWhy.MISSED}')"
_DECIDED = f"({_WAS_MISSED} OR v.state IN {sql_list(CHARGED)})"
_PAST = text(
    f"""
    SELECT v.id, v.patient_id, v.day, v.start_min, v.made_at, {_WAS_MISSED} AS missed,
      (SELECT MIN(m.at) FROM track_move m WHERE m.visit_id = v.id AND m.to_stop = '{Stop.CONFIRMED}')
        AS confirmed_at
    FROM visit v
    WHERE v.day BETWEEN :first AND :last AND v.minutes > 0 AND {_DECIDED}
    ORDER BY v.day DESC, v.start_min DESC, v.id DESC
    LIMIT :most
    """
)
_BEFORE = text(
    f"""
    SELECT v.patient_id, v.day, {_WAS_MISSED} AS missed
    FROM visit v
    WHERE v.patient_id IN :patients AND v.day < :last AND v.minutes > 0 AND {_DECIDED}
    ORDER BY v.patient_id, v.day
    """
).bindparams(bindparam("patients", expanding=True))
# What each owed after each day on which it changed.
_OWED = text(
    """
    SELECT v.patient_id, j.day, SUM(j.patient_cents) AS cents
    FROM visit v
    JOIN journal j ON j.visit_id = v.id
    WHERE v.patient_id IN :patients
    GROUP BY v.patient_id, j.day
    HAVING SUM(j.patient_cents) <> 0
    ORDER BY v.patient_id, j.day
    """
).bindparams(bindparam("patients", expanding=True))
_AHEAD = text(
    f"""
    SELECT v.id, v.patient_id, v.day, v.start_min, v.made_at, v.state = '{Stop.CONFIRMED}' AS confirmed,
      COUNT(o.id) AS visits, COALESCE(SUM(o.state = '{Stop.MISSED}' OR o.off_why = '{OffWhy.MISSED}'), 0)
        AS missed,
      COALESCE((
        SELECT SUM(j.patient_cents) FROM visit w JOIN journal j ON j.visit_id = w.id
        WHERE w.patient_id = v.patient_id
      ), 0) AS owed
    FROM visit v
    LEFT JOIN visit o ON o.patient_id = v.patient_id AND o.id <> v.id AND o.day < v.day AND o.minutes > 0
      AND (o.state IN {sql_list(CHARGED | {Stop.MISSED})} OR o.off_why = '{OffWhy.MISSED}')
    WHERE v.id IN :ids AND v.state IN {sql_list(ON_THE_BOOK)}
    GROUP BY v.id
    """
).bindparams(bindparam("ids", expanding=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class PastVisit:
    """A visit that was kept or missed. Moments are UTC."""

    id: int
    patient_id: int
    day: date
    start_min: int
    made_at: datetime
    missed: bool
    confirmed_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class AheadVisit:
    """A visit to come, with how its patient kept those before it and what they owe."""

    id: int
    patient_id: int
    day: date
    start_min: int
    made_at: datetime
    confirmed: bool
    visits: int
    missed: int
    owed: int


@dataclass(frozen=True, slots=True)
class Kept:
    patient_id: int
    day: date
    missed: bool


@dataclass(frozen=True, slots=True)
class Owed:
    """What the patient's account changed by on a day."""

    patient_id: int
    day: date
    cents: int


def past_visits(connection: Connection, first: date, last: date, most: int) -> list[PastVisit]:
    """The newest `most` visits of these days that were kept or missed, in the order of time."""
    found = many(connection, _PAST, PastVisit, first=first, last=last, most=most)
    return found[::-1]


def kept_before(connection: Connection, patient_ids: Sequence[int], last: date) -> list[Kept]:
    return many(connection, _BEFORE, Kept, patients=list(patient_ids) or [0], last=last)


def owed_by_day(connection: Connection, patient_ids: Sequence[int]) -> list[Owed]:
    return many(connection, _OWED, Owed, patients=list(patient_ids) or [0])


def visits_ahead_by_id(connection: Connection, visit_ids: Iterable[int]) -> list[AheadVisit]:
    """Those of these visits whose patients are still expected; who is here has come."""
    return many(connection, _AHEAD, AheadVisit, ids=list(visit_ids) or [0])

"""Who might want an opening, besides the waitlist: those whose recall is due and those whose signed work no
visit
is to do; and what is to be known of each before they are asked.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, bindparam, select, text

from zax.core.book.track import CHARGED, FINISHED, FREES_THE_TIME, Stop
from zax.store.book.tables import visit
from zax.store.rows import many, sql_list

MOST = 200
_OVER = sql_list(FINISHED | FREES_THE_TIME)
# The nearest to their due day first: who is due now comes sooner than who has been for years.
_RECALLS = text(
    f"""
    SELECT r.id AS recall_id, r.patient_id, r.due_day, t.type_id, t.same_person
    FROM recall r
    JOIN recall_type t ON t.id = r.recall_type_id AND t.active AND t.type_id IN :types
    JOIN patient p ON p.id = r.patient_id AND p.status = 'active'
    WHERE r.ended_at IS NULL AND r.due_day <= DATE_ADD(:day, INTERVAL t.before_days DAY)
      AND (r.paused_until IS NULL OR r.paused_until <= :today)
      AND NOT EXISTS (
        SELECT 1 FROM visit a
        WHERE a.patient_id = r.patient_id AND a.day >= :today AND a.type_id = t.type_id
          AND a.state NOT IN {_OVER}
      )
    ORDER BY ABS(DATEDIFF(:day, r.due_day)), r.id
    LIMIT {MOST}
    """
).bindparams(bindparam("types", expanding=True))
_PLANNED = text(
    f"""
    SELECT n.id, n.patient_id, n.proposal_id, n.service_id, DATE(o.signed_at) AS signed
    FROM proposal o
    JOIN planned_service n ON n.proposal_id = o.id AND n.option_letter = o.signed_option
    JOIN patient p ON p.id = o.patient_id AND p.status = 'active'
    WHERE o.signed_at IS NOT NULL AND o.ended_at IS NULL AND n.done_at IS NULL AND n.removed_at IS NULL
      AND n.visit_id IS NULL AND (:patient = 0 OR o.patient_id = :patient)
      AND n.phase = (
        SELECT MIN(f.phase) FROM planned_service f
        WHERE f.proposal_id = o.id AND f.option_letter = o.signed_option AND f.done_at IS NULL
          AND f.removed_at IS NULL AND f.visit_id IS NULL
      )
    ORDER BY o.signed_at, n.id
    LIMIT {MOST}
    """
)
_LAST_WITH = text(
    f"""
    SELECT v.patient_id, v.provider_id
    FROM visit v
    JOIN visit_type t ON t.id = v.type_id AND t.role = :role
    WHERE v.patient_id IN :patients AND v.state IN {sql_list(CHARGED | {Stop.ROOM})}
    ORDER BY v.day, v.start_min
    """
).bindparams(bindparam("patients", expanding=True))
_THAT_DAY = text(
    f"""
    SELECT DISTINCT patient_id FROM visit
    WHERE patient_id IN :patients AND day = :day AND state NOT IN {sql_list(FREES_THE_TIME)}
    """
).bindparams(bindparam("patients", expanding=True))
_WARNINGS = text(
    """
    SELECT pf.patient_id, MIN(f.words) AS words
    FROM patient_flag pf
    JOIN flag f ON f.id = pf.flag_id AND f.warns
    WHERE pf.patient_id IN :patients AND pf.ended_at IS NULL
    GROUP BY pf.patient_id
    """
).bindparams(bindparam("patients", expanding=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class DueRecall:
    recall_id: int
    patient_id: int
    due_day: date
    type_id: int
    same_person: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class SignedWork:
    """One planned service of the phase that is next."""

    id: int
    patient_id: int
    proposal_id: int
    service_id: int
    signed: date


def recalls_for(connection: Connection, types: Collection[int], day: date, today: date) -> list[DueRecall]:
    """Recalls in time on the day, whose visit is one of these types and isn't booked."""
    values = {"types": list(types) or [0], "day": day, "today": today}
    return many(connection, _RECALLS, DueRecall, **values)


def signed_work(connection: Connection, patient_id: int = 0) -> dict[int, list[SignedWork]]:
    """By patient; of one alone where one is asked for."""
    found: dict[int, list[SignedWork]] = defaultdict(list)
    for row in many(connection, _PLANNED, SignedWork, patient=patient_id):
        found[row.patient_id].append(row)
    return found


def last_with(connection: Connection, patient_ids: Iterable[int], role: str) -> dict[int, int]:
    """Whom each of them saw last of this role."""
    rows = connection.execute(_LAST_WITH, {"patients": list(patient_ids) or [0], "role": role})
    return {row.patient_id: row.provider_id for row in rows}


def busy_that_day(connection: Connection, patient_ids: Iterable[int], day: date) -> set[int]:
    return set(connection.execute(_THAT_DAY, {"patients": list(patient_ids) or [0], "day": day}).scalars())


def canceled_at(connection: Connection, provider_id: int, day: date, start: int, end: int) -> set[int]:
    """Who had a visit with this provider in that time and canceled it."""
    v = visit.c
    query = select(v.patient_id).where(v.day == day, v.provider_id == provider_id, v.state == Stop.CANCELED)
    return set(connection.execute(query.where(v.start_min < end, v.start_min + v.minutes > start)).scalars())


def warnings_of(connection: Connection, patient_ids: Iterable[int]) -> dict[int, str]:
    """The flag that warns of each; nobody without one."""
    rows = connection.execute(_WARNINGS, {"patients": list(patient_ids) or [0]})
    return {row.patient_id: row.words for row in rows}

"""Reading for a patient's page: where a number leads, visits ahead and past, the household's next days and
balances, what was changed.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, or_, select, text

from zax.core.book.track import ON_THE_BOOK
from zax.core.json import KeptJson
from zax.store.listing import Listed, Order, Wanted, listed
from zax.store.patients.records import Patient
from zax.store.patients.tables import patient, patient_alias
from zax.store.rows import many, sql_list
from zax.store.schema import audit, provider, user, visit, visit_type

_NEXT = text(
    f"""
    SELECT patient_id, MIN(day) AS day
    FROM visit
    WHERE patient_id IN (SELECT id FROM patient WHERE household_id = :household_id) AND day >= :today AND
        state IN {sql_list(ON_THE_BOOK)}
    GROUP BY patient_id
    """
)
_OWES = text(
    """
    SELECT patient_id, SUM(patient_cents) AS cents
    FROM journal
    WHERE patient_id IN (SELECT id FROM patient WHERE household_id = :household_id)
    GROUP BY patient_id
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordVisit:
    """A visit as the patient's page lists it."""

    id: int
    patient_id: int
    site_id: int
    provider_id: int
    type_id: int
    day: date
    start_min: int
    minutes: int
    state: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RecordChange:
    at: datetime
    act: str
    detail: KeptJson
    by_name: str | None


def visits_ahead(connection: Connection, patient_id: int, today: date, most: int) -> list[RecordVisit]:
    """From today on, the soonest first."""
    query = select(visit).where(visit.c.patient_id == patient_id, visit.c.day >= today)
    return many(connection, query.order_by(visit.c.day, visit.c.start_min).limit(most), RecordVisit)


def visits_past(connection: Connection, patient_id: int, today: date, most: int) -> list[RecordVisit]:
    """Before today, the latest first."""
    query = select(visit).where(visit.c.patient_id == patient_id, visit.c.day < today)
    return many(connection, query.order_by(visit.c.day.desc(), visit.c.start_min).limit(most), RecordVisit)


def listed_visits(connection: Connection, patient_id: int, wanted: Wanted) -> Listed[RecordVisit]:
    """All of a patient; found by the visit's type or who it is with."""
    query = (
        select(visit)
        .join(visit_type, visit_type.c.id == visit.c.type_id)
        .join(provider, provider.c.id == visit.c.provider_id)
        .where(visit.c.patient_id == patient_id)
    )
    orders = {
        Order.OLDEST: (visit.c.day, visit.c.start_min, visit.c.id),
        Order.NEWEST: (visit.c.day.desc(), visit.c.start_min.desc(), visit.c.id.desc()),
    }
    named_by = (visit_type.c.name, provider.c.first, provider.c.last)
    return listed(connection, query, RecordVisit, wanted, named_by, orders)


def visits_of(connection: Connection, patient_ids: Sequence[int]) -> list[RecordVisit]:
    """All of these patients, in order of time."""
    query = select(visit).where(visit.c.patient_id.in_(patient_ids))
    return many(connection, query.order_by(visit.c.patient_id, visit.c.day, visit.c.start_min), RecordVisit)


def next_days(connection: Connection, household_id: int, today: date) -> dict[int, date]:
    """By member, the day of their next visit."""
    rows = connection.execute(_NEXT, {"household_id": household_id, "today": today})
    return {row.patient_id: row.day for row in rows}


def household_owes(connection: Connection, household_id: int) -> dict[int, int]:
    """By member, the patient's part of everything (cents)."""
    return {row.patient_id: row.cents for row in connection.execute(_OWES, {"household_id": household_id})}


def merged_numbers(connection: Connection, patient_id: int) -> list[str]:
    """The numbers of records that were merged into this one."""
    a = patient_alias
    query = select(a.c.number).where(a.c.patient_id == patient_id).order_by(a.c.number)
    return [*connection.execute(query).scalars()]


def listed_changes(
    connection: Connection, patient_id: int, acts: Iterable[str], wanted: Wanted
) -> Listed[RecordChange]:
    """What was done of these kinds of act, also on records merged into this one; found by who did it."""
    merged = select(patient.c.id).where(patient.c.merged_into_id == patient_id)
    ids = [patient_id, *connection.execute(merged).scalars()]
    query = select(audit.c.at, audit.c.act, audit.c.detail, user.c.name.label("by_name"))
    query = query.join(user, user.c.id == audit.c.by_id, isouter=True)
    query = query.where(audit.c.patient_id.in_(ids), or_(*(audit.c.act.like(each) for each in acts)))
    orders = {Order.OLDEST: (audit.c.id,), Order.NEWEST: (audit.c.id.desc(),)}
    return listed(connection, query, RecordChange, wanted, (user.c.name,), orders)


def patients_after(
    connection: Connection, last_id: int, most: int, only: Sequence[int] | None
) -> list[Patient]:
    """The next so many patients by number, without records that were merged away, and without those who only
    asked online; `only` these, where given.
    """
    query = select(patient).where(patient.c.id > last_id, patient.c.status != "merged")
    if only is not None:
        query = query.where(patient.c.id.in_(list(only) or [0]))
    else:
        query = query.where(patient.c.status.not_in(("asked", "forgotten")))
    return many(connection, query.order_by(patient.c.id).limit(most), Patient)

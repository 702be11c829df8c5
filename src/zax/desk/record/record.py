"""The whole record of a patient, read and put together for one page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, or_, select, text

from zax.core.coverage.estimate import Cover
from zax.core.errors import NotFound
from zax.core.record.gaps import Gap, record_gaps
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.coverages import holder_of, order_words
from zax.desk.coverage.eligibility import habits_of
from zax.desk.coverage.estimate_inputs import covers_for
from zax.desk.record.record_gaps import facts_of, holds_on
from zax.store import schema
from zax.store.book.planned import planned_for
from zax.store.book.waitlist import waits_of as reasons_of
from zax.store.coverage.queries import coverages_of
from zax.store.patients.attendance import tally_of
from zax.store.patients.files import files_of
from zax.store.patients.notes import flags_of, notes_of
from zax.store.patients.patients import members_of

_NEXT = text(
    "SELECT patient_id, MIN(day) AS day FROM visit WHERE patient_id IN (SELECT id FROM patient WHERE household_id = :household_id) AND day >= :today "
    "AND state IN ('held', 'booked', 'confirmed') GROUP BY patient_id"
)
_OWES = text(
    "SELECT patient_id, SUM(patient_cents) AS cents FROM journal WHERE patient_id IN (SELECT id FROM patient WHERE household_id = :household_id) GROUP BY patient_id"
)
_CHANGES = ("patient.%", "coverage.%", "planned.%")


@dataclass(frozen=True, slots=True)
class CoverageShown:
    """A coverage with what is used of it (for those that count today), its holder in words, how its last check stands (fine, problem, failed, unchecked, phone) and whether it holds today."""

    row: Any
    cover: Cover | None
    holder: str
    state: str
    holds: bool
    first: bool


@dataclass(frozen=True, slots=True)
class Record:
    """Everything the page shows. `visits` are those ahead, soonest first, then the past, latest first."""

    patient: Any
    gaps: list[Gap]
    flags: list[Any]
    notes: list[Any]
    coverages: list[CoverageShown]
    order: list[str]
    members: list[Any]
    next_days: dict[int, date]
    owes: dict[int, int]
    visits: list[Any]
    ahead: int
    planned: Sequence[Any]
    waits: Sequence[Any]
    tally: Any
    files: list[Any]
    merged: list[str]


def number_of(connection: Connection, text_id: int) -> int:
    """The patient a number leads to: itself, or the one it was merged into. NotFound for an unknown one."""
    p = schema.patient
    row = connection.execute(select(p.c.id, p.c.merged_into_id).where(p.c.id == text_id)).first()
    if row is None:
        raise NotFound("There is no such patient.")
    return int(row.merged_into_id or row.id)


def record_of(connection: Connection, clinic: Clinic, patient_id: int, now: datetime, today: date) -> Record:
    p, v, a = schema.patient, schema.visit, schema.patient_alias
    row = connection.execute(select(p).where(p.c.id == patient_id)).first()
    if row is None:
        raise NotFound("There is no such patient.")
    covers = coverages_of(connection, [patient_id])
    own = v.c.patient_id == patient_id
    ahead = connection.execute(select(v).where(own, v.c.day >= today).order_by(v.c.day, v.c.start_min).limit(6)).all()
    past = connection.execute(
        select(v).where(own, v.c.day < today).order_by(v.c.day.desc(), v.c.start_min).limit(9)
    ).all()
    household = {"household_id": row.household_id}
    return Record(
        row, record_gaps(facts_of(clinic, row, covers, today)), flags_of(connection, patient_id), notes_of(connection, patient_id, today),
        _coverages(connection, clinic, row, covers, now, today), _orders(clinic, covers, today), members_of(connection, row.household_id),
        {r.patient_id: r.day for r in connection.execute(_NEXT, household | {"today": today})},
        {r.patient_id: int(r.cents) for r in connection.execute(_OWES, household)}, [*ahead, *past], len(ahead), planned_for(connection, patient_id),
        reasons_of(connection, patient_id), tally_of(connection, patient_id), files_of(connection, patient_id),
        list(connection.execute(select(a.c.number).where(a.c.patient_id == patient_id).order_by(a.c.number)).scalars()),
    )  # fmt: skip


def _coverages(
    connection: Connection, clinic: Clinic, patient: Any, covers: Sequence[Any], now: datetime, today: date
) -> list[CoverageShown]:
    """All coverages; those that count today with what is used of them, in the network."""
    provider = next(iter(clinic.providers))
    used: dict[int, Cover] = {}
    for dental in {c.dental for c in covers}:
        rows, found = covers_for(connection, clinic, (patient.id, patient.birth), dental, today, provider)
        used |= {r.id: cover for r, cover in zip(rows, found, strict=True)}
    return [_shown(clinic, c, used.get(c.id), now, today) for c in covers]


def _shown(clinic: Clinic, row: Any, cover: Cover | None, now: datetime, today: date) -> CoverageShown:
    holder = holder_of(row)
    words = "" if row.relationship == "18" else f"through {holder.first} {holder.last}"
    fresh = row.checked_at is not None and now - row.checked_at < timedelta(days=habits_of(clinic).fresh_days)
    state = row.check_state if fresh or row.check_state == "failed" else "unchecked"
    return CoverageShown(
        row,
        cover,
        words,
        "phone" if clinic.payers[row.payer_id].eligibility != "auto" else state,
        holds_on(row, today),
        row.rank == 1,
    )


def _orders(clinic: Clinic, covers: Sequence[Any], today: date) -> list[str]:
    kinds = ([c for c in covers if c.dental == dental and holds_on(c, today)] for dental in (True, False))
    return [words for found in kinds if (words := order_words(clinic, found))]


def changes_of(connection: Connection, patient_id: int, limit: int = 60) -> list[Any]:
    """What was changed on the record, by whom and when, the latest first; also what was done on records merged into it."""
    a, u, p = schema.audit, schema.user, schema.patient
    ids = [patient_id, *connection.execute(select(p.c.id).where(p.c.merged_into_id == patient_id)).scalars()]
    query = select(a.c.at, a.c.act, a.c.detail, u.c.name.label("by_name")).join(u, u.c.id == a.c.by_id, isouter=True)
    query = query.where(a.c.patient_id.in_(ids), or_(*(a.c.act.like(each) for each in _CHANGES)))
    return list(connection.execute(query.order_by(a.c.id.desc()).limit(limit)))

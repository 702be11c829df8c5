"""The whole record of a patient, read and put together for one page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from zax.core.book.cancellation import Attendance
from zax.core.coverage.answer import FAILED
from zax.core.coverage.estimate import Cover
from zax.core.errors import NotFound
from zax.core.record.gaps import Gap, record_gaps
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.coverages import holder_of, order_words
from zax.desk.coverage.eligibility import habits_of
from zax.desk.coverage.estimate_inputs import covers_for, holds_on
from zax.desk.messages.addresses import known_of
from zax.desk.record.record_gaps import facts_of
from zax.store.book.planned import planned_for
from zax.store.book.records import PlannedService, WaitRow
from zax.store.book.waitlist import waits_of as reasons_of
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.listing import Listed, Wanted
from zax.store.patients.attendance import attendance_of
from zax.store.patients.files import files_of
from zax.store.patients.notes import flags_of, notes_of
from zax.store.patients.patients import members_of, patient_of
from zax.store.patients.records import Patient, PatientFile, PatientFlag, PatientNote
from zax.store.record import record as stored
from zax.store.record.record import RecordChange, RecordVisit

MOST_AHEAD, MOST_PAST = 6, 9
_CHANGES = ("patient.%", "coverage.%", "planned.%", "teeth.%")


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverageShown:
    """A coverage with what is used of it (for those that count today), its holder in words, how its last
    check stands (fine, problem, failed, unchecked, phone) and whether it holds today.
    """

    row: Coverage
    cover: Cover | None
    holder: str
    state: str
    holds: bool
    first: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """Everything the page shows. `visits` are those ahead, soonest first, then the past, latest first."""

    patient: Patient
    gaps: list[Gap]
    flags: list[PatientFlag]
    notes: list[PatientNote]
    coverages: list[CoverageShown]
    order: list[str]
    members: list[Patient]
    next_days: dict[int, date]
    owes: dict[int, int]
    visits: list[RecordVisit]
    ahead: int
    planned: Sequence[PlannedService]
    waits: Sequence[WaitRow]
    attendance: Attendance
    files: list[PatientFile]
    merged: list[str]

    @property
    def owed_by_all(self) -> int:
        """What the household owes together, in cents."""
        return sum(self.owes.values())


def number_of(connection: Connection, text_id: int) -> int:
    """The patient a number leads to: itself, or the one it was merged into. NotFound for an unknown one."""
    row = patient_of(connection, text_id)
    if row is None:
        raise NotFound("There is no such patient.")
    return row.merged_into_id or row.id


def record_of(connection: Connection, clinic: Clinic, patient_id: int, now: datetime, today: date) -> Record:
    row = patient_of(connection, patient_id)
    if row is None:
        raise NotFound("There is no such patient.")
    covers = coverages_of(connection, [patient_id])
    ahead = stored.visits_ahead(connection, patient_id, today, MOST_AHEAD)
    return Record(
        patient=row,
        gaps=record_gaps(
            facts_of(
                clinic,
                row,
                covers,
                today,
                known_of(connection, (row.phone, row.home_phone, row.work_phone, row.email)),
            )
        ),
        flags=flags_of(connection, patient_id),
        notes=notes_of(connection, patient_id, today),
        coverages=_coverages(connection, clinic, row, covers, now, today),
        order=_orders(clinic, covers, today),
        members=members_of(connection, row.household_id),
        next_days=stored.next_days(connection, row.household_id, today),
        owes=stored.household_owes(connection, row.household_id),
        visits=[*ahead, *stored.visits_past(connection, patient_id, today, MOST_PAST)],
        ahead=len(ahead),
        planned=planned_for(connection, patient_id),
        waits=reasons_of(connection, patient_id),
        attendance=attendance_of(connection, patient_id),
        files=files_of(connection, patient_id),
        merged=stored.merged_numbers(connection, patient_id),
    )


def _coverages(
    connection: Connection,
    clinic: Clinic,
    patient: Patient,
    covers: Sequence[Coverage],
    now: datetime,
    today: date,
) -> list[CoverageShown]:
    """All coverages; those that count today with what is used of them, in the network."""
    provider = next(iter(clinic.providers))
    used: dict[int, Cover] = {}
    for dental in {c.dental for c in covers}:
        rows, found = covers_for(connection, clinic, (patient.id, patient.birth), dental, today, provider)
        used |= {r.id: cover for r, cover in zip(rows, found, strict=True)}
    return [_shown(clinic, c, used.get(c.id), now, today) for c in covers]


def _shown(clinic: Clinic, row: Coverage, cover: Cover | None, now: datetime, today: date) -> CoverageShown:
    holder = holder_of(row)
    words = "" if row.relationship == "18" else f"through {holder.first} {holder.last}"
    fresh = row.checked_at is not None and now - row.checked_at < timedelta(days=habits_of(clinic).fresh_days)
    state = row.check_state if fresh or row.check_state == FAILED else "unchecked"
    return CoverageShown(
        row=row,
        cover=cover,
        holder=words,
        state="phone" if clinic.payers[row.payer_id].eligibility != "auto" else state,
        holds=holds_on(row, today),
        first=row.rank == 1,
    )


def _orders(clinic: Clinic, covers: Sequence[Coverage], today: date) -> list[str]:
    kinds = ([c for c in covers if c.dental == dental and holds_on(c, today)] for dental in (True, False))
    return [words for found in kinds if (words := order_words(clinic, found))]


def changes_of(connection: Connection, patient_id: int, wanted: Wanted) -> Listed[RecordChange]:
    """What was changed on the record, by whom and when; also what was done on records merged into it."""
    return stored.listed_changes(connection, patient_id, _CHANGES, wanted)

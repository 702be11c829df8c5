"""What the booking form says of the patient who is picked: what is coming, what is owed, how they are
covered, what they are due for; and what it offers to add.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.arrivals.conditions import Place
from zax.core.book.due import Due, DueFacts, what_is_due
from zax.core.book.waitlist import WAIT_WORDS, WaitWhy
from zax.core.charges.teeth import show_tooth
from zax.core.errors import NotFound
from zax.core.followup.due import OPEN, Stand
from zax.core.patients.person import is_new
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.heads_ups import Shown, heads_ups
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import holds_on
from zax.store.book.openings import last_with
from zax.store.book.planned import planned_for, relatives_of
from zax.store.book.records import PlannedService, Relative
from zax.store.book.waitlist import waits_of
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.followup.recalls import recalls_of
from zax.store.followup.returns import returns_of
from zax.store.patients.attendance import last_came
from zax.store.patients.notes import flags_of
from zax.store.patients.patients import active_patient
from zax.store.patients.records import Patient, PatientFlag
from zax.store.record.record import RecordVisit, household_owes, visits_ahead

MOST_COMING = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Booking:
    """`owed` and `owed_by_all` are cents of the patient and of the household."""

    patient: Patient
    new: bool
    coming: Sequence[RecordVisit]
    owed: int
    owed_by_all: int
    coverages: Sequence[Coverage]
    flags: Sequence[PatientFlag]
    ups: Sequence[Shown]
    due: Sequence[Due]
    planned: Sequence[PlannedService]
    household: Sequence[Relative]


def booking_of(connection: Connection, clinic: Clinic, patient_id: int, today: date) -> Booking:
    """Raises NotFound for somebody who cannot be booked."""
    person = active_patient(connection, patient_id)
    if person is None:
        raise NotFound("There is no such patient.")
    owes = household_owes(connection, person.household_id)
    planned = planned_for(connection, patient_id)
    coming = visits_ahead(connection, patient_id, today, MOST_COMING)
    new = is_new(last_came(connection, [patient_id], today).get(patient_id))
    return Booking(
        patient=person,
        new=new,
        coming=coming,
        owed=owes.get(patient_id, 0),
        owed_by_all=sum(owes.values()),
        coverages=[each for each in coverages_of(connection, [patient_id]) if holds_on(each, today)],
        flags=flags_of(connection, patient_id),
        ups=heads_ups(connection, clinic, Place.BOOKING, Asking(patient_id), today),
        due=due_of(connection, clinic, patient_id, new, planned, coming, today),
        planned=planned,
        household=relatives_of(connection, patient_id),
    )


def due_of(
    connection: Connection,
    clinic: Clinic,
    patient_id: int,
    new: bool,
    planned: Sequence[PlannedService],
    coming: Sequence[RecordVisit],
    today: date,
) -> list[Due]:
    """What the patient is due for; only what can be booked."""
    kinds = {kind.id: kind for kind in clinic.types.values() if kind.active}
    facts = DueFacts(
        waits=[(row.type_id, WAIT_WORDS[WaitWhy(row.why)]) for row in waits_of(connection, patient_id)],
        returns=[
            (row.type_id, row.words, row.due_day)
            for row in returns_of(connection, patient_id)
            if row.type_id is not None and row.stand(today) in OPEN
        ],
        recalls=[
            (row.type_id, row.due_day)
            for row in recalls_of(connection, patient_id, today)
            if row.stand(today) is not Stand.PAUSED
        ],
        planned=[
            (row.id, type_id, _planned_words(clinic, row))
            for row in planned
            if (type_id := type_doing(clinic, row.service_id))
        ],
        first_visits=[kind.id for kind in kinds.values() if kind.for_whom == "new"] if new else [],
        booked={visit.type_id for visit in coming},
    )
    fitting = {number for number, kind in kinds.items() if kind.for_whom != ("known" if new else "new")}
    return [due for due in what_is_due(facts, today) if due.type_id in fitting]


def _planned_words(clinic: Clinic, row: PlannedService) -> str:
    tooth = f", tooth {show_tooth(row.tooth, clinic.numbering)}" if row.tooth else ""
    return f"{clinic.services[row.service_id].words}{tooth}"


def type_doing(clinic: Clinic, service_id: int) -> int:
    """The visit type for a planned service: one that brings it, or else one that brings the like; 0 for
    none.
    """
    service = clinic.services[service_id]
    kinds = [kind for kind in clinic.types.values() if kind.active and kind.dental == service.dental]
    own = [kind.id for kind in kinds if service_id in kind.services]
    alike = [
        kind.id
        for kind in kinds
        if any(clinic.services[number].category == service.category for number in kind.services)
    ]
    return next(iter(own + alike), 0)


def usual_person(connection: Connection, clinic: Clinic, patient_id: int, type_id: int) -> int:
    """Who of those who do this type saw the patient last; 0 for nobody, or for somebody who left."""
    last = last_with(connection, patient_id, clinic.types[type_id].role)
    return last if last is not None and last in clinic.providers else 0

"""What is known of people for one visit each, as heads-ups and arrival steps ask for it; read for a whole day
at once.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.clock import local
from zax.core.arrivals.conditions import About
from zax.core.arrivals.forms import is_due
from zax.core.book.cancellation import Attendance, tally
from zax.core.patients.person import age_on, is_new
from zax.core.record.gaps import record_gaps
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import holds_on
from zax.desk.record.record_gaps import facts_of
from zax.store.arrivals import facts as stored
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.patients.patients import patients_of
from zax.store.patients.records import Patient


@dataclass(frozen=True, slots=True)
class Asking:
    """Whom to ask about: a patient, and the visit with its type and provider where there is one
    (0: none).
    """

    patient_id: int
    type_id: int = 0
    provider_id: int = 0
    visit_id: int = 0


@dataclass(frozen=True, slots=True)
class Known:
    """The facts, and beside them what arrival steps need: the patient, and the clinic's day on which forms
    were last signed by template, the coverages on file, how they kept their times,
    and which heads-ups were dismissed.
    """

    about: About
    patient: Patient
    signed: dict[int, date]
    new: bool
    coverages: Sequence[Coverage]
    attendance: Attendance
    away: frozenset[int]


def known_of(connection: Connection, clinic: Clinic, asked: Sequence[Asking], today: date) -> list[Known]:
    """One answer a question, in order; three statements for any number of people."""
    ids = sorted({each.patient_id for each in asked}) or [0]
    people, zone = patients_of(connection, ids), clinic.first_site.timezone
    own = [each for each in clinic.own_fields.values() if each.active]
    noted = stored.noted_of(connection, ids, [each.visit_id for each in asked] or [0], today)
    covers: dict[int, list[Coverage]] = defaultdict(list)
    for row in coverages_of(connection, ids):
        covers[row.patient_id].append(row)

    def known(each: Asking) -> Known:
        person, on_file = people[each.patient_id], noted[each.patient_id]
        signed = {form: local(at, zone).date() for form, at in on_file.signed.items()}
        mine = [c for c in covers[person.id] if holds_on(c, today)]
        gaps = record_gaps(facts_of(clinic, person, mine, today))
        kind = clinic.types.get(each.type_id)
        due = frozenset(
            form.id
            for form in clinic.forms.values()
            if form.active and is_due(signed.get(form.id), form.again_months, today)
        )
        was = on_file.last_came
        about = About(
            first=person.used_name or person.first,
            last=person.last,
            flags=frozenset(on_file.flags),
            age=age_on(person.birth, today) if person.birth else None,
            balance=on_file.owes,
            days_since=(today - was).days if was else None,
            type_id=each.type_id,
            type_name=kind.name if kind else "",
            provider=clinic.providers[each.provider_id].short if each.provider_id in clinic.providers else "",
            diagnoses=tuple(on_file.diagnoses),
            kinds=_kinds(clinic, mine),
            unsigned=due,
            overdue=_overdue(on_file.recall_due, today),
            gaps=frozenset(gap.purpose.value for gap in gaps),
            missing=gaps[0].words if gaps else "",
            own=frozenset(f"{each.name}={person.own.get(each.name, '')}" for each in own),
        )
        return Known(
            about,
            person,
            signed,
            is_new(was),
            covers[person.id],
            tally(on_file.visits),
            frozenset(on_file.away),
        )

    return [known(each) for each in asked]


def _overdue(due: date | None, today: date) -> int | None:
    """Days since the recall fell due; None while it isn't due yet."""
    return (today - due).days if due and due <= today else None


def _kinds(clinic: Clinic, covers: Sequence[Coverage]) -> frozenset[str]:
    if not covers:
        return frozenset({"none"})
    return frozenset(
        {clinic.payers[c.payer_id].kind for c in covers}
        | {"dental" if c.dental else "medical" for c in covers}
    )

"""What is known of people for one visit each, as heads-ups and arrival steps ask for it; read for a whole day at once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, bindparam, select, text

from zax.clock import local
from zax.core.arrivals.conditions import About
from zax.core.arrivals.forms import is_due
from zax.core.followup.recall import overdue_days
from zax.core.patients.person import age_on
from zax.core.record.gaps import record_gaps
from zax.desk.clinic.clinic import Clinic
from zax.desk.record.record_gaps import facts_of, holds_on
from zax.store import schema
from zax.store.coverage.queries import coverages_of

_IDS = bindparam("ids", expanding=True)
_FLAGS = text(
    "SELECT patient_id, flag_id FROM patient_flag WHERE patient_id IN :ids AND ended_at IS NULL"
).bindparams(_IDS)
_OWES = text(
    "SELECT patient_id, SUM(patient_cents) AS cents FROM journal WHERE patient_id IN :ids GROUP BY patient_id"
).bindparams(_IDS)
_LAST = text(
    "SELECT patient_id, MAX(day) AS day FROM visit WHERE patient_id IN :ids AND day < :today AND state IN ('checkout', 'left', 'settled') GROUP BY patient_id"
).bindparams(_IDS)
_DIAGNOSES = text(
    "SELECT DISTINCT v.patient_id, d.code FROM visit v JOIN visit_diagnosis d ON d.visit_id = v.id WHERE v.patient_id IN :ids ORDER BY d.code"
).bindparams(_IDS)
_SIGNED = text(
    "SELECT patient_id, template_id, MAX(at) AS at FROM signed_form WHERE patient_id IN :ids AND template_id IS NOT NULL GROUP BY patient_id, template_id"
).bindparams(_IDS)
_RECALLS = text(
    "SELECT patient_id, MIN(due_day) AS day FROM recall WHERE patient_id IN :ids AND ended_at IS NULL GROUP BY patient_id"
).bindparams(_IDS)


@dataclass(frozen=True, slots=True)
class Asking:
    """Whom to ask about: a patient, and the visit's type and provider where there is one (0: none)."""

    patient_id: int
    type_id: int = 0
    provider_id: int = 0


@dataclass(frozen=True, slots=True)
class Known:
    """The facts, and beside them what arrival steps need: the patient's row, and the clinic's day on which forms were last signed by template."""

    about: About
    patient: Any
    signed: dict[int, date]
    here_before: bool


def known_of(connection: Connection, clinic: Clinic, asked: Sequence[Asking], today: date) -> list[Known]:
    """One answer a question, in order; eight statements for any number of people."""
    ids = sorted({each.patient_id for each in asked}) or [0]
    people = {row.id: row for row in connection.execute(select(schema.patient).where(schema.patient.c.id.in_(ids)))}
    flags = _many(connection, _FLAGS, ids, "flag_id")
    diagnoses = _many(connection, _DIAGNOSES, ids, "code")
    owes = _one_each(connection, _OWES, ids, "cents")
    last = _one_each(connection, _LAST, ids, "day", today=today)
    recalls = _one_each(connection, _RECALLS, ids, "day")
    zone = clinic.first_site.timezone
    signed: dict[int, dict[int, date]] = defaultdict(dict)
    for row in connection.execute(_SIGNED, {"ids": ids}):
        signed[row.patient_id][row.template_id] = local(row.at, zone).date()
    covers: dict[int, list[Any]] = defaultdict(list)
    for row in coverages_of(connection, ids):
        covers[row.patient_id].append(row)

    def known(each: Asking) -> Known:
        person = people[each.patient_id]
        mine = [c for c in covers[person.id] if holds_on(c, today)]
        gaps = record_gaps(facts_of(clinic, person, mine, today))
        kind = clinic.types.get(each.type_id)
        due = frozenset(
            form.id for form in clinic.forms.values()
            if form.active and is_due(signed[person.id].get(form.id), form.again_months, today)
        )  # fmt: skip
        was = last.get(person.id)
        about = About(
            person.used_name or person.first, person.last, frozenset(flags[person.id]), age_on(person.birth, today) if person.birth else None,
            int(owes.get(person.id, 0)), (today - was).days if was else None, each.type_id, kind.name if kind else "",
            clinic.providers[each.provider_id].short if each.provider_id in clinic.providers else "", tuple(diagnoses[person.id]), _kinds(clinic, mine), due,
            overdue_days(recalls[person.id], today) if person.id in recalls else None, frozenset(gap.purpose.value for gap in gaps),
            gaps[0].words if gaps else "",
        )  # fmt: skip
        return Known(about, person, signed[person.id], was is not None)

    return [known(each) for each in asked]


def _kinds(clinic: Clinic, covers: Sequence[Any]) -> frozenset[str]:
    if not covers:
        return frozenset({"none"})
    return frozenset(
        {clinic.payers[c.payer_id].kind for c in covers} | {"dental" if c.dental else "medical" for c in covers}
    )


def _many(connection: Connection, statement: Any, ids: list[int], name: str) -> dict[int, list[Any]]:
    found: dict[int, list[Any]] = defaultdict(list)
    for row in connection.execute(statement, {"ids": ids}):
        found[row.patient_id].append(getattr(row, name))
    return found


def _one_each(connection: Connection, statement: Any, ids: list[int], name: str, **more: Any) -> dict[int, Any]:
    return {row.patient_id: getattr(row, name) for row in connection.execute(statement, {"ids": ids, **more})}

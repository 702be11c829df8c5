"""From rows to the facts that record gaps are computed from: a patient's whole record, or what a visit's
screen has read anyway.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

from zax.core.messages.reach import NOTHING_KNOWN, Known
from zax.core.patients.fields import PHONES
from zax.core.patients.own_fields import missing
from zax.core.record.gaps import CoverFacts, Facts
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.coverages import holder_of
from zax.desk.coverage.estimate_inputs import holds_on
from zax.store.book.records import Visit
from zax.store.coverage.records import Coverage
from zax.store.patients.records import Patient


def facts_of(
    clinic: Clinic,
    row: Patient,
    covers: Sequence[Coverage],
    day: date,
    known: Mapping[str, Known] = NOTHING_KNOWN,
    arriving: bool = False,
) -> Facts:
    """What the gaps are computed from; `covers` from store.coverage, `known` what is known of their
    addresses; `arriving` asks also for what is needed at check-in.
    """
    number = {"phone": "phone", "home": "home_phone", "work": "work_phone"}.get(row.texts_to)
    return Facts(
        birth=row.birth,
        sex=row.sex,
        phone=row.phone,
        street=row.street,
        zip=row.zip,
        other_phones="".join(getattr(row, name) for name in PHONES if name != "phone"),
        texts_go=getattr(row, number) if number and row.phone else None,
        emergency=row.emergency_name,
        coverages=[_cover_facts(clinic, c) for c in covers if holds_on(c, day)],
        unreachable=_unreachable(row, known),
        own=missing(clinic.own_fields.values(), row.own, arriving),
    )


def _unreachable(row: Patient, known: Mapping[str, Known]) -> dict[str, str]:
    """The numbers and addresses at which nothing arrives, in words."""
    names = {
        "phone": "mobile number",
        "home_phone": "home number",
        "work_phone": "work number",
        "email": "email",
    }
    return {
        name: f"{words}: {known[getattr(row, name)].trouble}"
        for name, words in names.items()
        if getattr(row, name) in known and known[getattr(row, name)].trouble
    }


def _cover_facts(clinic: Clinic, row: Coverage) -> CoverFacts:
    street = row.holder.get("street", "") if row.subscriber_id is None else "on their own record"
    return CoverFacts(
        id=row.id,
        words=row.plan_name,
        member_id=row.member_id,
        own=row.relationship == "18",
        holder_birth=holder_of(row).birth,
        holder_address=street,
        group=row.group_number,
        needs_group="group" in clinic.payers[row.payer_id].required,
    )


def visit_facts(
    clinic: Clinic, visit: Visit, covers: Sequence[Coverage], own: Mapping[str, str] | None = None
) -> Facts:
    """What stops the visit from being billed or its patient from being reached; with `own`, the clinic's own
    fields of the patient, what is missing of those.
    """
    return Facts(
        birth=visit.birth,
        sex=visit.sex,
        phone=visit.phone,
        street=visit.street,
        coverages=[_cover_facts(clinic, c) for c in covers],
        own=[] if own is None else missing(clinic.own_fields.values(), own, arriving=False),
    )

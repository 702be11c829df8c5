"""Work planned for patients, and their wishes, as booking needs them."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from zax.core.charges.lines import TypedLine, check_line
from zax.core.charges.teeth import read_tooth
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import NotFound, Refused
from zax.core.patients.wishes import wishes_of
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.book import planned as stored
from zax.store.patients.patients import patient_of


def type_for_work(kinds: Iterable[VisitType], service_ids: Collection[int]) -> VisitType | None:
    """The first of these types whose own services hold some of the work; None where none does."""
    return next((kind for kind in kinds if kind.active and set(kind.services) & set(service_ids)), None)


@act("charges")
def plan_service(tx: Transaction, patient_id: int, service_id: int, tooth: str, surfaces: str) -> None:
    """Plan a service; its tooth and surfaces may follow later, but what is given must be right."""
    service = tx.clinic.find_service(service_id)
    if patient_of(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    typed = TypedLine("1", read_tooth(tooth, tx.clinic.numbering), surfaces)
    detail = check_line(service.rule, typed) if tooth or surfaces else None
    stored.add_planned(
        tx.connection,
        patient_id=patient_id,
        service_id=service.id,
        tooth=detail.tooth if detail else "",
        surfaces=detail.surfaces if detail else "",
        made_at=tx.now,
    )
    tx.audit("planned.added", patient_id=patient_id, code=service.code)
    tx.tell("patient", patient_id=patient_id)


@act("charges")
def drop_planned(tx: Transaction, planned_id: int) -> int:
    """Take a planned service away; the patient's id. It stays on record."""
    row = stored.planned_for_update(tx.connection, planned_id)
    if row is None or row.removed_at is not None:
        raise NotFound("This service isn’t planned anymore.")
    if row.visit_id is not None:
        raise Refused("A visit is booked for this service. Remove it from that visit first.")
    stored.remove_planned(tx.connection, planned_id, tx.now)
    tx.audit("planned.removed", patient_id=row.patient_id, code=tx.clinic.services[row.service_id].code)
    return row.patient_id


@act("patients")
def set_wishes(tx: Transaction, patient_id: int, likes: Iterable[int], never: Iterable[int]) -> None:
    """The half days the patient likes, and those they can never come."""
    wishes = wishes_of(likes, never)
    if not stored.set_wishes(tx.connection, patient_id, wishes.likes, wishes.never):
        raise NotFound("There is no such patient.")
    tx.audit("patient.wishes", patient_id=patient_id, likes=wishes.likes, never=wishes.never)
    tx.tell("patient", patient_id=patient_id)

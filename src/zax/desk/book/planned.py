"""Work planned for patients, their household and their wishes, as booking needs them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import Connection, bindparam, select, text, update

from zax.core.charges.lines import TypedLine, check_line
from zax.core.charges.teeth import read_tooth
from zax.core.errors import NotFound, Refused
from zax.core.patients.wishes import wishes_of
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store import schema

_P, _O = schema.planned_service, schema.proposal
_PLANNED = (
    select(_P)
    .join(_O, _O.c.id == _P.c.proposal_id, isouter=True)
    .where(
        _P.c.patient_id == bindparam("patient_id"), _P.c.visit_id.is_(None), _P.c.done_at.is_(None), _P.c.removed_at.is_(None),
        _P.c.proposal_id.is_(None) | ((_O.c.signed_option == _P.c.option_letter) & _O.c.ended_at.is_(None)),
    )
    .order_by(_P.c.phase, _P.c.id)
)  # fmt: skip
_HOUSEHOLD = text(
    "SELECT o.id, o.first, o.last, o.birth FROM patient p JOIN patient o ON o.household_id = p.household_id "
    "WHERE p.id = :patient_id AND o.id <> p.id AND o.status = 'active' ORDER BY o.birth, o.id LIMIT 12"
)


def planned_for(connection: Connection, patient_id: int) -> Sequence[Any]:
    """The patient's planned services that no visit is to do yet: single ones, and those of a signed option by phase."""
    return connection.execute(_PLANNED, {"patient_id": patient_id}).all()


def household_of(connection: Connection, patient_id: int) -> Sequence[Any]:
    """The other members of the patient's household, oldest first."""
    return connection.execute(_HOUSEHOLD, {"patient_id": patient_id}).all()


@act("charges")
def plan_service(tx: Transaction, patient_id: int, service_id: int, tooth: str, surfaces: str) -> None:
    """Plan a service; its tooth and surfaces may follow later, but what is given must be right."""
    service = tx.clinic.find_service(service_id)
    if tx.one(select(schema.patient.c.id).where(schema.patient.c.id == patient_id)) is None:
        raise NotFound("There is no such patient.")
    typed = TypedLine("1", read_tooth(tooth, tx.clinic.numbering), surfaces)
    detail = check_line(service.rule, typed) if tooth or surfaces else None
    tx.add(
        schema.planned_service, patient_id=patient_id, service_id=service.id, tooth=detail.tooth if detail else "", surfaces=detail.surfaces if detail else "",
        made_at=tx.now,
    )  # fmt: skip
    tx.audit("planned.added", patient_id=patient_id, code=service.code)
    tx.tell("patient", patient_id=patient_id)


@act("charges")
def drop_planned(tx: Transaction, planned_id: int) -> int:
    """Take a planned service away; the patient's id. It stays on record."""
    p = schema.planned_service
    row = tx.one(select(p).where(p.c.id == planned_id).with_for_update())
    if row is None or row.removed_at is not None:
        raise NotFound("This service is not planned any more.")
    if row.visit_id is not None:
        raise Refused("A visit is booked for this service. Take it off that visit first.")
    tx.connection.execute(update(p).where(p.c.id == planned_id).values(removed_at=tx.now))
    tx.audit("planned.removed", patient_id=row.patient_id, code=tx.clinic.services[row.service_id].code)
    return int(row.patient_id)


@act("patients")
def set_wishes(tx: Transaction, patient_id: int, likes: Iterable[int], never: Iterable[int]) -> None:
    """The half days the patient likes, and those they can never come."""
    wishes = wishes_of(likes, never)
    p = schema.patient
    done = tx.connection.execute(update(p).where(p.c.id == patient_id).values(likes=wishes.likes, never=wishes.never))
    if not done.rowcount and tx.one(select(p.c.id).where(p.c.id == patient_id)) is None:
        raise NotFound("There is no such patient.")
    tx.audit("patient.wishes", patient_id=patient_id, likes=wishes.likes, never=wishes.never)
    tx.tell("patient", patient_id=patient_id)

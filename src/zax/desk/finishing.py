"""Out of the room and back: charges, planned work, stages and money move together, in one transaction each way."""

from __future__ import annotations

from sqlalchemy import update

from zax.core.book.track import Stop
from zax.core.charges.lines import unfinished
from zax.core.errors import Refused
from zax.desk.charges import open_visit
from zax.desk.money import post_charges, settle_visit, take_charges_back
from zax.desk.track import locked_visit, step
from zax.desk.unit import Unit, act
from zax.store import money, schema


@act("charges")
def ready_for_checkout(
    unit: Unit, visit_id: int, reason: str = "", version: int | None = None, patient_id: int | None = None
) -> None:
    """Out of the room: the charges become entries, planned work is done. A visit without charges needs a reason."""
    open_visit(unit, visit_id, patient_id)
    visit = locked_visit(unit, visit_id, version)
    lines = money.visit_lines(unit.connection, visit.id)
    if not lines and not reason.strip():
        raise Refused(
            "Nothing is charged for this visit. Add what was done, or say why there is no charge.", "reason"
        )
    diagnoses = [row.code for row in money.visit_diagnoses(unit.connection, visit.id)]
    open_points = [
        problem
        for line in lines
        if (
            problem := unfinished(
                unit.clinic.services[line.service_id].rule, line.tooth, line.surfaces, line.area, diagnoses
            )
        )
    ]
    if open_points:
        raise Refused(f"Before checkout: {'; '.join(dict.fromkeys(open_points))}.", "lines")
    step(unit, visit, Stop.CHECKOUT, reason)
    post_charges(unit, visit)
    settle_visit(unit, visit)
    p = schema.planned_service
    unit.connection.execute(update(p).where(p.c.visit_id == visit.id).values(done_at=unit.now))
    unit.audit("visit.ready", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)


@act("charges")
def back_to_room(unit: Unit, visit_id: int, reason: str, version: int | None = None) -> None:
    """Checkout taken back: the charges are reversed together, payments stay as credit of the visit."""
    visit = locked_visit(unit, visit_id, version)
    step(unit, visit, Stop.ROOM, reason, gone_at=None)
    take_charges_back(unit, visit, reason)
    settle_visit(unit, visit)
    p = schema.planned_service
    unit.connection.execute(update(p).where(p.c.visit_id == visit.id).values(done_at=None))
    unit.audit("visit.back_to_room", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)

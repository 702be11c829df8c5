"""What was done at a visit: lines and diagnoses, and the moves between room and checkout that post and reverse charges."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, func, select, text, update

from zax.core.book.track import Stop
from zax.core.charges.lines import MOST_DIAGNOSES, check_line, unfinished
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.money import post_charges, settle_visit, take_charges_back
from zax.desk.track import locked_visit, step
from zax.desk.unit import Unit, act
from zax.store import money, schema

OPEN_FOR_CHARGES = frozenset({Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT})


def _open_visit(unit: Unit, visit_id: int) -> Any:
    visit = locked_visit(unit, visit_id)
    if visit.state not in OPEN_FOR_CHARGES:
        raise Conflict("This visit is finished. Take the checkout back first, then change what was done.")
    return visit


def _changed(unit: Unit, visit: Any, act_name: str, **detail: Any) -> None:
    """After any change: at checkout the journal follows at once, before that the lines are only planned."""
    if visit.state == Stop.CHECKOUT:
        post_charges(unit, visit)
        settle_visit(unit, visit)
    v = schema.visit
    unit.connection.execute(update(v).where(v.c.id == visit.id).values(version=v.c.version + 1))
    unit.audit(act_name, patient_id=visit.patient_id, visit_id=visit.id, said="changed its services", **detail)
    unit.tell("charges", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


@act("charges")
def add_line(
    unit: Unit, visit_id: int, service_id: int, tooth: str = "", surfaces: str = "", units: str = "1"
) -> int:
    """A service done; tooth and surfaces may follow later, but what is given must be right."""
    visit = _open_visit(unit, visit_id)
    service = unit.clinic.services.get(service_id)
    if service is None:
        raise Refused("Choose a service from the list.", "service")
    if service.dental != unit.clinic.types[visit.type_id].dental:
        kind = "dental" if service.dental else "medical"
        raise Refused(f"{service.code} is a {kind} service; book it as a visit of that kind.", "service")
    rule = service.rule
    detail = check_line(rule, units, tooth, surfaces) if tooth or surfaces or not rule.needs_tooth else None
    line_id = unit.add(
        schema.charge_line, visit_id=visit.id, service_id=service.id, provider_id=visit.provider_id, fee_cents=service.fee_cents,
        units=detail.units if detail else 1, tooth=detail.tooth if detail else "", surfaces=detail.surfaces if detail else "",
        entered_at=unit.now, entered_by=unit.actor.id,
    )  # fmt: skip
    _changed(unit, visit, "charge.added", code=service.code)
    return line_id


@act("charges")
def change_line(
    unit: Unit,
    visit_id: int,
    line_id: int,
    units: str,
    tooth: str,
    surfaces: str,
    billed: bool,
    authorized: bool = False,
) -> None:
    """What was typed for a line; `authorized`: the plan has given its prior authorization."""
    visit = _open_visit(unit, visit_id)
    line = _line(unit, visit, line_id)
    service = unit.clinic.services[line.service_id]
    detail = check_line(service.rule, units, tooth, surfaces)
    unit.connection.execute(
        update(schema.charge_line)
        .where(schema.charge_line.c.id == line.id)
        .values(
            units=detail.units, tooth=detail.tooth, surfaces=detail.surfaces, billed=billed, authorized=authorized
        )
    )
    _changed(unit, visit, "charge.changed", code=service.code)


@act("charges")
def remove_line(unit: Unit, visit_id: int, line_id: int) -> None:
    visit = _open_visit(unit, visit_id)
    line = _line(unit, visit, line_id)
    unit.connection.execute(
        update(schema.charge_line).where(schema.charge_line.c.id == line.id).values(removed_at=unit.now)
    )
    _plan_follows(unit, line.id, None)
    _changed(unit, visit, "charge.removed", code=unit.clinic.services[line.service_id].code)


@act("charges")
def put_line_back(unit: Unit, visit_id: int, line_id: int) -> None:
    """Undo a removal."""
    visit = _open_visit(unit, visit_id)
    unit.connection.execute(
        update(schema.charge_line)
        .where(schema.charge_line.c.id == line_id, schema.charge_line.c.visit_id == visit.id)
        .values(removed_at=None)
    )
    _plan_follows(unit, line_id, visit.id)
    _changed(unit, visit, "charge.put_back")


def _plan_follows(unit: Unit, line_id: int, visit_id: int | None) -> None:
    """The planned service behind a line goes with it: free again when the line is taken off, the visit's when it comes back."""
    p, line = schema.planned_service, schema.charge_line
    behind = select(line.c.planned_id).where(line.c.id == line_id, line.c.planned_id.is_not(None)).scalar_subquery()
    unit.connection.execute(update(p).where(p.c.id == behind, p.c.done_at.is_(None)).values(visit_id=visit_id))


def _line(unit: Unit, visit: Any, line_id: int) -> Any:
    found = next((line for line in money.visit_lines(unit.connection, visit.id) if line.id == line_id), None)
    if found is None:
        raise NotFound("That service is no longer on this visit. Somebody may have taken it off.")
    return found


@act("charges")
def add_diagnosis(unit: Unit, visit_id: int, code: str) -> None:
    """The next diagnosis of the visit; it must be a billable code of ICD-10-CM, not a heading."""
    visit = _open_visit(unit, visit_id)
    found = unit.one(select(schema.diagnosis_code).where(schema.diagnosis_code.c.code == code.strip().upper()))
    if found is None:
        raise Refused("Choose a diagnosis from the list.", "diagnosis")
    if not found.billable:
        raise Refused(f"{found.code} is a heading. Choose one of the codes below it.", "diagnosis")
    present = money.visit_diagnoses(unit.connection, visit.id)
    if any(row.code == found.code for row in present):
        raise Refused(f"{found.code} is already on this visit.", "diagnosis")
    if len(present) >= MOST_DIAGNOSES:
        raise Refused(f"A claim carries at most {MOST_DIAGNOSES} diagnoses.", "diagnosis")
    position = max((row.position for row in present), default=0) + 1
    unit.connection.execute(
        schema.visit_diagnosis.insert().values(visit_id=visit.id, position=position, code=found.code)
    )
    _changed(unit, visit, "diagnosis.added", code=found.code)


@act("charges")
def remove_diagnosis(unit: Unit, visit_id: int, code: str) -> None:
    visit = _open_visit(unit, visit_id)
    table = schema.visit_diagnosis
    unit.connection.execute(delete(table).where(table.c.visit_id == visit.id, table.c.code == code))
    _changed(unit, visit, "diagnosis.removed", code=code)


@act("charges")
def ready_for_checkout(unit: Unit, visit_id: int, reason: str = "", version: int | None = None) -> None:
    """Out of the room: the charges become entries. A visit without charges needs a reason."""
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
        if (problem := unfinished(unit.clinic.services[line.service_id].rule, line.tooth, line.surfaces, diagnoses))
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
    step(unit, visit, Stop.ROOM, reason)
    take_charges_back(unit, visit, reason)
    settle_visit(unit, visit)
    p = schema.planned_service
    unit.connection.execute(update(p).where(p.c.visit_id == visit.id).values(done_at=None))
    unit.audit("visit.back_to_room", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)


def find_diagnoses(connection: Any, typed: str, limit: int = 12) -> list[Any]:
    """Codes by their beginning, or by words in any order (the last may be unfinished); billable ones first."""
    typed = " ".join(typed.split())[:60]
    table = schema.diagnosis_code
    if len(typed) < 2:
        return []
    if typed[0].isalpha() and any(ch.isdecimal() for ch in typed[1:3]):
        query = select(table).where(table.c.code.like(typed.upper().replace("%", "") + "%")).order_by(table.c.code)
        return list(connection.execute(query.limit(limit)).all())
    words = ["".join(ch for ch in word if ch.isalnum()) for word in typed.lower().split()]
    terms = " ".join(f"+{word}*" for word in words if len(word) > 1)
    if not terms:
        return []
    match = text("MATCH(words) AGAINST (:terms IN BOOLEAN MODE)")
    query = select(table).where(match).order_by(table.c.billable.desc(), func.length(table.c.words), table.c.code)
    return list(connection.execute(query.limit(limit), {"terms": terms}).all())

"""What was done at a visit: its lines, one by one, by set or from what was planned. A form says for whom it
was filled in, so that a visit given to another patient meanwhile is never charged by mistake.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from zax.core.book.track import Stop
from zax.core.charges.lines import PLACES, LineDetail, TypedLine, check_line, check_pointers, check_retired
from zax.core.charges.teeth import read_tooth
from zax.core.clinic.services import Service
from zax.core.errors import Conflict, NotAllowed, NotFound, ProblemCollector, Refused, Stale
from zax.core.form import CentsOrNone, Choice, Form, Tick
from zax.core.people.roles import require
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.fitting_codes import fitting_service, is_new_patient
from zax.desk.book.track import locked_visit
from zax.desk.book.visit_lines import bring_diagnoses
from zax.desk.money.ledger import post_charges, settle_visit
from zax.store.book import planned
from zax.store.book.changes import touch_visit
from zax.store.book.records import Visit
from zax.store.charges import lines
from zax.store.money import queries as money
from zax.store.money.records import ServiceLine

OPEN_FOR_CHARGES = frozenset({Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM, Stop.CHECKOUT})


class LineForm(Form):
    """A line as typed. No provider and no place keep what is there; without a `fee` (cents) it is the
    schedule's; `pointers` are letters of diagnoses.
    """

    units: str = "1"
    tooth: str = ""
    surfaces: str = ""
    billed: Tick = True
    authorized: Tick = False
    area: str = ""
    modifiers: str = ""
    pointers: str = ""
    provider_id: Choice = 0
    supervising_id: Choice = 0
    place: str = ""
    fee: CentsOrNone = None
    fee_why: str = ""


def open_visit(tx: Transaction, visit_id: int, patient_id: int | None = None) -> Visit:
    """The visit, locked, if it can still be charged. Stale when the form was filled in for somebody else."""
    visit = locked_visit(tx, visit_id)
    if patient_id is not None and visit.patient_id != patient_id:
        raise Stale(
            f"This visit is {visit.first} {visit.last}’s now. Nothing was charged. Take another look."
        )
    if visit.state not in OPEN_FOR_CHARGES:
        raise Conflict("This visit is finished. Undo the checkout first, then change what was done.")
    return visit


def lines_changed(tx: Transaction, visit: Visit, act_name: str, **detail: object) -> None:
    """After any change: at checkout the journal follows at once, before that the lines are only planned."""
    if visit.state == Stop.CHECKOUT:
        post_charges(tx, visit)
        settle_visit(tx, visit)
    touch_visit(tx.connection, visit.id)
    said = {"said": "changed its services", **detail}
    tx.audit_with(act_name, said, patient_id=visit.patient_id, visit_id=visit.id)
    tx.tell("charges", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


def _fitting(tx: Transaction, visit: Visit, service_id: int) -> Service:
    """The service, or its counterpart for a patient who is new or is not."""
    dental = tx.clinic.find_service(service_id).dental
    new = is_new_patient(tx.connection, visit.patient_id, dental, visit.day)
    service = tx.clinic.services[fitting_service(tx.clinic, service_id, new, visit.day)]
    if service.dental != tx.clinic.types[visit.type_id].dental:
        kind = "dental" if service.dental else "medical"
        raise Refused(f"{service.code} is a {kind} service; book it as a visit of that kind.", "service")
    check_retired(service.code, service.retired_on, visit.day)
    return service


def _write_line(
    tx: Transaction, visit: Visit, service: Service, detail: LineDetail, planned_id: int | None = None
) -> int:
    usual = service.usual
    return lines.add_line(
        tx.connection,
        visit_id=visit.id,
        service_id=service.id,
        provider_id=visit.provider_id,
        fee_cents=service.fee_cents,
        units=detail.units if detail.units != 1 else usual.units,
        tooth=detail.tooth,
        surfaces=detail.surfaces,
        area=detail.area,
        modifiers=" ".join(detail.modifiers or usual.modifiers),
        place=tx.clinic.sites[visit.site_id].place,
        planned_id=planned_id,
        at=tx.now,
        by_id=tx.actor.id,
        points_to=bring_diagnoses(tx.connection, visit.id, [usual.diagnosis]),
    )


@act("charges")
def add_line(
    tx: Transaction,
    visit_id: int,
    service_id: int,
    form: LineForm = LineForm(),
    patient_id: int | None = None,
) -> int:
    """A service done, with what usually comes with it; tooth, surfaces and area may follow later, but what is
    given must be right.
    """
    return _add_line(tx, visit_id, service_id, form, patient_id)


@act("charges")
def add_lines(
    tx: Transaction,
    visit_id: int,
    service_id: int,
    forms: Sequence[LineForm],
    patient_id: int | None = None,
) -> list[int]:
    """A service done on several teeth: a line for each, or none where one of them is wrong."""
    return [_add_line(tx, visit_id, service_id, form, patient_id) for form in forms]


def _add_line(tx: Transaction, visit_id: int, service_id: int, form: LineForm, patient_id: int | None) -> int:
    visit = open_visit(tx, visit_id, patient_id)
    service = _fitting(tx, visit, service_id)
    tooth = read_tooth(form.tooth, tx.clinic.numbering)
    typed = TypedLine(form.units, tooth, form.surfaces, form.area, form.modifiers)
    detail = check_line(service.rule.of_what_is_given(typed), typed)
    line_id = _write_line(tx, visit, service, detail)
    lines_changed(tx, visit, "charge.added", code=service.code)
    return line_id


@act("charges")
def add_set(tx: Transaction, visit_id: int, set_id: int, patient_id: int | None = None) -> list[int]:
    """Every service of a set that is not on the visit yet; their lines."""
    visit = open_visit(tx, visit_id, patient_id)
    chosen = tx.clinic.sets.get(set_id)
    if chosen is None or not chosen.active:
        raise Refused("Choose a set from the list.", "service")
    there = {line.service_id for line in money.visit_lines(tx.connection, visit.id)}
    services = [_fitting(tx, visit, number) for number in chosen.services if number not in there]
    if not services:
        raise Refused(f"Everything in “{chosen.name}” is on the visit already.", "service")
    made = [_write_line(tx, visit, service, LineDetail(1)) for service in services]
    lines_changed(tx, visit, "charge.set_added", name=chosen.name)
    return made


@act("charges")
def add_planned(tx: Transaction, visit_id: int, planned_id: int, patient_id: int | None = None) -> int:
    """Planned work that is done today after all: it belongs to this visit from now on."""
    visit = open_visit(tx, visit_id, patient_id)
    row = planned.planned_for_update(tx.connection, planned_id)
    if row is None or row.patient_id != visit.patient_id:
        raise NotFound(f"{visit.first} {visit.last} has no such planned service.")
    if row.removed_at is not None or row.done_at is not None or row.visit_id is not None:
        raise Conflict("This planned service is already done, booked or removed.", "service")
    service = _fitting(tx, visit, row.service_id)
    line_id = _write_line(
        tx, visit, service, LineDetail(1, row.tooth, row.surfaces, row.area), planned_id=planned_id
    )
    planned.give_planned(tx.connection, [planned_id], visit.id)
    lines_changed(tx, visit, "charge.planned_added", code=service.code)
    return line_id


@act("charges")
def change_line(
    tx: Transaction, visit_id: int, line_id: int, form: LineForm, patient_id: int | None = None
) -> None:
    """What was typed for a line. Raises Problems beside the fields of LineForm."""
    visit = open_visit(tx, visit_id, patient_id)
    line = _line(tx, visit, line_id)
    service = tx.clinic.services[line.service_id]
    diagnoses = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
    tooth = read_tooth(form.tooth, tx.clinic.numbering)
    wrong = ProblemCollector()
    typed = TypedLine(form.units, tooth, form.surfaces, form.area, form.modifiers)
    detail = wrong.take(check_line, service.rule, typed)
    points = wrong.take(check_pointers, form.pointers, diagnoses)
    people = wrong.take(_people, tx, service, line, form)
    if form.place and form.place not in PLACES:
        wrong.add("place", "Choose the place from the list.")
    priced = wrong.take(_priced, tx, service, line, form)
    wrong.raise_if_any()
    assert detail is not None and points is not None and people is not None and priced is not None
    after = replace(
        priced,
        units=detail.units,
        tooth=detail.tooth,
        surfaces=detail.surfaces,
        area=detail.area,
        modifiers=" ".join(detail.modifiers),
        billed=form.billed,
        authorized=form.authorized,
        points_to=list(points),
        place=form.place or line.place,
        provider_id=people[0],
        supervising_id=people[1],
    )
    lines.save_line(tx.connection, line, after)
    fee = {"fee_cents": after.fee_cents, "fee_why": after.fee_why, "fee_by": after.fee_by}
    more = {"fee": fee} if after.fee_cents != line.fee_cents else {}
    lines_changed(tx, visit, "charge.changed", code=service.code, **more)


def _people(tx: Transaction, service: Service, line: ServiceLine, form: LineForm) -> tuple[int, int | None]:
    """Who did it and who supervised, both of the service's kind; nobody supervises themselves."""
    known = tx.clinic.providers
    doing = form.provider_id or line.provider_id
    for number, field in ((doing, "provider_id"), (form.supervising_id, "supervising_id")):
        if number and (number not in known or known[number].dental != service.dental):
            raise Refused("Choose a provider for this type of care.", field)
    if form.supervising_id == doing:
        raise Refused(
            "Providers can’t supervise themselves. Choose someone else, or no one.", "supervising_id"
        )
    return doing, form.supervising_id or None


def _priced(tx: Transaction, service: Service, line: ServiceLine, form: LineForm) -> ServiceLine:
    """The line with the fee of one unit: the schedule's, or another by right and reason."""
    cents = service.fee_cents if form.fee is None else form.fee
    if cents == line.fee_cents:
        return line
    if cents == service.fee_cents:
        return replace(line, fee_cents=cents, fee_why="", fee_by=None)
    try:
        require(tx.actor.role, "fees", tx.clinic.roles.values())
    except NotAllowed as error:
        raise Refused(error.message, "fee") from None
    if not form.fee_why.strip():
        raise Refused("Say briefly why the fee differs from the schedule.", "fee_why")
    return replace(line, fee_cents=cents, fee_why=form.fee_why.strip()[:120], fee_by=tx.actor.id)


@act("charges")
def remove_line(tx: Transaction, visit_id: int, line_id: int) -> None:
    visit = open_visit(tx, visit_id)
    line = _line(tx, visit, line_id)
    lines.remove_line(tx.connection, line.id, tx.now)
    lines.turn_planned_of_line(tx.connection, line.id, None)
    lines_changed(tx, visit, "charge.removed", code=tx.clinic.services[line.service_id].code)


@act("charges")
def put_line_back(tx: Transaction, visit_id: int, line_id: int) -> None:
    """Undo a removal."""
    visit = open_visit(tx, visit_id)
    lines.put_line_back(tx.connection, visit.id, line_id)
    lines.turn_planned_of_line(tx.connection, line_id, visit.id)
    lines_changed(tx, visit, "charge.put_back")


def _line(tx: Transaction, visit: Visit, line_id: int) -> ServiceLine:
    found = next((line for line in money.visit_lines(tx.connection, visit.id) if line.id == line_id), None)
    if found is None:
        raise NotFound("That service isn’t on this visit anymore. Someone may have removed it.")
    return found

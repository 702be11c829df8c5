"""What a charge says besides its money: tooth, surfaces, area, modifiers, diagnoses. They may be corrected
after the checkout, while no claim has left with them, since no amount hangs on them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from zax.core.charges.lines import TypedLine, check_line, check_pointers
from zax.core.charges.teeth import read_tooth
from zax.core.errors import NotFound, Refused
from zax.desk.acts.transaction import Transaction
from zax.store.book.records import Visit
from zax.store.charges import lines
from zax.store.money import queries as money


def correct_line(tx: Transaction, visit: Visit, line_id: int, typed: Mapping[str, str]) -> None:
    """Some of tooth, surfaces, area, modifiers and pointers of one charge; raises Problems beside them."""
    line = next((each for each in money.visit_lines(tx.connection, visit.id) if each.id == line_id), None)
    if line is None:
        raise NotFound("This service isn’t on the visit anymore.")
    service = tx.clinic.services[line.service_id]
    tooth = read_tooth(typed["tooth"], tx.clinic.numbering) if "tooth" in typed else line.tooth
    said = TypedLine(
        str(line.units),
        tooth,
        typed.get("surfaces", line.surfaces),
        typed.get("area", line.area),
        typed.get("modifiers", line.modifiers),
    )
    detail = check_line(service.rule, said)
    points = line.points_to
    if "pointers" in typed:
        known = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
        points = check_pointers(typed["pointers"], known)
    after = replace(
        line,
        tooth=detail.tooth,
        surfaces=detail.surfaces,
        area=detail.area,
        modifiers=" ".join(detail.modifiers),
        points_to=list(points),
    )
    lines.save_line(tx.connection, line, after)
    _note(tx, visit, {name: [str(getattr(line, name, "")), text] for name, text in typed.items()})


def correct_diagnosis(tx: Transaction, visit: Visit, number: int, code: str) -> None:
    """Another code in the place of a diagnosis, counted from 1, wherever a charge points to it; 0 adds one.
    Refused beside `diagnosis`.
    """
    found = lines.diagnosis_of(tx.connection, code.strip().upper())
    if found is None:
        raise Refused("This isn’t in the list of diagnoses.", "diagnosis")
    if not found.billable:
        raise Refused(f"{found.code} is a heading. Choose one of the codes below it.", "diagnosis")
    codes = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
    if found.code in codes:
        raise Refused(f"{found.code} is already on this visit.", "diagnosis")
    before = codes[number - 1] if 0 < number <= len(codes) else ""
    after = [found.code if each == before else each for each in codes] if before else [*codes, found.code]
    for line in money.visit_lines(tx.connection, visit.id):
        if before in line.points_to:
            points = [found.code if each == before else each for each in line.points_to]
            lines.save_line(tx.connection, line, replace(line, points_to=points))
    lines.set_diagnoses(tx.connection, visit.id, after)
    _note(tx, visit, {"diagnosis": [before, found.code]})


def _note(tx: Transaction, visit: Visit, changed: Mapping[str, list[str]]) -> None:
    tx.audit("charge.corrected", patient_id=visit.patient_id, visit_id=visit.id, changed=dict(changed))
    tx.tell("charges", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)

"""Out of the room and back: charges, planned work, stages and money move together, in one transaction each
way.
"""

from __future__ import annotations

from dataclasses import replace

from zax.core.book.track import Stop
from zax.core.charges.lines import unfinished
from zax.core.charges.new_patient import misfit_words
from zax.core.errors import Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.fitting_codes import is_new_patient
from zax.desk.book.track import locked_visit, step
from zax.desk.charges.charges import open_visit
from zax.desk.money.ledger import post_charges, settle_visit, take_charges_back
from zax.store.charges.lines import finish_planned
from zax.store.money import queries as money


@act("charges")
def ready_for_checkout(
    tx: Transaction,
    visit_id: int,
    reason: str = "",
    version: int | None = None,
    patient_id: int | None = None,
) -> None:
    """Out of the room: the charges become entries, planned work is done. A visit without charges needs a
    reason.
    """
    open_visit(tx, visit_id, patient_id)
    visit = locked_visit(tx, visit_id, version)
    lines = money.visit_lines(tx.connection, visit.id)
    if not lines and not reason.strip():
        raise Refused(
            "There are no charges on this visit. Add what was done, or say why there’s no charge.", "reason"
        )
    diagnoses = [row.code for row in money.visit_diagnoses(tx.connection, visit.id)]
    new = is_new_patient(tx.connection, visit.patient_id, tx.clinic.types[visit.type_id].dental, visit.day)
    open_points = []
    for line in lines:
        rule = tx.clinic.services[line.service_id].rule
        open_points.append(unfinished(rule, line.tooth, line.surfaces, line.area, diagnoses))
        open_points.append(misfit_words(rule.code, new, visit.first))
    open_points = [each for each in open_points if each]
    if open_points:
        raise Refused(f"Before checkout: {'; '.join(dict.fromkeys(open_points))}.", "lines")
    step(tx, visit, Stop.CHECKOUT, reason)
    post_charges(tx, visit)
    settle_visit(tx, visit)
    finish_planned(tx.connection, visit.id, tx.now)
    tx.audit("visit.ready", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)


@act("charges")
def back_to_room(tx: Transaction, visit_id: int, reason: str, version: int | None = None) -> None:
    """Checkout taken back: the charges are reversed together, payments stay as credit of the visit."""
    visit = locked_visit(tx, visit_id, version)
    step(tx, visit, Stop.ROOM, reason, after=replace(visit, gone_at=None))
    take_charges_back(tx, visit, reason)
    settle_visit(tx, visit)
    finish_planned(tx.connection, visit.id, None)
    tx.audit("visit.back_to_room", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)

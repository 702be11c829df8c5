"""Leaving: the claim is made, the receipt goes out, and the visit is settled or waits for the money still open."""

from __future__ import annotations

from email.utils import make_msgid
from typing import Any

from sqlalchemy import select

from zax.core.book.track import Stop
from zax.core.errors import Refused
from zax.desk.claims import make_claim, withdraw_unsent
from zax.desk.money import post_charges, settle_visit
from zax.desk.track import locked_visit, step
from zax.desk.unit import Unit, act
from zax.store import schema


@act("payments")
def finish_checkout(unit: Unit, visit_id: int, receipt: str = "none", version: int | None = None) -> str:
    """The patient leaves. Returns the visit's new stop; twice gives the same answer."""
    visit = locked_visit(unit, visit_id)
    if visit.state in {Stop.LEFT, Stop.SETTLED}:
        return str(visit.state)
    if version is not None:
        locked_visit(unit, visit_id, version)
    bill = post_charges(unit, visit)
    step(unit, visit, Stop.LEFT)
    make_claim(unit, visit, bill)
    if receipt == "email":
        _email_receipt(unit, visit)
    unit.audit("visit.finished", patient_id=visit.patient_id, visit_id=visit.id, receipt=receipt)
    settle_visit(unit, locked_visit(unit, visit_id))
    return str(locked_visit(unit, visit_id).state)


def _email_receipt(unit: Unit, visit: Any) -> None:
    """One mail a finished checkout; its Message-ID stays the same however often it is tried."""
    if not visit.email:
        raise Refused("No email address on file. Print the receipt, or enter the address first.", "receipt")
    paid = unit.one(
        select(schema.payment.c.id)
        .where(schema.payment.c.visit_id == visit.id, schema.payment.c.state == "taken")
        .limit(1)
    )
    if paid is None:
        raise Refused("Nothing was paid, so there is no receipt to send.", "receipt")
    key = f"receipt-{visit.id}-{visit.version}"
    unit.send(
        "receipt_mail", key, {"visit_id": visit.id, "to": visit.email, "message_id": make_msgid(domain="zax.invalid")}
    )


@act("payments")
def take_checkout_back(unit: Unit, visit_id: int, reason: str, version: int | None = None) -> None:
    """Undo a finished checkout while its claim has not left the clinic."""
    visit = locked_visit(unit, visit_id, version)
    if visit.state == Stop.SETTLED:
        step(unit, visit, Stop.LEFT, reason)
        visit = locked_visit(unit, visit_id)
    step(unit, visit, Stop.CHECKOUT, reason)
    withdraw_unsent(unit, visit)
    unit.audit("visit.checkout_back", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)

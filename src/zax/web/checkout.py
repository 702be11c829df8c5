"""Checkout: what was done, what is due, taking the payment, and finishing. And the receipt."""

from __future__ import annotations

import uuid
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select

from zax.core.book.track import Stop
from zax.core.errors import NotFound, Refused, ZaxError
from zax.core.money.tender import PaymentState
from zax.desk.checkout import finish_checkout
from zax.desk.payments import take_payment, tender_words
from zax.desk.sheet import sheet_of
from zax.store import schema
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.papers import receipt_pdf

router = APIRouter()


@router.get("/visits/{visit_id}/checkout")
def show_checkout(request: Request, visit_id: int, print: bool = False) -> Response:
    return checkout_page(enter(request, "payments"), visit_id, printing=print)


def checkout_page(here: Here, visit_id: int, status: int = 200, printing: bool = False, **more: Any) -> Response:
    """`printing`: the visit is finished and its receipt is the next thing to press."""
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
        payments = connection.execute(
            select(schema.payment).where(schema.payment.c.visit_id == visit_id).order_by(schema.payment.c.id)
        ).all()
    typed = more.get("typed")
    key = (typed and typed["key"]) or uuid.uuid4().hex
    asked = sum(p.cents for p in payments if p.state in {PaymentState.ASKING, PaymentState.UNKNOWN})
    page = here.page(
        "checkout.html",
        status,
        sheet=sheet,
        payments=payments,
        key_of_form=key,
        asked=asked,
        printing=printing,
        tender_words=tender_words,
        screen="day",
        **more,
    )
    return here.looked(page, sheet.visit.patient_id, "checkout")


@router.post("/visits/{visit_id}/checkout")
def take_or_finish(request: Request, visit_id: int, form: Typed = Depends(typed_form)) -> Response:
    """One form for both: an amount takes a payment, `do` says whether the visit is finished with it."""
    here = enter(request, "payments")
    try:
        said = _pay(here, visit_id, form) if form["do"] in {"pay", "pay-finish"} else ""
        if form["do"] in {"finish", "pay-finish"}:
            return _finish(here, visit_id, form, said)
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        return checkout_page(here, visit_id, error.status, problems=error.problems, typed=form)
    return here.go(f"/visits/{visit_id}/checkout", said)


def _pay(here: Here, visit_id: int, form: Typed) -> str:
    """Take the payment; a card that is declined or unclear is said beside the tender and stops the finishing."""
    taken = take_payment(
        here.desk,
        here.actor,
        here.shared.outside.terminal,
        visit_id,
        form["tender"],
        form["amount"],
        form["cheque_number"],
        form["key"],
    )
    if taken.state != PaymentState.TAKEN:
        form["key"] = ""  # the next press is a new payment
        raise Refused(taken.words, "tender")
    return taken.words


def _finish(here: Here, visit_id: int, form: Typed, said: str) -> Response:
    stop = finish_checkout(
        here.desk, here.actor, visit_id, form["receipt"] or "none", form.number("version") if not said else None
    )
    words = "settled" if stop == Stop.SETTLED else "left; what is still open shows on the account"
    if form["receipt"] == "print":
        return here.go(
            f"/visits/{visit_id}/checkout?print=1", f"{said} Finished: {words}. The receipt is ready to print."
        )
    return here.go("/day", f"{said} Finished: {words}.")


@router.get("/payments/{payment_id}/receipt.pdf")
def receipt_of_payment(request: Request, payment_id: int) -> Response:
    here = enter(request, "payments")
    with here.read() as connection:
        row = connection.execute(select(schema.payment).where(schema.payment.c.id == payment_id)).first()
    if row is None or row.state != PaymentState.TAKEN or row.visit_id is None:
        raise NotFound("There is no receipt for this payment.")
    return RedirectResponse(f"/visits/{row.visit_id}/receipt.pdf", 303)


@router.get("/visits/{visit_id}/receipt.pdf")
def receipt(request: Request, visit_id: int) -> Response:
    """Everything paid for the visit, as PDF; the same numbers whenever it is asked for."""
    here = enter(request, "payments")
    pdf = receipt_pdf(here.desk, visit_id)
    return Response(
        pdf,
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="receipt-{visit_id}.pdf"'},
    )

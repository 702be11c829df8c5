"""A receipt on the screen: what was paid, how, for what; printed or mailed again at any time; and its money given back."""

from __future__ import annotations

import uuid
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.errors import Mendable, NotFound
from zax.desk.givingback import BackForm, cheque_returned, refund, void
from zax.desk.posting import tender_words
from zax.desk.receipts import given_back_of, receipt_of, send_receipt
from zax.store import schema
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.papers import receipt_pdf

router = APIRouter()


@router.get("/receipts/{receipt_id}.pdf")
def receipt_paper(request: Request, receipt_id: int) -> Response:
    here = enter(request, "payments")
    return pdf_answer(receipt_pdf(here.desk, receipt_id), f"receipt-{receipt_id}")


@router.get("/receipts/{receipt_id}")
def show_receipt(request: Request, receipt_id: int, now: bool = False, visit: int = 0, back: int = 0) -> Response:
    """`now`: it was just taken. `back` is the payment whose giving back is being entered."""
    return receipt_page(enter(request, "payments"), receipt_id, now=now, visit_id=visit, back=back)


def receipt_page(
    here: Here, receipt_id: int, status: int = 200, now: bool = False, visit_id: int = 0, back: int = 0, **more: Any
) -> Response:
    with here.read() as connection:
        shown = receipt_of(connection, here.clinic, receipt_id)
        given_back, originals = given_back_of(connection, shown)
    page = here.page(
        "receipt.html", status, shown=shown, given_back=given_back, originals=originals, now_taken=now, visit_id=visit_id, back_of=back,
        tender_words=tender_words, key_of_form=uuid.uuid4().hex, screen="money", **more,
    )  # fmt: skip
    return here.looked(page, shown.row.patient_id, "receipt")


@router.get("/payments/{payment_id}")
def receipt_with(request: Request, payment_id: int) -> Response:
    """The receipt that a payment is on."""
    here = enter(request, "payments")
    with here.read() as connection:
        found = connection.execute(
            select(schema.payment.c.receipt_id).where(schema.payment.c.id == payment_id)
        ).scalar()
    if found is None:
        raise NotFound("There is no such payment.")
    return here.go(f"/receipts/{found}?back={payment_id}")


@router.post("/receipts/{receipt_id}/mail")
def mail(request: Request, receipt_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "payments")
    try:
        to = send_receipt(here.desk, here.actor, receipt_id)
    except Mendable as error:
        return receipt_page(here, receipt_id, error.status, problems=error.problems)
    return here.go(f"/receipts/{receipt_id}", f"The receipt goes to {to}.")


@router.post("/receipts/{receipt_id}/back")
def give_back(request: Request, receipt_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Refund, void or returned cheque, as `do` says."""
    here = enter(request, "payments")
    payment_id = form.number("payment") or 0
    try:
        if form["do"] == "returned":
            cheque_returned(here.desk, here.actor, payment_id, form["why"], form["fee"] == "yes")
            return here.go(f"/receipts/{receipt_id}", "The cheque is undone; what it paid is open again.")
        back = BackForm(payment_id, form["amount"], form["why"], form["key"])
        act = void if form["do"] == "void" else refund
        done = act(here.desk, here.actor, here.shared.outside.terminal, back)
    except Mendable as error:
        return receipt_page(here, receipt_id, error.status, back=payment_id, problems=error.problems, typed=form)
    return here.go(f"/receipts/{receipt_id}", done.words)

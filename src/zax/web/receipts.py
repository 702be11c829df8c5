"""A receipt on the screen: what was paid, how, for what; printed or mailed again at any time; and its money given back."""

from __future__ import annotations

import uuid
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.errors import Mendable, NotFound
from zax.core.money.tender import PaymentState
from zax.desk.givingback import BackForm, cheque_returned, refund, void
from zax.desk.posting import tender_words
from zax.desk.receipts import receipt_of, send_receipt
from zax.store import schema
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.papers import receipt_pdf

router = APIRouter()


@router.get("/receipts/{receipt_id}.pdf")
def receipt_paper(request: Request, receipt_id: int) -> Response:
    here = enter(request, "payments")
    headers = {"Content-Disposition": f'inline; filename="receipt-{receipt_id}.pdf"'}
    return Response(receipt_pdf(here.desk, receipt_id), media_type="application/pdf", headers=headers)


@router.get("/receipts/{receipt_id}")
def show_receipt(request: Request, receipt_id: int, now: bool = False, visit: int = 0, back: int = 0) -> Response:
    """`now`: it was just taken. `back` is the payment whose giving back is being entered."""
    return receipt_page(enter(request, "payments"), receipt_id, now=now, visit_id=visit, back=back)


def receipt_page(
    here: Here, receipt_id: int, status: int = 200, now: bool = False, visit_id: int = 0, back: int = 0, **more: Any
) -> Response:
    with here.read() as connection:
        shown = receipt_of(connection, here.clinic, receipt_id)
        patient = connection.execute(select(schema.patient).where(schema.patient.c.id == shown.row.patient_id)).one()
        closed = connection.execute(
            select(schema.site_books.c.closed_day).where(schema.site_books.c.site_id == shown.row.site_id)
        ).scalar()
        y, u = schema.payment, schema.user
        ids = [each.id for each in shown.payments] or [0]
        given_back = connection.execute(select(y).where(y.c.of_id.in_(ids)).order_by(y.c.id)).all()
        originals = {
            each.id: each
            for each in connection.execute(
                select(y).where(y.c.id.in_([p.of_id for p in shown.payments if p.of_id] or [0]))
            )
        }
        by = connection.execute(select(u.c.name).where(u.c.id == shown.row.by_id)).scalar()
    page = here.page(
        "receipt.html", status, shown=shown, patient=patient, now_taken=now, visit_id=visit_id, back_of=back, given_back=given_back, originals=originals, by_name=by,
        voidable=shown.row.day == here.today and (closed is None or closed < shown.row.day), tender_words=tender_words, key_of_form=uuid.uuid4().hex, screen="money", **more,
    )  # fmt: skip
    return here.looked(page, patient.id, "receipt")


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
    said = "Given back." if done.state == PaymentState.TAKEN else done.words.replace("payment", "money given back", 1)
    return here.go(f"/receipts/{receipt_id}", said)

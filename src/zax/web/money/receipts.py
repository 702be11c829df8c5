"""A receipt on the screen: what was paid, how, for what; printed or mailed again at any time; and its money
given back.
"""

from __future__ import annotations

import uuid

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.form import Form, Reference, Tick
from zax.desk.money.posting import tender_words
from zax.desk.money.receipts import given_back_of, receipt_of, send_receipt
from zax.desk.money.refunds import BackForm, check_returned, refund, void
from zax.store.money.payments import payment_of
from zax.web.money.documents import receipt_pdf
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()


class BackOf(Form):
    """Which payment, and what becomes of it: refund, void or returned check, with the fee for that."""

    do: str = ""
    payment: Reference = 0
    why: str = ""
    fee: Tick = False


@router.get("/receipts/{receipt_id}.pdf")
def receipt_paper(request: Request, receipt_id: int) -> Response:
    ctx = enter(request, "payments")
    with ctx.read() as connection:
        patient_id = receipt_of(connection, ctx.clinic, receipt_id).row.patient_id
    paper = pdf_answer(receipt_pdf(ctx.desk, receipt_id), f"receipt-{receipt_id}")
    return ctx.looked(paper, patient_id, "receipt")


@router.get("/receipts/{receipt_id}")
def show_receipt(
    request: Request, receipt_id: int, now: bool = False, visit: int = 0, back: int = 0
) -> Response:
    """`now`: it was just taken. `back` is the payment whose refund is being entered."""
    return receipt_page(enter(request, "payments"), receipt_id, now=now, visit_id=visit, back=back)


def receipt_page(
    ctx: RequestContext,
    receipt_id: int,
    status: int = 200,
    now: bool = False,
    visit_id: int = 0,
    back: int = 0,
    **more: object,
) -> Response:
    with ctx.read() as connection:
        shown = receipt_of(connection, ctx.clinic, receipt_id)
        given_back, originals = given_back_of(connection, shown)
    page = ctx.page(
        "money/receipt.html",
        status,
        shown=shown,
        given_back=given_back,
        originals=originals,
        now_taken=now,
        visit_id=visit_id,
        back_of=back,
        tender_words=tender_words,
        key_of_form=uuid.uuid4().hex,
        screen="money",
        **more,
    )
    return ctx.looked(page, shown.row.patient_id, "receipt")


@router.get("/payments/{payment_id}")
def receipt_with(request: Request, payment_id: int) -> Response:
    """The receipt that a payment is on."""
    ctx = enter(request, "payments")
    with ctx.read() as connection:
        found = payment_of(connection, payment_id)
    if found is None:
        raise NotFound("There is no such payment.")
    return ctx.go(f"/receipts/{found.receipt_id}?back={payment_id}")


@router.post("/receipts/{receipt_id}/mail")
def mail(request: Request, receipt_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "payments")
    try:
        to = send_receipt(ctx.desk, ctx.actor, receipt_id)
    except Mendable as error:
        return receipt_page(ctx, receipt_id, error.status, problems=error.problems)
    return ctx.go(f"/receipts/{receipt_id}", f"The receipt is going to {to}.")


@router.post("/receipts/{receipt_id}/back")
def give_back(request: Request, receipt_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Refund, void or returned check, as `do` says."""
    ctx = enter(request, "payments")
    about = form.read(BackOf)
    try:
        if about.do == "returned":
            check_returned(ctx.desk, ctx.actor, about.payment, about.why, about.fee)
            return ctx.go(f"/receipts/{receipt_id}", "Check returned. What it paid is due again.")
        act = void if about.do == "void" else refund
        done = act(ctx.desk, ctx.actor, ctx.shared.outside.terminal, form.read(BackForm))
    except Mendable as error:
        return receipt_page(
            ctx, receipt_id, error.status, back=about.payment, problems=error.problems, typed=form
        )
    return ctx.go(f"/receipts/{receipt_id}", done.words)

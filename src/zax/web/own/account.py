"""What somebody owes, explained line by line; statements; paying on the card door's page."""

from __future__ import annotations

import secrets

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.messages.language import day_in
from zax.core.reading import reference
from zax.core.wording import dollars
from zax.desk.money.payment_page import copay_of
from zax.desk.money.receipts import receipt_of
from zax.desk.own.account import own_account
from zax.desk.own.paying import Wish, begin_payment, come_back, give_up
from zax.desk.own.statements import own_statement, own_statements
from zax.desk.own.wishes import paper_wish
from zax.store.money.payments import coming_visits, payments_of_receipt
from zax.store.own.payments import OwnPayment, payments_of
from zax.web.money.documents import receipt_pdf
from zax.web.own.frame import OwnPage, enter_own
from zax.web.shell.request_context import PostedForm, open_form, pdf_answer

router = APIRouter()


@router.get("/my/account")
def show_account(request: Request) -> Response:
    return _account(enter_own(request))


def _account(page: OwnPage, status: int = 200, **more: object) -> Response:
    desk, clinic = page.at.desk, page.at.desk.clinic
    with desk.engine.connect() as connection:
        account = own_account(connection, clinic, page.payer, page.today)
        mine = {each.id for each in page.own.people}
        copays = [
            (each, cents)
            for each in coming_visits(connection, page.payer.household_id, page.today)
            if each.patient_id in mine and (cents := copay_of(connection, clinic, each)) > 0
        ]
        statements = own_statements(connection, page.payer)
        paid = [
            each
            for each in payments_of(connection, page.payer.household_id)
            if each.patient_id == page.payer.id and each.state not in {"begun", "declined"}
        ]
    return page.page(
        "own/account.html",
        status,
        account=account,
        copays=copays,
        statements=statements,
        paid=paid,
        names={each.id: each.first for each in page.own.people},
        several=len({each.view.patient_id for each in account.open_visits}) > 1,
        day_words=lambda day: day_in(day, page.at.language),
        pay_key=secrets.token_urlsafe(12),
        dollars=dollars,
        **more,
    )


@router.get("/my/statements/{number}")
def open_statement(request: Request, number: int) -> Response:
    """A statement of theirs, as it was made; noted as opened."""
    page = enter_own(request)
    row = own_statement(page.at.desk, page.own, number)
    return pdf_answer(page.at.shared.files.get(row.digest), f"statement-{number}")


@router.post("/my/pay")
def pay(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """Write the payment down; the page after leads to the card door."""
    page = enter_own(request)
    about, _, number = form["about"].partition("-")
    wish = Wish(
        about=about,
        amount=form["amount"],
        visit_id=reference(number) if about == "copay" else 0,
        plan_id=reference(number) if about == "installment" else 0,
        key=form["pay_key"],
    )
    try:
        row = begin_payment(
            page.at.desk, page.at.shared.outside.pay_page, page.payer, wish, f"{page.at.base}/my/pay"
        )
    except Mendable as error:
        return _account(page, error.status, problems=error.problems, typed=form)
    return page.go(f"/my/pay/{row.request_key}?go=1")


@router.get("/my/pay/{key}")
def paying(request: Request, key: str, go: str = "") -> Response:
    """On the way to the card page, and back from it."""
    page = enter_own(request)
    row = come_back(page.at.desk, page.at.shared.outside.pay_page, page.payer, key)
    return _paid(page, row, new=bool(go))


def _paid(page: OwnPage, row: OwnPayment, status: int = 200, **more: object) -> Response:
    with page.at.desk.engine.connect() as connection:
        account = own_account(connection, page.at.desk.clinic, page.payer, page.today)
        payments = payments_of_receipt(connection, row.receipt_id)
    return page.page(
        "own/paying.html" if row.state == "begun" else "own/paid.html",
        status,
        row=row,
        payment=payments[0],
        account=account,
        wish=paper_wish(page.payer),
        dollars=dollars,
        **({"new": False} | more),
    )


@router.post("/my/pay/{key}")
def dont_pay(request: Request, key: str, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    try:
        give_up(page.at.desk, page.at.shared.outside.pay_page, page.payer, key)
    except Mendable as error:
        row = come_back(page.at.desk, page.at.shared.outside.pay_page, page.payer, key)
        return _paid(page, row, error.status, problems=error.problems)
    return page.go("/my/account")


@router.get("/my/receipts/{receipt_id}.pdf")
def receipt(request: Request, receipt_id: int) -> Response:
    """A receipt of a payment that they made online."""
    page = enter_own(request)
    with page.at.desk.engine.connect() as connection:
        mine = [
            each.receipt_id
            for each in payments_of(connection, page.payer.household_id)
            if each.patient_id == page.payer.id
        ]
        if receipt_id not in mine:
            raise NotFound("There is no such receipt.")
        receipt_of(connection, page.at.desk.clinic, receipt_id)
    return pdf_answer(receipt_pdf(page.at.desk, receipt_id), f"receipt-{receipt_id}")

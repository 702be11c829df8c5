"""The deposit of a time asked for online, paid from its page without signing in: who holds the link has
proven the phone.
"""

from __future__ import annotations

import secrets

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.desk.online.asking import Asked, asked
from zax.desk.own.paying import Wish, begin_payment, come_back, deposit_due, give_up
from zax.store.own.payments import OwnPayment
from zax.store.patients.patients import known_patient
from zax.store.patients.records import Patient
from zax.web.online.frame import Visitor, visitor
from zax.web.own.frame import own_page
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()


def _whose(at: Visitor, link: str) -> tuple[Asked, Patient]:
    """NotFound for a link that names nothing."""
    found = asked(at.desk, link)
    with at.desk.engine.connect() as connection:
        return found, known_patient(connection, found.visit.patient_id)


@router.get("/ask/deposit/{link}")
def show(request: Request, link: str) -> Response:
    at = visitor(request)
    try:
        return _page(at, link)
    except NotFound:
        return own_page(at, "own/gone.html", 404)


def _page(at: Visitor, link: str, status: int = 200, **more: object) -> Response:
    found, _ = _whose(at, link)
    with at.desk.engine.connect() as connection:
        due = deposit_due(connection, at.desk.clinic, found.visit)
    return own_page(
        at, "own/deposit.html", status, link=link, due=due, pay_key=secrets.token_urlsafe(12), **more
    )


@router.post("/ask/deposit/{link}")
def pay(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    """Write it down; the page after leads to the card door."""
    at = visitor(request)
    try:
        found, owner = _whose(at, link)
        wish = Wish(about="deposit", visit_id=found.visit.id, key=form["pay_key"])
        back = f"{at.base}/ask/deposit/{link}"
        row = begin_payment(at.desk, at.shared.outside.pay_page, owner, wish, back)
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    except Mendable as error:
        return _page(at, link, error.status, problems=error.problems)
    return at.go(f"/ask/deposit/{link}/{row.request_key}")


@router.get("/ask/deposit/{link}/{key}")
def paying(request: Request, link: str, key: str) -> Response:
    """On the way to the card page, and back from it."""
    at = visitor(request)
    try:
        _, owner = _whose(at, link)
        row = come_back(at.desk, at.shared.outside.pay_page, owner, key)
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    return _paid(at, link, row)


def _paid(at: Visitor, link: str, row: OwnPayment, status: int = 200, **more: object) -> Response:
    return own_page(at, "own/deposit_paid.html", status, link=link, row=row, **more)


@router.post("/ask/deposit/{link}/{key}")
def dont_pay(request: Request, link: str, key: str, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        _, owner = _whose(at, link)
        give_up(at.desk, at.shared.outside.pay_page, owner, key)
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    except Mendable as error:
        return _paid(
            at,
            link,
            come_back(at.desk, at.shared.outside.pay_page, owner, key),
            error.status,
            problems=error.problems,
        )
    return at.go(f"/ask/done/{link}")

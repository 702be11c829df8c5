"""Setup of money: the clinic's tenders, reasons, discounts and products, the limits by role, fees, interest and the drawer's float."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import NotFound
from zax.core.setup.roles import ROLE_WORDS
from zax.desk.moneysetup import products
from zax.desk.setmoney import ProductForm, save_discount, save_habits, save_product, save_reason, save_tender
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.setup import done, setup_page

router = APIRouter()


@router.get("/setup/money")
def show(request: Request) -> Response:
    return money_page(enter(request, "setup"))


def money_page(here: Here, status: int = 200, about: str = "", **more: Any) -> Response:
    """`about` names the row that a problem belongs to."""
    with here.read() as connection:
        everything = products(connection, everything=True)
    return setup_page(here, "money", status, products=everything, roles=ROLE_WORDS, about=about, **more)


@router.post("/setup/money/{kind}/{row_id}")
def store(request: Request, kind: str, row_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Keep one row of a kind, or the habits."""
    here = enter(request, "setup")
    version, active = form.number("version") or 0, form["active"] == "yes"
    acts = {
        "tender": lambda: save_tender(here.desk, here.actor, row_id, version, form["words"], form["needs_number"] == "yes", active),
        "reason": lambda: save_reason(here.desk, here.actor, row_id, version, form["words"], active),
        "discount": lambda: save_discount(here.desk, here.actor, row_id, version, form["words"], form["percent"], form.number("flag_id"), active),
        "product": lambda: save_product(
            here.desk, here.actor, row_id, version,
            ProductForm(form["words"], form["code"], form["price"], form["tax"], form["stock"], form["low"], active),
        ),
        "habits": lambda: save_habits(here.desk, here.actor, form),
    }  # fmt: skip
    if kind not in acts:
        raise NotFound("There is no such setting.")
    return done(
        here, form, acts[kind], lambda status, more: money_page(here, status, about=f"{kind}-{row_id}", **more), "/setup/money", "Saved."
    )  # fmt: skip

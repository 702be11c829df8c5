"""Setup of money: the clinic's tenders, reasons, discounts and products, the limits by role, fees, interest
and the drawer's float.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import NotFound
from zax.core.form import OfVersion, ReferenceOrNone, Tick
from zax.desk.setup.money import (
    ProductForm,
    save_discount,
    save_habits,
    save_product,
    save_reason,
    save_tender,
)
from zax.store.money.rules import products
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class MoneyRow(OfVersion):
    """A tender, a reason or a discount of the clinic's own."""

    words: str = ""
    percent: str = ""
    needs_number: Tick = False
    flag_id: ReferenceOrNone = None
    active: Tick = False


@router.get("/setup/money")
def show(request: Request) -> Response:
    return money_page(enter(request, "setup"))


def money_page(ctx: RequestContext, status: int = 200, about: str = "", **more: object) -> Response:
    """`about` names the row that a problem belongs to."""
    with ctx.read() as connection:
        everything = products(connection, everything=True)
    return setup_page(
        ctx, "money", status, products=everything, roles=ctx.clinic.role_words, about=about, **more
    )


@router.post("/setup/money/{kind}/{row_id}")
def store(request: Request, kind: str, row_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Keep one row of a kind, or the habits."""
    ctx = enter(request, "setup")
    row = form.read(MoneyRow)
    version, active = row.version or 0, row.active
    acts = {
        "tender": lambda: save_tender(
            ctx.desk, ctx.actor, row_id, version, row.words, row.needs_number, active
        ),
        "reason": lambda: save_reason(ctx.desk, ctx.actor, row_id, version, row.words, active),
        "discount": lambda: save_discount(
            ctx.desk, ctx.actor, row_id, version, row.words, row.percent, row.flag_id, active
        ),
        "product": lambda: save_product(ctx.desk, ctx.actor, row_id, version, form.read(ProductForm)),
        "habits": lambda: save_habits(ctx.desk, ctx.actor, form),
    }
    if kind not in acts:
        raise NotFound("There is no such setting.")
    return done(
        ctx,
        form,
        acts[kind],
        lambda status, more: money_page(ctx, status, about=f"{kind}-{row_id}", **more),
        "/setup/money",
        "Saved.",
    )

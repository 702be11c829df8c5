"""Taking a payment: one page from every screen. What is open in the household is ticked, in part if wished;
the tenders follow the sum.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, ProblemCollector, Refused
from zax.core.form import Form, Reference, a_number_or
from zax.core.money.adjust import price_of
from zax.core.money.cents import parse_amount
from zax.core.money.rules import Product
from zax.core.reading import reference
from zax.core.wording import dollars, money_words
from zax.desk.money.cards_on_file import remove_card
from zax.desk.money.credits import spread_credit
from zax.desk.money.payment_page import PayDesk, pay_desk
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.products import ProductSale
from zax.store.engine import TROUBLE
from zax.store.money.payments import receipt_by_key
from zax.web.money.tenders import tender_choices, tender_forms
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class PaySent(Form):
    """The payment page but for its rows; `credit` is the one to use."""

    do: str = ""
    visit: Reference = 0
    key: str = ""
    over: str = ""
    receipt: str = ""
    credit: Reference = 0


class ProductChosen(Form):
    product: Reference = 0
    pieces: Annotated[int, a_number_or(1, 1, MOST_PIECES)] = 1


MOST_PIECES = 9999


@router.get("/pay/check/{key}")
def check(request: Request, key: str, back: str = "/day") -> Response:
    """Whether a payment whose answer was lost was taken: its receipt, or the page it came from with the word
    that nothing was.
    """
    ctx = enter(request, "arrivals")
    with ctx.read() as connection:
        receipt_id = receipt_by_key(connection, key)
    if receipt_id is not None:
        return ctx.go(
            f"/receipts/{receipt_id}?now=1", "The payment went through, once. No need to enter it again."
        )
    said = "Nothing was taken or charged. Enter it again."
    return ctx.go(PostedForm({"back": back}).back, said)


@router.get("/pay/{patient_id}")
def show_payment(
    request: Request, patient_id: int, visit: int = 0, only: str = "", deposit: str = ""
) -> Response:
    """`visit` is what the payment is about: its items are ticked, or money is taken for it ahead. `only`
    ticks nothing else. `deposit` is an amount somebody asked the counter to take.
    """
    ctx = enter(request, "payments")
    return pay_page(ctx, patient_id, visit_id=visit, only=only, deposit=deposit[:12])


def pay_page(
    ctx: RequestContext,
    patient_id: int,
    status: int = 200,
    visit_id: int = 0,
    only: str = "",
    deposit: str = "",
    **more: object,
) -> Response:
    typed = form_in(more)
    with ctx.read() as connection:
        found = pay_desk(connection, ctx.clinic, ctx.now, patient_id, visit_id or None)
    sales = _sales_typed(typed) if typed is not None else []
    page = ctx.page(
        "money/payment_page.html",
        status,
        desk=found,
        visit_id=visit_id,
        only=only,
        key_of_form=(typed and typed["key"]) or uuid.uuid4().hex,
        choices=tender_choices(ctx.clinic, found.cards, found.ways.tender),
        sales=_shown(found, sales),
        ticked={"deposit"} if deposit and typed is None else _ticked(found, typed, visit_id, only),
        parts=_parts(found, typed, visit_id, deposit),
        screen="money",
        back=_back(found, visit_id),
        **more,
    )
    return ctx.looked(page, patient_id, "payment")


def _back(found: PayDesk, visit_id: int) -> str:
    return f"/visits/{visit_id}" if visit_id else f"/accounts/{found.patient.id}"


def _ticked(found: PayDesk, typed: PostedForm | None, visit_id: int, only: str) -> set[str]:
    """What is ticked: as it was sent; else everything open, or only what the visit asks for."""
    if typed is not None:
        return set(typed.all.get("pick", []))
    ahead = {f"visit-{each.visit.id}" for each in found.ahead if each.copay and each.visit.id == visit_id}
    if only == "ahead":
        return ahead or ({f"visit-{visit_id}"} if visit_id else {"deposit"})
    return {f"line-{each.line_id}" for each in found.items.lines} | ahead


def _parts(found: PayDesk, typed: PostedForm | None, visit_id: int, deposit: str = "") -> dict[str, str]:
    """The amount beside each item: as typed, else all that is open."""
    made = {f"line-{each.line_id}": money_words(each.cents) for each in found.items.lines}
    made |= {f"visit-{each.visit.id}": money_words(each.copay) if each.copay else "" for each in found.ahead}
    if typed is None:
        return made | {"deposit": deposit}
    return {name: typed[f"for-{name}"] for name in (*made, "deposit")}


def _sales_typed(form: PostedForm) -> list[ProductSale]:
    """Products on the form: those added before, and with `do=add` the one just chosen."""
    made = []
    for text in form.all.get("sale", []):
        number, _, pieces = text.partition(":")
        sale = ProductSale(reference(number), reference(pieces))
        if sale.product_id and 0 < sale.pieces <= MOST_PIECES:
            made.append(sale)
    return made


def _shown(found: PayDesk, sales: Sequence[ProductSale]) -> list[tuple[Product, ProductSale, int]]:
    rows = {row.id: row for row in found.products}
    return [
        (
            rows[each.product_id],
            each,
            price_of(rows[each.product_id].price_cents, rows[each.product_id].tax, each.pieces).total,
        )
        for each in sales
        if each.product_id in rows
    ]


@router.post("/pay/{patient_id}")
def take(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Take it, or (`do=add`) put a product on the form."""
    ctx = enter(request, "payments")
    sent = form.read(PaySent)
    try:
        if sent.do == "add":
            _add_product(form)
            return pay_page(ctx, patient_id, visit_id=sent.visit, typed=form)
        items, sales = _items(form), _sales_typed(form)
        if not items and not sales:
            raise Refused("Check what’s being paid, or enter a deposit.", "items")
        pay = PayForm(
            tenders=tender_forms(form),
            items=items,
            key=sent.key,
            over=sent.over,
            receipt=sent.receipt or "none",
            site_id=ctx.site_id,
            sales=sales,
        )
        taken = take_payment(ctx.desk, ctx.actor, ctx.shared.outside.terminal, patient_id, pay)
    except TROUBLE:
        return ctx.unsure(sent.key, f"/pay/{patient_id}")
    except Mendable as error:
        return pay_page(
            ctx, patient_id, error.status, visit_id=sent.visit, problems=error.problems, typed=form
        )
    return ctx.go(
        f"/receipts/{taken.receipt_id}?now=1{f'&visit={sent.visit}' if sent.visit else ''}",
        taken.words if not taken.whole else "",
    )


def _add_product(form: PostedForm) -> None:
    chosen = form.read(ProductChosen)
    if not chosen.product:
        raise Refused("Choose a product first.", "product")
    sale = f"{chosen.product}:{chosen.pieces}"
    form.all.setdefault("sale", []).append(sale)
    for name in ("amount", "tender", "number"):  # the sum has changed
        form.all.pop(name, None)
        form.pop(name, None)


def _items(form: PostedForm) -> list[Item]:
    """What is ticked, with the amount beside it. Raises Problems beside each wrong amount."""
    wrong = ProblemCollector()
    items = []
    for pick in form.all.get("pick", []):
        kind, _, number = pick.partition("-")
        text = form[f"for-{pick}"]
        field = (
            pick
            if kind == "deposit"
            else f"{'item' if kind == 'line' else 'visit'}-{number.partition('-')[0]}"
        )
        cents = wrong.take(parse_amount, text, field) if text.strip() else None
        if kind == "line" and reference(number):
            visit = reference(form[f"of-{pick}"]) or None
            items.append(Item(visit, reference(number), cents))
        elif kind == "visit" and reference(number):
            items.append(Item(reference(number), None, cents))
        elif pick == "deposit":
            items.append(Item(None, None, cents))
    wrong.raise_if_any()
    return items


@router.post("/pay/{patient_id}/credit")
def use(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Use a credit of the household on what is open: the visit at hand first, then the oldest."""
    ctx = enter(request, "payments")
    sent = form.read(PaySent)
    try:
        used = spread_credit(ctx.desk, ctx.actor, patient_id, sent.credit, sent.visit or None)
    except Mendable as error:
        return pay_page(ctx, patient_id, error.status, visit_id=sent.visit, problems=error.problems)
    return ctx.go(form.back, f"{dollars(used)} of credit was applied.")


@router.post("/cards/{card_id}/remove")
def forget_card(request: Request, card_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "payments")
    ending = remove_card(ctx.desk, ctx.actor, card_id)
    return ctx.go(form.back, f"The card ending {ending} was removed.")

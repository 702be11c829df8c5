"""Taking a payment: one page from every screen. What is open in the household is ticked, in part if wished; the tenders follow the sum."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from zax.core.errors import Mendable, ProblemCollector, Refused
from zax.core.money.adjust import price_of
from zax.core.money.cents import parse_amount, plain
from zax.desk.cards import remove_card
from zax.desk.credits import spread_credit
from zax.desk.paydesk import PayDesk, pay_desk
from zax.desk.payments import Item, PayForm, take_payment
from zax.desk.products import Sale
from zax.store import schema
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.tenders import tender_choices, tender_forms

router = APIRouter()


@router.get("/pay/check/{key}")
def check(request: Request, key: str, back: str = "/day") -> Response:
    """Whether a payment whose answer was lost was taken: its receipt, or the page it came from with the word that nothing was."""
    here = enter(request, "arrivals")
    with here.read() as connection:
        row = connection.execute(select(schema.receipt.c.id).where(schema.receipt.c.request_key == key)).first()
    if row is not None:
        return here.go(f"/receipts/{row.id}?now=1", "It was taken, once. Nothing need be entered again.")
    return here.go(Typed(back=back).back, "Nothing was taken and nothing was charged. Enter it again.")


@router.get("/pay/{patient_id}")
def show_payment(request: Request, patient_id: int, visit: int = 0, only: str = "") -> Response:
    """`visit` is what the payment is about: its items are ticked, or money is taken for it ahead. `only` ticks nothing else."""
    return pay_page(enter(request, "payments"), patient_id, visit_id=visit, only=only)


def pay_page(
    here: Here, patient_id: int, status: int = 200, visit_id: int = 0, only: str = "", **more: Any
) -> Response:
    typed = more.get("typed")
    with here.read() as connection:
        found = pay_desk(connection, here.clinic, here.now, patient_id, visit_id or None)
    sales = _sales_typed(typed) if typed is not None else []
    page = here.page(
        "pay.html", status, desk=found, visit_id=visit_id, only=only, key_of_form=(typed and typed["key"]) or uuid.uuid4().hex,
        choices=tender_choices(here.clinic, found.cards, found.ways.tender), sales=_shown(found, sales),
        ticked=_ticked(found, typed, visit_id, only), parts=_parts(found, typed, visit_id), screen="money", back=_back(found, visit_id), **more,
    )  # fmt: skip
    return here.looked(page, patient_id, "payment")


def _back(found: PayDesk, visit_id: int) -> str:
    return f"/visits/{visit_id}" if visit_id else f"/accounts/{found.patient.id}"


def _ticked(found: PayDesk, typed: Typed | None, visit_id: int, only: str) -> set[str]:
    """What is ticked: as it was sent; else everything open, or only what the visit asks for."""
    if typed is not None:
        return set(typed.all.get("pick", []))
    ahead = {f"visit-{each.visit.id}" for each in found.ahead if each.copay and each.visit.id == visit_id}
    if only == "ahead":
        return ahead or ({f"visit-{visit_id}"} if visit_id else {"deposit"})
    return {f"line-{each.line_id}" for each in found.items.lines} | ahead


def _parts(found: PayDesk, typed: Typed | None, visit_id: int) -> dict[str, str]:
    """The amount beside each item: as typed, else all that is open."""
    made = {f"line-{each.line_id}": plain(each.cents) for each in found.items.lines}
    made |= {f"visit-{each.visit.id}": plain(each.copay) if each.copay else "" for each in found.ahead}
    if typed is None:
        return made | {"deposit": ""}
    return {name: typed[f"for-{name}"] for name in (*made, "deposit")}


def _sales_typed(form: Typed) -> list[Sale]:
    """Products on the form: those added before, and with `do=add` the one just chosen."""
    made = []
    for text in form.all.get("sale", []):
        number, _, pieces = text.partition(":")
        if number.isdecimal() and pieces.isdecimal() and len(pieces) < 5:
            made.append(Sale(int(number), int(pieces)))
    return made


def _shown(found: PayDesk, sales: Sequence[Sale]) -> list[tuple[Any, Sale, int]]:
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
def take(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Take it, or (`do=add`) put a product on the form."""
    here = enter(request, "payments")
    visit_id = form.number("visit") or 0
    try:
        if form["do"] == "add":
            _add_product(form)
            return pay_page(here, patient_id, visit_id=visit_id, typed=form)
        items, sales = _items(form), _sales_typed(form)
        if not items and not sales:
            raise Refused("Tick what is paid, or type a deposit.", "items")
        pay = PayForm(
            tender_forms(form), items, form["key"], form["over"], form["receipt"] or "none", here.site_id, sales
        )
        taken = take_payment(here.desk, here.actor, here.shared.outside.terminal, patient_id, pay)
    except OperationalError:
        return here.unsure(form["key"], f"/pay/{patient_id}")
    except Mendable as error:
        return pay_page(here, patient_id, error.status, visit_id=visit_id, problems=error.problems, typed=form)
    return here.go(
        f"/receipts/{taken.receipt_id}?now=1{f'&visit={visit_id}' if visit_id else ''}",
        taken.words if not taken.whole else "",
    )


def _add_product(form: Typed) -> None:
    pieces = form.number("pieces") or 1
    if not form.number("product"):
        raise Refused("Choose a product first.", "product")
    sale = f"{form['product']}:{pieces}"
    form.all.setdefault("sale", []).append(sale)
    for name in ("amount", "tender", "number"):  # the sum has changed
        form.all.pop(name, None)
        form.pop(name, None)


def _items(form: Typed) -> list[Item]:
    """What is ticked, with the amount beside it. Raises Problems beside each wrong amount."""
    wrong = ProblemCollector()
    items = []
    for pick in form.all.get("pick", []):
        kind, _, number = pick.partition("-")
        text = form[f"for-{pick}"]
        field = pick if kind == "deposit" else f"{'item' if kind == 'line' else 'visit'}-{number.partition('-')[0]}"
        cents = wrong.take(parse_amount, text, field) if text.strip() else None
        if kind == "line" and number.isdecimal():
            visit = form.number(f"of-{pick}")
            items.append(Item(visit, int(number), cents))
        elif kind == "visit" and number.isdecimal():
            items.append(Item(int(number), None, cents))
        elif pick == "deposit":
            items.append(Item(None, None, cents))
    wrong.raise_if_any()
    return items


@router.post("/pay/{patient_id}/credit")
def use(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Use a credit of the household on what is open: the visit at hand first, then the oldest."""
    here = enter(request, "payments")
    visit_id = form.number("visit") or 0
    try:
        used = spread_credit(here.desk, here.actor, patient_id, form.number("credit") or 0, visit_id or None)
    except Mendable as error:
        return pay_page(here, patient_id, error.status, visit_id=visit_id, problems=error.problems)
    return here.go(form.back, f"{plain(used)} of credit was used.")


@router.post("/cards/{card_id}/remove")
def forget_card(request: Request, card_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "payments")
    ending = remove_card(here.desk, here.actor, card_id)
    return here.go(form.back, f"The card ending {ending} is off file.")

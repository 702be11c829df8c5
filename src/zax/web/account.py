"""The account: by visit or by date, of the household or one person. Every amount opens how it came about, and what can be done with it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, Refused
from zax.core.money.aging import BUCKETS
from zax.core.money.cents import parse_amount, plain
from zax.core.money.journal import Kind
from zax.desk.account import account_of
from zax.desk.corrections import OffForm, give_discount, hand_over, shift_part, take_entry_back, write_off
from zax.desk.credits import move_allocation, spread_credit
from zax.desk.payplans import plans_of, running_plans
from zax.desk.products import take_product_back
from zax.desk.statements import statements_of
from zax.desk.why import KIND_WORDS, explain, title
from zax.store import money
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()
BY_DATE_ROWS = 80


@router.get("/accounts/{patient_id}")
def show_account(
    request: Request,
    patient_id: int,
    all: bool = False,
    by: str = "visit",
    who: str = "",
    why: str = "",
    older: int = 0,
) -> Response:
    """`by` visit or date; `who` "one" for this person alone; `why` names the amount that is explained; `older` pages back by date."""
    return account_page(enter(request, "accounts"), patient_id, all=all, by=by, who=who, why=why, older=older)


def account_page(
    here: Here, patient_id: int, status: int = 200, all: bool = False, by: str = "visit", who: str = "", why: str = "", older: int = 0, **more: Any
) -> Response:  # fmt: skip
    with here.read() as connection:
        account = account_of(connection, here.clinic, patient_id, here.today, who == "one")
        plans = plans_of(connection, account.household.id, here.today)
        statements = statements_of(connection, account.household.id)
    page = here.page(
        "account.html", status, account=account, lines=account.lines, buckets=BUCKETS, all=all, by=by if by == "date" else "visit", who=who, why=explain(account, why or "t"), asked=why,
        plans=plans, statements=statements, older=older, rows=BY_DATE_ROWS, kind_words=KIND_WORDS, Kind=Kind, title=title, screen="money", **more,
    )  # fmt: skip
    return here.looked(page, patient_id, "account")


@router.get("/accounts/{patient_id}/why/{key}")
def show_why(request: Request, patient_id: int, key: str, who: str = "", by: str = "visit") -> Response:
    """The explanation of one amount, for the margin of the page."""
    here = enter(request, "accounts")
    with here.read() as connection:
        account = account_of(connection, here.clinic, patient_id, here.today, who == "one")
    page = here.page(
        "parts/why.html",
        account=account,
        why=explain(account, key),
        asked=key,
        Kind=Kind,
        who=who,
        by=by,
        lines=account.lines,
    )
    return here.looked(page, patient_id, "account")


def _write_off(here: Here, patient_id: int, form: Typed) -> str:
    write_off(
        here.desk,
        here.actor,
        OffForm(
            form.number("line_id") or 0, form["amount"], reason_id=form.number("reason_id") or 0, why=form["why"]
        ),
    )
    return "Written off."


def _discount(here: Here, patient_id: int, form: Typed) -> str:
    """A percentage or an amount; a discount of the clinic's own fills both in."""
    own = here.clinic.money.discounts.get(form.number("discount_id") or 0)
    percent = str(own.percent) if own else form["percent"]
    give_discount(
        here.desk,
        here.actor,
        OffForm(form.number("line_id") or 0, form["amount"], percent, why=form["why"] or (own.words if own else "")),
    )
    return "Discount given."


def _shift(here: Here, patient_id: int, form: Typed) -> str:
    shift_part(here.desk, here.actor, form.number("line_id") or 0, form["to"], form["amount"], form["why"])
    return "Moved."


def _hand_over(here: Here, patient_id: int, form: Typed) -> str:
    hand_over(
        here.desk,
        here.actor,
        form.number("line_id") or 0,
        form.number("to_patient") or 0,
        form["amount"],
        form["why"],
    )
    return "Moved."


def _take_back(here: Here, patient_id: int, form: Typed) -> str:
    take_entry_back(here.desk, here.actor, form.number("entry") or 0, form["why"])
    return "Taken back."


def _product_back(here: Here, patient_id: int, form: Typed) -> str:
    take_product_back(here.desk, here.actor, form.number("line_id") or 0)
    return "Taken back into stock; what was paid for it is credit."


def _move(here: Here, patient_id: int, form: Typed) -> str:
    to = form["to_line"]
    if not to:
        raise Refused("Choose where it goes.", "to_line")
    target = None if to == "credit" else int(to) if to.isdecimal() else 0
    move_allocation(
        here.desk,
        here.actor,
        form.number("credit") or 0,
        form.number("line_id") or 0,
        target,
        parse_amount(form["amount"]),
    )
    return "Moved." if target else "It waits as credit now."


def _use(here: Here, patient_id: int, form: Typed) -> str:
    return (
        f"{plain(spread_credit(here.desk, here.actor, patient_id, form.number('credit') or 0))} of credit was used."
    )


ACTS = {
    "write-off": _write_off, "discount": _discount, "shift": _shift, "hand-over": _hand_over, "take-back": _take_back, "product-back": _product_back, "move": _move, "use": _use
}  # fmt: skip


@router.post("/accounts/{patient_id}/correct")
def correct(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """One correction, as `do` says; a problem opens the amount again with what was typed."""
    here = enter(request, "payments")
    act = ACTS.get(form["do"])
    try:
        if act is None:
            raise Refused("Choose what to do with it.")
        said = act(here, patient_id, form)
    except Mendable as error:
        return account_page(
            here, patient_id, error.status, by=form["by"], who=form["who"], why=form["key"], problems=error.problems, typed=form, about=form["do"]
        )  # fmt: skip
    query = "&".join(f"{name}={form[name]}" for name in ("by", "who") if form[name])
    return here.go(f"/accounts/{patient_id}{'?' + query if query else ''}", said)


@router.get("/money")
def show_money(request: Request) -> Response:
    """Who has a rest to pay, the insurer having answered."""
    here = enter(request, "accounts")
    with here.read() as connection:
        rests = [
            row
            for query in (money.PATIENT_REST, money.OWN_REST)
            for row in connection.execute(query, {"site_id": here.site_id})
        ]
        waiting = [plan for plan in running_plans(connection, here.today) if plan.needs_a_person]
    return here.page("money.html", rests=rests, waiting=waiting, screen="money")

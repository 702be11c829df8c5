"""The account: by visit or by date, of the household or one person. Every amount opens how it came about, and
what can be done with it.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, Refused
from zax.core.form import Cents, Form, Reference, some_text
from zax.core.money.aging import BUCKETS
from zax.core.money.journal import Kind
from zax.core.reading import reference
from zax.core.wording import dollars
from zax.desk.money.account import account_of
from zax.desk.money.corrections import (
    HandOverForm,
    OffForm,
    ShiftForm,
    give_discount,
    hand_over,
    shift_part,
    take_entry_back,
    write_off,
)
from zax.desk.money.credits import move_allocation, spread_credit
from zax.desk.money.explain_amount import KIND_WORDS, explain, title
from zax.desk.money.payment_plans import plans_of, running_plans
from zax.desk.money.products import take_product_back
from zax.store.money import queries as money
from zax.store.money.statements import statements_of
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class Correction(Form):
    """What a correction may name: the line, the entry or the credit it is about, and why."""

    line_id: Reference = 0
    entry: Reference = 0
    credit: Reference = 0
    discount_id: Reference = 0
    why: str = ""


class MoveForm(Form):
    """What of a payment goes to another line, or waits as credit."""

    credit: Reference = 0
    line_id: Reference = 0
    to_line: Annotated[str, some_text("Choose where it goes.")]
    amount: Cents


BY_DATE_ROWS = 80


@router.get("/accounts/{patient_id}")
def show_account(
    request: Request,
    patient_id: int,
    all: bool = False,
    by: str = "visit",
    who: str = "",
    why: str = "",
    do: str = "",
    older: int = 0,
) -> Response:
    """`by` visit or date; `who` "one" for this person alone; `why` names the amount that is explained and
    `do` what is to be done about it; `older` pages back by date.
    """
    ctx = enter(request, "accounts")
    return account_page(ctx, patient_id, all=all, by=by, who=who, why=why, older=older, opens=do)


def account_page(
    ctx: RequestContext,
    patient_id: int,
    status: int = 200,
    all: bool = False,
    by: str = "visit",
    who: str = "",
    why: str = "",
    older: int = 0,
    opens: str = "",
    **more: object,
) -> Response:
    with ctx.read() as connection:
        account = account_of(connection, ctx.clinic, patient_id, ctx.today, who == "one")
        plans = plans_of(connection, account.household.id, ctx.today)
        statements = statements_of(connection, account.household.id)
    page = ctx.page(
        "money/account.html",
        status,
        account=account,
        lines=account.lines,
        buckets=BUCKETS,
        all=all,
        by=by if by == "date" else "visit",
        who=who,
        why=explain(account, why or "t"),
        asked=why,
        opens=opens,
        plans=plans,
        statements=statements,
        older=older,
        rows=BY_DATE_ROWS,
        kind_words=KIND_WORDS,
        Kind=Kind,
        title=title,
        screen="money",
        **more,
    )
    return ctx.looked(page, patient_id, "account")


@router.get("/accounts/{patient_id}/why/{key}")
def show_why(request: Request, patient_id: int, key: str, who: str = "", by: str = "visit") -> Response:
    """The explanation of one amount, for the margin of the page."""
    ctx = enter(request, "accounts")
    with ctx.read() as connection:
        account = account_of(connection, ctx.clinic, patient_id, ctx.today, who == "one")
    page = ctx.page(
        "money/explain_amount.html",
        account=account,
        why=explain(account, key),
        asked=key,
        opens="",
        Kind=Kind,
        who=who,
        by=by,
        lines=account.lines,
    )
    return ctx.looked(page, patient_id, "account")


def _write_off(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    write_off(ctx.desk, ctx.actor, form.read(OffForm))
    return "Written off."


def _discount(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    """A percentage or an amount; a discount of the clinic's own fills both in."""
    sent = form.read(OffForm)
    own = ctx.clinic.money.discounts.get(form.read(Correction).discount_id)
    if own:
        sent = sent.but(percent=own.percent, why=sent.why or own.words)
    give_discount(ctx.desk, ctx.actor, sent)
    return "Discount given."


def _shift(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    shift_part(ctx.desk, ctx.actor, form.read(ShiftForm))
    return "Moved."


def _hand_over(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    hand_over(ctx.desk, ctx.actor, form.read(HandOverForm))
    return "Moved."


def _take_back(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    sent = form.read(Correction)
    take_entry_back(ctx.desk, ctx.actor, sent.entry, sent.why)
    return "Undone."


def _product_back(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    take_product_back(ctx.desk, ctx.actor, form.read(Correction).line_id)
    return "Returned to stock. What was paid for it is now credit."


def _move(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    sent = form.read(MoveForm)
    target = None if sent.to_line == "credit" else reference(sent.to_line)
    move_allocation(ctx.desk, ctx.actor, sent.credit, sent.line_id, target, sent.amount)
    return "Moved." if target else "It’s kept as credit now."


def _use(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    used = spread_credit(ctx.desk, ctx.actor, patient_id, form.read(Correction).credit)
    return f"{dollars(used)} of credit was applied."


ACTS = {
    "write-off": _write_off,
    "discount": _discount,
    "shift": _shift,
    "hand-over": _hand_over,
    "take-back": _take_back,
    "product-back": _product_back,
    "move": _move,
    "use": _use,
}


@router.post("/accounts/{patient_id}/correct")
def correct(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """One correction, as `do` says; a problem opens the amount again with what was typed."""
    ctx = enter(request, "payments")
    act = ACTS.get(form["do"])
    try:
        if act is None:
            raise Refused("Choose what to do with it.")
        said = act(ctx, patient_id, form)
    except Mendable as error:
        return account_page(
            ctx,
            patient_id,
            error.status,
            by=form["by"],
            who=form["who"],
            why=form["at"],
            problems=error.problems,
            typed=form,
            about=form["do"],
        )
    query = "&".join(f"{name}={form[name]}" for name in ("by", "who") if form[name])
    return ctx.go(f"/accounts/{patient_id}{'?' + query if query else ''}", said)


@router.get("/money")
def show_money(request: Request) -> Response:
    """Who has a balance due, the insurer having answered."""
    ctx = enter(request, "accounts")
    with ctx.read() as connection:
        rests = money.listed_rests(connection, ctx.site_id, wanted_of(request))
        waiting = [plan for plan in running_plans(connection, ctx.today) if plan.needs_a_person]
    return ctx.page("money/overview.html", rests=rests, waiting=waiting, screen="money")

"""A payment plan on the screen: made from ticked charges with its instalments seen before it is kept, and how it stands."""

from __future__ import annotations

from datetime import date
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.money.cents import parse_amount, plain
from zax.core.money.payplan import EVERY, schedule
from zax.desk.cards import cards_of
from zax.desk.openitems import open_items
from zax.desk.payplans import PlanForm, end_plan, make_plan, plans_of
from zax.store import schema
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()


@router.get("/accounts/{patient_id}/plan")
def show(request: Request, patient_id: int, plan: int = 0) -> Response:
    return plan_page(enter(request, "payments"), patient_id, plan_id=plan)


def plan_page(here: Here, patient_id: int, status: int = 200, plan_id: int = 0, **more: Any) -> Response:
    typed = more.get("typed")
    with here.read() as connection:
        patient = connection.execute(select(schema.patient).where(schema.patient.c.id == patient_id)).first()
        if patient is None:
            raise NotFound("There is no such patient.")
        items = open_items(connection, here.clinic, patient.household_id)
        plans = plans_of(connection, patient.household_id, here.today)
        cards = cards_of(connection, patient.household_id)
    planned = {line for plan in plans for line in plan.open}
    lines = [each for each in items.lines if each.line_id not in planned]
    ticked = set(typed.numbers("line")) if typed is not None else {each.line_id for each in lines}
    total = sum(each.cents for each in lines if each.line_id in ticked)
    page = here.page(
        "payplan.html", status, patient=patient, lines=lines, plans=plans, cards=cards, ticked=ticked, total=total, every=EVERY, instalments=_seen(here, typed, total),
        chosen=plan_id, screen="money", **more,
    )  # fmt: skip
    return here.looked(page, patient_id, "plan")


def _seen(here: Here, typed: Typed | None, total: int) -> list[Any]:
    """The instalments of what is typed, so that they can be told before the plan is kept; empty while it does not make sense."""
    try:
        cents = parse_amount(typed["amount"]) if typed is not None else total
        count = int(typed["count"]) if typed is not None else 6
        first = date.fromisoformat(typed["first"]) if typed is not None else here.today
        every = typed["every"] if typed is not None else "month"
        return schedule(cents, count, first, every) if 2 <= count <= 60 and every in EVERY and cents >= count else []
    except (ZaxError, ValueError):
        return []


@router.post("/accounts/{patient_id}/plan")
def keep(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """Look at the instalments (`do` look) or keep the plan."""
    here = enter(request, "payments")
    if form["do"] == "look":
        return plan_page(here, patient_id, typed=form)
    try:
        plan = PlanForm(
            form.numbers("line"), form["amount"], form["count"], form["first"], form["every"], form.number("card")
        )
        make_plan(here.desk, here.actor, patient_id, plan)
    except Mendable as error:
        return plan_page(here, patient_id, error.status, problems=error.problems, typed=form)
    return here.go(f"/accounts/{patient_id}", f"The plan over {plain(parse_amount(form['amount']))} runs.")


@router.post("/plans-of-payment/{plan_id}/end")
def end(request: Request, plan_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "payments")
    try:
        patient_id = end_plan(here.desk, here.actor, plan_id, form["why"])
    except Mendable as error:
        return plan_page(here, form.number("patient_id") or 0, error.status, plan_id=plan_id, problems=error.problems)
    return here.go(f"/accounts/{patient_id}", "The plan has ended; what is open is due as before.")

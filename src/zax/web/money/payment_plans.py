"""A payment plan on the screen: made from ticked charges with its installments seen before it is kept, and
how it stands.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import Form, Reference
from zax.core.money.payment_plan import EVERY, Installment, schedule
from zax.core.wording import dollars
from zax.desk.money.dues import open_items
from zax.desk.money.payment_plans import PaymentPlanForm, end_plan, make_plan, plans_of
from zax.store.money.payments import cards_of
from zax.store.patients.patients import patient_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class EndForm(Form):
    patient_id: Reference = 0
    why: str = ""


@router.get("/accounts/{patient_id}/plan")
def show(request: Request, patient_id: int, plan: int = 0) -> Response:
    return plan_page(enter(request, "payments"), patient_id, plan_id=plan)


def plan_page(
    ctx: RequestContext, patient_id: int, status: int = 200, plan_id: int = 0, **more: object
) -> Response:
    typed = form_in(more)
    with ctx.read() as connection:
        patient = patient_of(connection, patient_id)
        if patient is None:
            raise NotFound("There is no such patient.")
        items = open_items(connection, ctx.clinic, patient.household_id)
        plans = plans_of(connection, patient.household_id, ctx.today)
        cards = cards_of(connection, patient.household_id)
    planned = {line for plan in plans for line in plan.open}
    lines = [each for each in items.lines if each.line_id not in planned]
    ticked = typed.ticked("line") if typed is not None else {each.line_id for each in lines}
    total = sum(each.cents for each in lines if each.line_id in ticked)
    page = ctx.page(
        "money/payment_plan.html",
        status,
        patient=patient,
        lines=lines,
        plans=plans,
        cards=cards,
        ticked=ticked,
        total=total,
        every=EVERY,
        installments=_seen(ctx, typed, total),
        chosen=plan_id,
        screen="money",
        **more,
    )
    return ctx.looked(page, patient_id, "plan")


def _seen(ctx: RequestContext, typed: PostedForm | None, total: int) -> list[Installment]:
    """The installments of what is typed, so that they can be told before the plan is kept; empty while it
    does not make sense.
    """
    try:
        plan = PaymentPlanForm(amount=total, count=6, first=ctx.today, every="month")
        plan = plan if typed is None else typed.read(PaymentPlanForm)
        return schedule(plan.amount, plan.count, plan.first, plan.every) if plan.amount >= plan.count else []
    except ZaxError:
        return []


@router.post("/accounts/{patient_id}/plan")
def keep(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Look at the installments (`do` look) or keep the plan."""
    ctx = enter(request, "payments")
    if form["do"] == "look":
        return plan_page(ctx, patient_id, typed=form)
    try:
        plan = form.read(PaymentPlanForm)
        make_plan(ctx.desk, ctx.actor, patient_id, plan)
    except Mendable as error:
        return plan_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/accounts/{patient_id}", f"The plan over {dollars(plan.amount)} is set up.")


@router.post("/plans-of-payment/{plan_id}/end")
def end(request: Request, plan_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "payments")
    sent = form.read(EndForm)
    try:
        patient_id = end_plan(ctx.desk, ctx.actor, plan_id, sent.why)
    except Mendable as error:
        return plan_page(ctx, sent.patient_id, error.status, plan_id=plan_id, problems=error.problems)
    return ctx.go(f"/accounts/{patient_id}", "The plan has ended. The balance is due as before.")

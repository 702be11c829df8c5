"""Payers, plans with their benefits, and contract fees: seen by everybody, changed by billers and
managers.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.coverage.benefits import (
    CATEGORY_WORDS,
    COORDINATION_WORDS,
    COUNTS_WORDS,
    DENTAL_CATEGORIES,
    MEDICAL_CATEGORIES,
    PER_WORDS,
    UNTIL_WORDS,
    Benefits,
)
from zax.core.coverage.fee_copy import LEAST_PERCENT, MOST_PERCENT, STEPS, copied_fees
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import Choice, Form, OfVersion, References, Tick
from zax.core.reading import needed_number, reference
from zax.core.wording import money_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage import plans as acts
from zax.store.coverage.queries import patients_by_plan, patients_with
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class PlanHead(OfVersion):
    """A plan but for its terms, which the act reads field by field."""

    payer_id: Choice = 0
    name: str = ""
    dental: Tick = False
    note: str = ""


class OutOfNetwork(Form):
    """Providers of the clinic that are out of a payer's network."""

    outside: References = ()


MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)


@router.get("/plans")
def show_plans(request: Request) -> Response:
    """Every payer with its plans and fee schedules, and how many patients have each."""
    ctx = enter(request)
    with ctx.read() as connection:
        counts = patients_by_plan(connection, ctx.today)
    return ctx.page(
        "coverage/plans.html", counts=counts, kinds=acts.PAYER_KINDS, answers=acts.ELIGIBILITY, screen="plans"
    )


@router.get("/plans/{plan_id}")
def show_plan(request: Request, plan_id: int, payer: int = 0, dental: int = 1) -> Response:
    """The benefits editor; 0 is a new plan of `payer`."""
    return plan_page(enter(request), plan_id, payer_id=payer, dental=bool(dental))


def plan_page(
    ctx: RequestContext,
    plan_id: int,
    status: int = 200,
    payer_id: int = 0,
    dental: bool = True,
    **more: object,
) -> Response:
    plan = ctx.clinic.plans.get(plan_id)
    if plan_id and plan is None:
        raise NotFound("There is no such plan.")
    benefits = plan.benefits if plan else Benefits(name="", percents={})
    dental = plan.dental if plan else dental
    with ctx.read() as connection:
        touched = patients_with(connection, plan_id, ctx.today) if plan else 0
    shown = more.get("form") or form_of(benefits)
    return ctx.page(
        "coverage/plan_edit.html",
        status,
        plan=plan,
        dental=dental,
        payer_id=plan.payer_id if plan else payer_id,
        touched=touched,
        categories=DENTAL_CATEGORIES if dental else MEDICAL_CATEGORIES,
        words=CATEGORY_WORDS,
        per_words=PER_WORDS,
        coordination=COORDINATION_WORDS,
        counts_words=COUNTS_WORDS,
        until_words=UNTIL_WORDS,
        months=MONTHS,
        screen="plans",
        **(more | {"form": shown}),
    )


def form_of(b: Benefits) -> acts.PlanTermsForm:
    """The editor's fields for a plan as it stands."""

    def amount(cents: int | None) -> str:
        return "" if cents is None else money_words(cents)

    fields = {f"percent-{c}": str(p) for c, p in b.percents.items()} | {
        f"out-{c}": str(p) for c, p in b.percents_out.items()
    }
    fields |= {f"copay-{c.category}": money_words(c.cents) for c in b.copays} | {
        f"per-{c.category}": c.per for c in b.copays
    }
    fields |= {f"yearly-{c}": money_words(v) for c, v in b.category_maximums.items()} | {
        f"lifetime-{c}": money_words(v) for c, v in b.lifetime_maximums.items()
    }
    fields |= {f"waiting-{c}": str(m) for c, m in b.waiting_months.items()}
    fields |= {
        "deductible": amount(b.deductible_cents or None),
        "household_deductible": amount(b.household_deductible_cents or None),
        "maximum": amount(b.maximum_cents),
        "household_maximum": amount(b.household_maximum_cents),
        "coordination": b.coordination,
        "year_starts": str(b.year_starts_month),
        "authorization": " ".join(sorted(b.needs_authorization)),
        "missing_tooth": " ".join(sorted(b.missing_tooth_codes)),
        "out_of_pocket": amount(b.out_of_pocket_cents),
        "household_out_of_pocket": amount(b.household_out_of_pocket_cents),
        "deductible_out": amount(b.deductible_out_cents),
        "maximum_out": amount(b.maximum_out_cents),
    }
    singles = sorted(b.code_percents.keys() | b.code_copays.keys())
    return acts.PlanTermsForm(
        fields,
        sorted(b.no_deductible),
        [
            (" ".join(sorted(f.codes)), str(f.count), str(f.months or ""), f.per, f.counts)
            for f in b.frequencies
        ],
        [(" ".join(sorted(a.codes)), _number(a.youngest), _number(a.oldest), a.until) for a in b.ages],
        list(b.alternates.items()),
        sorted(b.no_maximum),
        [(code, _number(b.code_percents.get(code)), amount(b.code_copays.get(code))) for code in singles],
    )


def _number(number: int | None) -> str:
    return "" if number is None else str(number)


def _typed_form(form: PostedForm) -> acts.PlanTermsForm:
    def rows(typed: int, *names: str) -> list[tuple[str, ...]]:
        """The rows in whose first cells something was typed; the others are choices, which always say
        something.
        """
        columns = [form.all.get(name, []) for name in names]
        return [row for row in zip(*columns, strict=False) if any(cell.strip() for cell in row[:typed])]

    return acts.PlanTermsForm(
        form,
        form.all.get("free", []),
        [
            (r[0], r[1], r[2], r[3], r[4])
            for r in rows(3, "f_codes", "f_count", "f_months", "f_per", "f_counts")
        ],
        [(r[0], r[1], r[2], r[3]) for r in rows(3, "a_codes", "a_from", "a_to", "a_until")],
        [(r[0], r[1]) for r in rows(2, "x_done", "x_paid")],
        form.all.get("unmaxed", []),
        [(r[0], r[1], r[2]) for r in rows(3, "s_code", "s_percent", "s_copay")],
    )


@router.post("/plans/{plan_id}")
def save_plan(request: Request, plan_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """A new plan (0) or a correction for everybody who has it."""
    ctx = enter(request, "plans")
    typed = _typed_form(form)
    sent = form.read(PlanHead)
    try:
        number = acts.save_plan(
            ctx.desk,
            ctx.actor,
            plan_id,
            sent.payer_id,
            sent.name,
            sent.dental,
            sent.note,
            typed,
            sent.version or 0,
        )
    except Mendable as error:
        return plan_page(
            ctx,
            plan_id,
            error.status,
            sent.payer_id,
            sent.dental,
            problems=error.problems,
            typed=form,
            form=typed,
        )
    return ctx.go(
        f"/plans/{number}",
        "Saved. It applies to everyone who has the plan." if plan_id else "Saved. Patients can have it now.",
    )


@router.post("/plans/{plan_id}/{what}")
def end_plan(request: Request, plan_id: int, what: str, form: PostedForm = Depends(posted_form)) -> Response:
    """Retire, revive or delete."""
    ctx = enter(request, "plans")
    try:
        if what == "delete":
            acts.delete_plan(ctx.desk, ctx.actor, plan_id)
            return ctx.go("/plans", "Deleted.")
        if what not in {"retire", "revive"}:
            raise NotFound("There is no such step.")
        acts.retire_plan(ctx.desk, ctx.actor, plan_id, what == "revive")
    except Mendable as error:
        return plan_page(ctx, plan_id, error.status, problems={"": error.message})
    return ctx.go(
        f"/plans/{plan_id}", "Retired. It won’t be offered anymore." if what == "retire" else "Offered again."
    )


@router.get("/payers/{payer_id}")
def show_payer(request: Request, payer_id: int) -> Response:
    return payer_page(enter(request), payer_id)


def payer_page(ctx: RequestContext, payer_id: int, status: int = 200, **more: object) -> Response:
    payer = ctx.clinic.payers.get(payer_id)
    if payer_id and payer is None:
        raise NotFound("There is no such payer.")
    return ctx.page(
        "coverage/payer_edit.html",
        status,
        payer=payer,
        kinds=acts.PAYER_KINDS,
        answers=acts.ELIGIBILITY,
        required=acts.REQUIRED,
        screen="plans",
        **more,
    )


@router.post("/payers/{payer_id}")
def save_payer(request: Request, payer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    try:
        acts.save_payer(ctx.desk, ctx.actor, payer_id, form, form.read(OutOfNetwork).outside)
    except ZaxError as error:
        return payer_page(ctx, payer_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/plans", "Saved.")


@router.get("/fees/{schedule_id}")
def show_fees(request: Request, schedule_id: int, payer: int = 0) -> Response:
    """A new one (0) is a payer's, or without a payer a price list for patients who pay themselves."""
    return fees_page(enter(request), schedule_id, payer_id=payer)


def fees_page(
    ctx: RequestContext, schedule_id: int, status: int = 200, payer_id: int = 0, **more: object
) -> Response:
    schedule = next((s for s in ctx.clinic.contracts.schedules if s.id == schedule_id), None)
    if schedule_id and schedule is None:
        raise NotFound("There is no such fee schedule, or it has ended.")
    return ctx.page(
        "coverage/fees_edit.html",
        status,
        schedule=schedule,
        payer_id=(schedule.payer_id or 0) if schedule else payer_id,
        is_list=schedule.flag_id is not None if schedule else not payer_id,
        amount=money_words,
        steps=STEPS,
        screen="plans",
        **({"filled": 0} | more),
    )


@router.post("/fees/{schedule_id}")
def save_fees(request: Request, schedule_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    fees = {
        reference(name.removeprefix("fee-")): text
        for name, text in form.items()
        if name.startswith("fee-") and reference(name.removeprefix("fee-"))
    }
    try:
        number = acts.save_fees(ctx.desk, ctx.actor, schedule_id, form, fees)
    except ZaxError as error:
        return fees_page(ctx, schedule_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/fees/{number}", "Saved. New estimates use it.")


@router.post("/fees/{schedule_id}/fill")
def fill_fees(request: Request, schedule_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The form filled from other fees by a percentage; nothing is kept before it is saved."""
    ctx = enter(request, "plans")
    payer_id = reference(form["payer_id"])
    try:
        fees = copied_fees(
            _fees_of(ctx.clinic, reference(form["from_id"])),
            needed_number(
                form["percent"], "percent", LEAST_PERCENT, MOST_PERCENT, "A whole percentage, such as 85."
            ),
            reference(form["step"]),
        )
    except ZaxError as error:
        return fees_page(ctx, schedule_id, error.status, payer_id, problems=error.problems, typed=form)
    form |= {f"fee-{number}": money_words(cents) for number, cents in fees.items()}
    return fees_page(ctx, schedule_id, 200, payer_id, typed=form, filled=len(fees))


def _fees_of(clinic: Clinic, schedule_id: int) -> dict[int, int]:
    """By service, in cents: the clinic's own, or those of a schedule."""
    own = {each.id: each.fee_cents for each in clinic.services.values()}
    schedule = next((each for each in clinic.contracts.schedules if each.id == schedule_id), None)
    if schedule is None:
        return own
    return {
        each.id: schedule.fees[each.code] for each in clinic.services.values() if each.code in schedule.fees
    }


@router.post("/fees/{schedule_id}/end")
def end_fees(request: Request, schedule_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    acts.end_schedule(ctx.desk, ctx.actor, schedule_id)
    return ctx.go("/plans", "Ended. It no longer sets prices.")

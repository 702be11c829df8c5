"""What payers answered: one coverage's answers as a table in plain words, the runs over everybody booked, and
a visit's estimate with its reasons.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fastapi import APIRouter, Depends, Request
from fastapi.responses import PlainTextResponse, Response

from zax.core.coverage.answer import FAILED, Difference, Told, told
from zax.core.coverage.benefits import benefit_year
from zax.core.errors import NotFound, ZaxError
from zax.core.form import Form, Reference
from zax.core.x12.eligibility import Member
from zax.desk.coverage import eligibility as acts
from zax.desk.coverage.coverages import RANKS
from zax.desk.day.visit_sheet import sheet_of
from zax.store.coverage.checks import check_of, checks_of, checks_to_mend, listed_batches
from zax.store.coverage.queries import one_coverage
from zax.store.coverage.records import Check
from zax.store.engine import Connection
from zax.store.listing import Order
from zax.store.patients.patients import known_patient
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class AskAhead(Form):
    """For how many days ahead everybody booked is asked about."""

    days: Reference = 0


SHOWN = 40


@router.get("/coverage/{coverage_id}/answer")
def show_answer(request: Request, coverage_id: int, check: int = 0) -> Response:
    """An answer of the payer, the latest unless another is named; all earlier ones beside it."""
    ctx = enter(request)
    with ctx.read() as connection:
        row = one_coverage(connection, coverage_id)
        if row is None:
            raise NotFound("There is no such coverage.")
        patient = known_patient(connection, row.patient_id)
        checks = checks_of(connection, coverage_id, SHOWN)
        chosen = next((each for each in checks if each.id == check), checks[0] if checks else None)
        found = _read(ctx, connection, chosen)
    page = ctx.page(
        "coverage/answer.html",
        c=row,
        p=patient,
        checks=checks,
        chosen=chosen,
        ranks=RANKS,
        screen="patients",
        FAILED=FAILED,
        found=found,
    )
    return ctx.looked(page, patient.id, "answer")


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerShown:
    """An answer as the page tells it: benefit by benefit, where it differs from the plan, what was used
    elsewhere.
    """

    rows: Sequence[Told] = ()
    differences: Sequence[Difference] = ()
    elsewhere: tuple[int, int] | None = None
    about: Member | None = None


def _read(ctx: RequestContext, connection: Connection, check: Check | None) -> AnswerShown:
    if check is None or check.answer is None:
        return AnswerShown()
    judged = acts.judged_answer(connection, check, check.answer)
    return AnswerShown(
        rows=told(judged.member) if judged.member else (),
        differences=acts.plan_differences(connection, ctx.clinic, check),
        elsewhere=acts.used_elsewhere(connection, ctx.clinic, check),
        about=judged.member,
    )


@router.get("/eligibility/{check_id}/raw.txt")
def raw_answer(request: Request, check_id: int) -> Response:
    """The answer exactly as it came, or the question when there is none."""
    ctx = enter(request, "plans")
    with ctx.read() as connection:
        row = check_of(connection, check_id)
    if row is None:
        raise NotFound("There is no such answer.")
    return ctx.looked(PlainTextResponse(row.answer or row.question), row.patient_id, "answer")


@router.post("/eligibility/{check_id}/take")
def take_over(request: Request, check_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Take the payer's word: for the plan (a biller's right), or for what other clinics have used."""
    ctx = enter(request)
    try:
        if form["row"] == "used":
            acts.take_over_used(ctx.desk, ctx.actor, check_id)
            said = "Saved. Estimates use it from now on."
        else:
            name = acts.take_over(ctx.desk, ctx.actor, check_id, form["row"])
            said = f"{name} is updated for everyone who has it."
    except ZaxError as error:
        said = error.message
    return ctx.go(form.back, said)


@router.get("/eligibility")
def show_runs(request: Request) -> Response:
    """The runs with their progress, and what needs a person."""
    ctx = enter(request)
    with ctx.read() as connection:
        batches = listed_batches(connection, replace(wanted_of(request, Order.NEWEST), find=""))
        waiting = checks_to_mend(connection, ctx.today)
    return ctx.page(
        "coverage/eligibility.html",
        batches=batches,
        waiting=waiting,
        habits=acts.habits_of(ctx.clinic),
        screen="patients",
    )


@router.post("/eligibility")
def start_run(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    try:
        key = f"{ctx.actor.id}-{ctx.now.isoformat()}"
        count = acts.ask_for_booked(ctx.desk, ctx.actor, form.read(AskAhead).days, key)
    except ZaxError as error:
        return ctx.go("/eligibility", error.message)
    return ctx.go(
        "/eligibility",
        f"{count} eligibility checks are on their way."
        if count
        else "Everyone booked then was already checked.",
    )


@router.post("/eligibility/{check_id}/handled")
def mark_handled(request: Request, check_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    try:
        acts.handled(ctx.desk, ctx.actor, check_id)
    except ZaxError as error:
        return ctx.go("/eligibility", error.message)
    return ctx.go("/eligibility", "Done.")


@router.get("/visits/{visit_id}/estimate")
def show_estimate(request: Request, visit_id: int) -> Response:
    """Each line of the visit: fee, write-off, deductible, both insurers, patient, and why; what was used
    before.
    """
    ctx = enter(request)
    with ctx.read() as connection:
        sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
    plans = [ctx.clinic.plans[row.plan_id] for row in sheet.bill.coverages]
    year = benefit_year(sheet.visit.day, plans[0].benefits.year_starts_month)[0] if plans else None
    page = ctx.page("coverage/estimate.html", sheet=sheet, plans=plans, year=year, ranks=RANKS, screen="day")
    return ctx.looked(page, sheet.visit.patient_id, "estimate")

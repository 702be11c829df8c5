"""What clinicians ask patients back for, in the clinic's own words, and how an overdue return goes up."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ProblemCollector
from zax.core.followup.escalation import TO_WORDS, Rise, To
from zax.core.followup.returns import FOR_WHOM, ReturnReason
from zax.core.reading import reference, whole_number
from zax.desk.followup.reasons import keep_reason
from zax.desk.followup.rising import RiseRule, keep_rise_rule, rise_rule
from zax.store.followup.returns import reasons
from zax.store.people.people import active_users
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/setup/returns")
def show_reasons(request: Request) -> Response:
    return _page(enter(request, "setup"), reference(request.query_params.get("reason", "")))


def _page(ctx: RequestContext, reason_id: int = 0, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        kept, people = reasons(connection), active_users(connection)
    opened = next((each for each in kept if each.id == reason_id), None)
    if reason_id and opened is None:
        raise NotFound("There is no such reason.")
    return ctx.page(
        "followup/setup.html",
        status,
        reasons=kept,
        opened=opened,
        rule=rise_rule(ctx.clinic),
        people=people,
        for_whom=FOR_WHOM,
        to_words=TO_WORDS,
        screen="setup",
        **more,
    )


@router.post("/setup/returns/reasons/{reason_id}")
def save_reason(request: Request, reason_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    typed = ReturnReason(
        id=reason_id,
        words=form["words"],
        by_when=form["by_when"],
        for_whom=form["for_whom"],
        urgent=form["urgent"] == "yes",
        type_id=reference(form["type_id"]) or None,
        active=form["active"] == "yes",
        version=reference(form["version"]),
    )
    try:
        keep_reason(ctx.desk, ctx.actor, typed)
    except Mendable as error:
        return _page(ctx, reason_id, error.status, problems=error.problems, typed=form)
    return ctx.go(
        "/setup/returns", "Saved. Clinicians can choose it now." if typed.active else "Saved, not in use."
    )


@router.post("/setup/returns/rule")
def save_rule(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    wrong = ProblemCollector()
    try:
        days = [wrong.take(whole_number, form[f"days-{to}"], "days", 1, 365) or 0 for to in To]
        wrong.raise_if_any()
        rises = tuple(Rise(each, to) for each, to in zip(days, To, strict=True))
        keep_rise_rule(ctx.desk, ctx.actor, RiseRule(rises, reference(form["person_id"])))
    except Mendable as error:
        return _page(ctx, 0, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/returns", "Saved. It counts from the next look on.")

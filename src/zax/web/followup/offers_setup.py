"""How the clinic offers openings: how many people at a time, how long it waits."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, ProblemCollector
from zax.core.followup.offer import LIMITS, Rules
from zax.core.reading import whole_number
from zax.desk.followup.offers import keep_rules, rules_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
NUMBERS = {
    "wave": "People texted at a time",
    "minutes": "Minutes until the next are texted",
    "most_a_week": "Offers to one person in a week, at most",
    "until_before": "Minutes before the time when offering ends",
    "within_days": "Days ahead that a canceled visit is offered by itself",
}


@router.get("/setup/offers")
def show_rules(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return ctx.page(
        "followup/offers_setup.html",
        status,
        rules=rules_of(ctx.clinic),
        numbers=NUMBERS,
        limits=LIMITS,
        screen="setup",
        **more,
    )


@router.post("/setup/offers")
def save_rules(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        keep_rules(ctx.desk, ctx.actor, _read(form))
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/offers", "Saved.")


def _read(form: PostedForm) -> Rules:
    """As typed; raises Problems beside the fields."""
    wrong = ProblemCollector()
    numbers = {name: wrong.take(whole_number, form[name], name, *LIMITS[name]) or 0 for name in NUMBERS}
    wrong.raise_if_any()
    return Rules(**numbers)

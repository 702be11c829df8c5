"""A new clinic’s list until its first visit, payment and claim, each thing one key away."""

from __future__ import annotations

from collections.abc import Mapping

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.setup.first_days import GOAL_WORDS, ToDo, first_days
from zax.core.setup.starter import KIND_WORDS, Kind
from zax.desk.setup.first_days import facts_of
from zax.desk.setup.hours import close_holidays, public_holidays
from zax.desk.setup.providers import set_npi
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/first-days"
# Where each thing is done.
PLACES: Mapping[str, str] = {
    "providers": "/setup/providers",
    "hours": "/setup/hours",
    "types": "/setup/types",
    "holidays": "/setup/closures",
    "patients": "/import",
    "people": "/setup/people",
    "texts": "/setup/messages",
    "second": "/me",
    "fees": "/setup/services",
    "limits": "/setup/money",
    "float": "/setup/money",
    "numbers": "/setup/clinic",
    "npis": "/setup/providers",
    "taxonomies": "/setup/providers",
    "clearinghouse": "/setup/clinic#clearinghouse",
    "payers": "/payers/list",
    "plans": "/plans",
    "sent": "/claims",
}


@router.get(PAGE)
def show_first_days(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        facts = facts_of(connection, ctx.clinic, ctx.today, ctx.actor.id or 0)
    columns = first_days(facts)
    left: list[ToDo] = [each for column in columns for each in column.left]
    opened = ctx.clinic.about.get("opened")
    kind = Kind(opened["kind"]) if isinstance(opened, dict) else None
    return setup_page(
        ctx,
        "first_days",
        status,
        columns=columns,
        goals=GOAL_WORDS,
        # A digit for each of the first nine that are left, in the order of the page.
        digits={each.key: number for number, each in enumerate(left[:9], 1)},
        places=PLACES,
        holidays=facts.holidays,
        unnumbered=[each for each in ctx.clinic.working(ctx.today) if not each.npi],
        kind=KIND_WORDS[kind] if kind else "",
        done_count=sum(len(column.done) for column in columns),
        all_count=sum(column.all for column in columns),
        **({"who": 0} | more),
    )


@router.post(f"{PAGE}/holidays")
def take_holidays(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Every public holiday of the coming year, at every site."""
    ctx = enter(request, "setup")
    days = public_holidays(ctx.clinic, ctx.clinic.first_site.id, ctx.today)
    try:
        close_holidays(ctx.desk, ctx.actor, days, "")
    except Mendable:
        return ctx.go("/setup/closures", "Some visits are booked on those days: choose which to close.")
    return ctx.go(PAGE, f"{len(days)} days closed. Take any back under Closed days.")


@router.post(f"{PAGE}/npi/{{who}}")
def store_npi(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        set_npi(ctx.desk, ctx.actor, who, form["npi"])
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form, who=who)
    return ctx.go(PAGE)

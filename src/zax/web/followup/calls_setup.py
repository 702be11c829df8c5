"""How the call sheet counts: a weight a reason, tried on today's list before it is kept."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, ProblemCollector
from zax.core.followup.call_sheet import (
    A_TRY,
    CENTS_A_POINT,
    DAYS_A_POINT,
    HEAVIEST,
    MOST_FOR_MONEY,
    MOST_FOR_WAITING,
    URGENT,
    WHY_WORDS,
    CallRow,
    Why,
)
from zax.core.reading import needed_number
from zax.desk.followup.calls import call_sheet, keep_weights, weights_of
from zax.store.followup.calls import people_to_call
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
MOST_SHOWN = 12


@dataclass(frozen=True, slots=True)
class Moved:
    """Somebody on the list as the weights would have it, and where they stand now."""

    row: CallRow
    name: str
    place: int
    was: int


@router.get("/setup/calls")
def show_weights(request: Request) -> Response:
    ctx = enter(request, "setup")
    return _page(ctx, weights_of(ctx.clinic))


def _page(ctx: RequestContext, weights: dict[Why, int], status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        now = call_sheet(connection, ctx.clinic, ctx.now)
        then = call_sheet(connection, ctx.clinic, ctx.now, weights)
        shown = then.rows[:MOST_SHOWN]
        people = people_to_call(connection, [row.patient_id for row in shown], ctx.today)
    was = {row.patient_id: place for place, row in enumerate(now.rows, 1)}
    moved = [
        Moved(
            row,
            f"{people[row.patient_id].first} {people[row.patient_id].last}",
            place,
            was[row.patient_id],
        )
        for place, row in enumerate(shown, 1)
    ]
    page = ctx.page(
        "followup/calls_setup.html",
        status,
        weights=weights,
        why_words=WHY_WORDS,
        moved=moved,
        heaviest=HEAVIEST,
        rule={
            "days": DAYS_A_POINT,
            "waiting": MOST_FOR_WAITING,
            "cents": CENTS_A_POINT,
            "money": MOST_FOR_MONEY,
            "try": A_TRY,
            "urgent": URGENT,
        },
        screen="setup",
        **({"trying": False} | more),
    )
    return ctx.looked_at(page, [row.patient_id for row in shown], "calls")


@router.post("/setup/calls")
def save_weights(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Try shows today's list as it would be; save keeps it."""
    ctx = enter(request, "setup")
    wrong = ProblemCollector()
    typed = {
        why: wrong.take(needed_number, form[f"weight-{why}"], f"weight-{why}", 0, HEAVIEST) for why in Why
    }
    try:
        wrong.raise_if_any()
        weights = {why: points or 0 for why, points in typed.items()}
        if form["do"] == "try":
            return _page(ctx, weights, trying=True)
        keep_weights(ctx.desk, ctx.actor, weights)
    except Mendable as error:
        return _page(ctx, weights_of(ctx.clinic), error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/calls", "Saved. The call sheet counts that way now.")

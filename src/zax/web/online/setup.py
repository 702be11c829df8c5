"""Asking online in Setup: the switch, how far ahead times are shown, and the address with its code to
print.
"""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any

import segno
from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ProblemCollector
from zax.core.reading import reference, whole_number
from zax.desk.notices.rules import habits_of
from zax.desk.online.habits import LIMITS, keep_online_habits, online_habits
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/online"
NUMBERS = {
    "days_ahead": "Days ahead that times are shown",
    "hours_before": "Hours before a visit that it may still be asked for",
    "most_a_day": "Times shown a day, at most",
}
WEB_WORDS = {"held": "held until the desk accepts", "firm": "booked at once", "no": "not online"}


@router.get(PAGE)
def show_online(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    address = habits_of(ctx.clinic).address
    return ctx.page(
        "online/setup.html",
        status,
        habits=online_habits(ctx.clinic),
        numbers=NUMBERS,
        web_words=WEB_WORDS,
        ask=f"{address}/ask" if address else "",
        here=PAGE,
        screen="setup",
        **more,
    )


@router.post(PAGE)
def save_online(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    wrong = ProblemCollector()
    numbers: dict[str, Any] = {
        name: wrong.take(whole_number, form[name], name, *LIMITS[name]) or 0 for name in NUMBERS
    }
    try:
        wrong.raise_if_any()
        habits = replace(online_habits(ctx.clinic), runs=form["runs"] == "1", **numbers)
        keep_online_habits(ctx.desk, ctx.actor, habits)
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved.")


@router.get(PAGE + "/code.svg")
def code(request: Request, type: str = "", provider: str = "") -> Response:
    """The address as a code for a phone's camera, for all or for one type and provider."""
    ctx = enter(request, "setup")
    address = habits_of(ctx.clinic).address
    if not address:
        raise NotFound("Say in Messages where our pages are reached first.")
    query = f"?type={reference(type)}&provider={reference(provider) or ''}" if reference(type) else ""
    made = segno.make(f"{address}/ask{'/times' if query else ''}{query}", error="m")
    out = io.BytesIO()
    made.save(out, kind="svg", scale=6, border=2, dark="#12302a")
    return Response(out.getvalue(), media_type="image/svg+xml")

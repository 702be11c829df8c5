"""Asking online in Setup: the switch, how far ahead times are shown, and the address with its code to
print.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ProblemCollector
from zax.core.reading import reference, whole_number
from zax.desk.notices.rules import habits_of
from zax.desk.online.habits import LIMITS, keep_online_habits, online_habits
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form
from zax.web.shell.square_code import inline_code, square_code

router = APIRouter()
PAGE = "/setup/online"
SCALE = 6  # a code of about 200 pixels
REGISTER = "register"  # the sheet for who registers without asking for a time
NUMBERS = {
    "days_ahead": "Days ahead that times are shown",
    "hours_before": "Hours before a visit that it may still be asked for",
    "most_a_day": "Times shown a day, at most",
    "unopened_days": "Days until a statement no one opened is printed",
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
        habits = replace(
            online_habits(ctx.clinic),
            runs=form["runs"] == "1",
            applies_payments=form["applies_payments"] == "1",
            **numbers,
        )
        keep_online_habits(ctx.desk, ctx.actor, habits)
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved.")


@router.get(PAGE + "/code.svg")
def code(request: Request, type: str = "", provider: str = "") -> Response:
    """The address as a code for a phone's camera, for all or for one type and provider."""
    ctx = enter(request, "setup")
    return Response(square_code(_link(ctx, type, provider), SCALE), media_type="image/svg+xml")


@router.get(PAGE + "/sheet.pdf")
def sheet(request: Request, type: str = "", provider: str = "") -> Response:
    """A sheet to hang up or hand out: what it is for, the code, the address in letters."""
    ctx = enter(request, "setup")
    link = _link(ctx, type, provider)
    kind = ctx.clinic.types.get(reference(type))
    who = ctx.clinic.providers.get(reference(provider))
    paper_of = paper(
        "online/papers/sheet.html",
        about=ctx.clinic.about,
        site=ctx.site,
        link=link,
        code=inline_code(link, SCALE),
        registers=type == REGISTER,
        kind=kind.name_online if kind else "",
        note=kind.web_note if kind else "",
        who=who.name if who else "",
    )
    return pdf_answer(paper_of, "online-sheet")


def _link(ctx: RequestContext, type: str, provider: str) -> str:
    """Where a sheet's code leads; NotFound while patients can't reach our pages."""
    address = habits_of(ctx.clinic).address
    if not address:
        raise NotFound("Say in Messages where our pages are reached first.")
    if type == REGISTER:
        return f"{address}/register"
    chosen = {"type": reference(type), "provider": reference(provider)}
    query = urlencode({name: number for name, number in chosen.items() if number})
    return f"{address}/ask{'/times' if chosen['type'] else ''}{'?' if query else ''}{query}"

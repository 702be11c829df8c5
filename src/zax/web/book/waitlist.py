"""Waitlist: the gaps of the next days, who fits the chosen one best and why, everybody who waits, and those
to be asked again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import islice
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.hours import Span
from zax.core.book.waitlist import WAIT_WORDS, Entry, Fit, best_for, chosen, stale_first
from zax.core.clinic.providers import Provider
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import Choice, Form, Reference
from zax.desk.book.waitlist import (
    OpenTime,
    entries,
    leave_waitlist,
    note_try,
    open_times,
    still_waits,
    wait_for,
)
from zax.store.book import queries as visits
from zax.store.patients.attendance import tallies_of
from zax.web.shell.address import day_in, number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class NewWait(Form):
    """Who waits, why, and for what with whom."""

    patient_id: Reference = 0
    why: str = ""
    type_id: Choice = 0
    provider_id: Choice = 0
    note: str = ""


KEPT = ("name", "why", "who", "room", "type", "order", "since", "gap", "from")
ORDERS = {"": "most valuable first", "wait": "longest waiting first", "fit": "best fit first"}
DAYS_SHOWN = 3
BEST = 5
SHOWN = 60


@dataclass(frozen=True, slots=True)
class StripDay:
    """One day of one provider in the strip of gaps: working time and gaps, in minutes of the day."""

    day: date
    windows: tuple[Span, ...]
    gaps: tuple[tuple[int, OpenTime], ...]
    away: str


@router.get("/waitlist")
def show_waitlist(request: Request) -> Response:
    return waitlist_page(enter(request, "book"), dict(request.query_params))


def waitlist_page(ctx: RequestContext, query: dict[str, str], status: int = 200, **more: object) -> Response:
    days = _days(ctx, query)
    with ctx.read() as connection:
        everybody = entries(connection, ctx.clinic, ctx.site_id)
        gaps = open_times(connection, ctx.clinic, ctx.site_id, days, ctx.now)
        adding = visits.person(connection, number_in(query, "add")) if query.get("add") else None
    shown = _filtered(ctx, query, everybody)
    picked, fits = _picked(ctx, query, gaps, shown)
    order = query.get("order", "") if query.get("order", "") in ORDERS else ""
    if order == "fit":
        rank = {fit.entry.patient_id: number for number, fit in enumerate(fits)}
        shown = sorted(shown, key=lambda entry: rank.get(entry.patient_id, len(rank)))
    kept = {name: query.get(name, "") for name in KEPT}
    pages = max(1, -(-len(shown) // SHOWN))
    page = min(max(number_in(query, "page"), 1), pages)
    here = shown[(page - 1) * SHOWN : page * SHOWN]
    with ctx.read() as connection:
        attendance = tallies_of(connection, [entry.patient_id for entry in here])
    return ctx.page(
        "book/waitlist.html",
        status,
        everybody=everybody,
        shown=here,
        attendance=attendance,
        page_number=page,
        pages=pages,
        total=len(shown),
        gaps=gaps,
        picked=picked,
        fits=fits,
        best=BEST,
        rank={fit.entry.patient_id: number for number, fit in enumerate(fits, 1) if fit.left >= 0},
        long={fit.entry.patient_id for fit in fits if fit.left < 0},
        stale=stale_first(everybody, ctx.today),
        strip=_strip(ctx, days, gaps),
        days=days,
        orders=ORDERS,
        whys=WAIT_WORDS,
        query=PostedForm(kept),
        adding=adding,
        href=lambda **changes: _href(kept, changes),
        open_minutes=sum(each.gap.minutes for each in gaps),
        screen="waitlist",
        now_type=number_in(query, "type"),
        **more,
    )


def _href(kept: Mapping[str, str], changes: Mapping[str, object]) -> str:
    wanted = {**kept} | {name: str(value) for name, value in changes.items()}
    return f"/waitlist?{urlencode({name: value for name, value in wanted.items() if value})}"


def _days(ctx: RequestContext, query: Mapping[str, str]) -> list[date]:
    """The next days on which somebody works here, from today or the day asked for."""
    asked = day_in(query.get("from", ""), ctx.today, "That isn’t a day. Reload the waitlist.")
    first = max(ctx.today, asked)
    hours, team = ctx.clinic.hours, ctx.clinic.hours.team(ctx.site_id)
    ahead = (first + timedelta(days=number) for number in range(30))
    working = (day for day in ahead if any(hours.windows(p.id, ctx.site_id, day) for p in team))
    return list(islice(working, DAYS_SHOWN))


def _picked(
    ctx: RequestContext, query: Mapping[str, str], gaps: Sequence[OpenTime], shown: Sequence[Entry]
) -> tuple[OpenTime | None, list[Fit]]:
    """The gap in the address, as 'provider day start'; else the first one that somebody fits. And who fits
    it, best first.
    """
    wanted = next((each for each in gaps if gap_key(each) == query.get("gap")), None)
    for each in [wanted] if wanted else gaps:
        fits = best_for(shown, each.gap, ctx.today)
        if wanted or (fits and fits[0].left >= 0):
            return each, fits
    return (gaps[0], []) if gaps else (None, [])


def gap_key(each: OpenTime) -> str:
    return f"{each.gap.provider_id} {each.gap.day} {each.gap.start}"


def _filtered(ctx: RequestContext, query: Mapping[str, str], everybody: Sequence[Entry]) -> list[Entry]:
    room = ctx.clinic.rooms.get(number_in(query, "room"))
    types = frozenset(kind.id for kind in ctx.clinic.types.values() if kind.may_use(room)) if room else None
    since = ctx.today - timedelta(days=number_in(query, "since")) if query.get("since") else None
    return chosen(
        everybody,
        name=query.get("name", ""),
        provider_id=number_in(query, "who"),
        room_types=types,
        type_id=number_in(query, "type"),
        why=query.get("why", ""),
        since=since,
        order=query.get("order", ""),
    )


def _strip(
    ctx: RequestContext, days: Sequence[date], gaps: Sequence[OpenTime]
) -> list[tuple[Provider, list[StripDay]]]:
    """A row a provider: the working time of each day shown, with its gaps."""
    rows = []
    for person in ctx.clinic.hours.team(ctx.site_id):
        of_person = []
        for day in days:
            mine = tuple(
                (number, each)
                for number, each in enumerate(gaps)
                if each.gap.provider_id == person.id and each.gap.day == day
            )
            hours = ctx.clinic.hours.day_hours(person.id, ctx.site_id, day)
            elsewhere = ctx.clinic.hours.elsewhere(person.id, ctx.site_id, day)
            away = (
                ""
                if hours.windows
                else f"at {elsewhere[0][1]}"
                if elsewhere
                else next((words for _, words in hours.shut), "away")
            )
            of_person.append(StripDay(day, hours.windows, mine, away))
        rows.append((person, of_person))
    return rows


@router.post("/waitlist/{wait_id}/{what}")
def act_on_wait(
    request: Request, wait_id: int, what: str, form: PostedForm = Depends(posted_form)
) -> Response:
    """Still waiting, off the list with a reason, or a note of what a call brought."""
    ctx = enter(request, "book")
    try:
        if what == "still":
            still_waits(ctx.desk, ctx.actor, wait_id)
        elif what == "leave":
            leave_waitlist(ctx.desk, ctx.actor, wait_id, form["reason"])
        elif what == "tried":
            note_try(ctx.desk, ctx.actor, wait_id, form["words"])
        else:
            raise NotFound("There is no such thing to do on the waitlist.")
    except Mendable as error:
        return _again(ctx, form, error, about={"wait": wait_id, "what": what})
    said = {
        "still": "Kept. We’ll ask again later.",
        "leave": "Off the waitlist.",
        "tried": "Noted.",
    }[what]
    return ctx.go(form.back if form["back"] else "/waitlist", said)


def _again(ctx: RequestContext, form: PostedForm, error: ZaxError, **more: object) -> Response:
    return waitlist_page(
        ctx, form.back_query, status=error.status, problems=error.problems, typed=form, **more
    )


@router.post("/waitlist")
def add_to_waitlist(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    try:
        sent = form.read(NewWait)
        wait_for(
            ctx.desk,
            ctx.actor,
            sent.patient_id,
            sent.why,
            sent.type_id,
            sent.provider_id,
            ctx.site_id,
            sent.note,
        )
    except ZaxError as error:
        return _again(ctx, form, error, about={"wait": 0, "what": "add"})
    return ctx.go("/waitlist", "On the waitlist.")

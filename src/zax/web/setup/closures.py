"""Setup: when a site or the whole clinic is closed, and which public holidays are kept."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.calendar import DAY, Closure
from zax.core.form import ClockOrNone, ReferenceOrNone
from zax.desk.setup.hours import (
    close_clinic,
    close_holidays,
    open_again,
    public_holidays,
)
from zax.store.clinic.hours import closures_from
from zax.web.setup.frame import ChosenDay, ChosenDayOrNone, Decision, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class ClosureForm(Decision):
    """Closed from a day and time to another; without times whole days, without a last day one."""

    first: ChosenDay
    last: ChosenDayOrNone = None
    start: ClockOrNone = None
    end: ClockOrNone = None
    words: str = ""
    site_id: ReferenceOrNone = None


class Holidays(Decision):
    """The holidays that are ticked, as ISO days."""

    day: tuple[str, ...] = ()


@router.get("/setup/closures")
def show_closures(request: Request) -> Response:
    return closures_page(enter(request, "setup"))


def closures_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        rows = closures_from(connection, ctx.today)
    offered = public_holidays(ctx.clinic, ctx.site_id, ctx.today)
    return setup_page(ctx, "closures", status, rows=rows, offered=offered, closure=Closure, **more)


@router.post("/setup/closures")
def save_closure(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """One closure from a day and time to another; without times whole days."""
    ctx = enter(request, "setup")

    def work() -> None:
        sent = form.read(ClosureForm)
        starts = _moment(sent.first, sent.start, 0)
        ends = _moment(sent.last or sent.first, sent.end, DAY.end)
        close_clinic(ctx.desk, ctx.actor, starts, ends, sent.words, sent.site_id, sent.decision)

    return done(
        ctx,
        form,
        work,
        lambda status, more: closures_page(ctx, status, **more),
        "/setup/closures",
        "Closure saved.",
    )


def _moment(day: date, minute: int | None, usual: int) -> datetime:
    return datetime(day.year, day.month, day.day) + timedelta(minutes=usual if minute is None else minute)


@router.post("/setup/holidays")
def save_holidays(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    sent = form.read(Holidays)
    days = [
        (day, words)
        for day, words in public_holidays(ctx.clinic, ctx.site_id, ctx.today)
        if day.isoformat() in sent.day
    ]
    return done(
        ctx,
        form,
        lambda: close_holidays(ctx.desk, ctx.actor, days, sent.decision),
        lambda status, more: closures_page(ctx, status, **more),
        "/setup/closures",
        f"{len(days)} holidays closed.",
    )


@router.post("/setup/closures/{closure_id}/end")
def end_closure(request: Request, closure_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: open_again(ctx.desk, ctx.actor, closure_id),
        lambda status, more: closures_page(ctx, status, **more),
        "/setup/closures",
        "Closure removed.",
    )

"""Setup: when people work, week by week and by exception."""

from __future__ import annotations

from datetime import date, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.calendar import PATTERN_WORDS
from zax.core.book.hours import Span
from zax.core.errors import NotFound
from zax.core.form import Form, ReferenceOrNone, Tick
from zax.core.wording import clock_words
from zax.desk.setup.hours import (
    HoursRow,
    add_exception,
    end_exception,
    set_hours,
)
from zax.store.clinic.hours import WeeklyHours, exceptions_from, weekly_hours
from zax.web.setup.frame import ChosenDay, ChosenDayOrNone, Decision, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class HoursFrom(Form):
    from_day: ChosenDay


class ExceptionForm(Decision):
    """Time off or extra time from a day to another; the same day without a last one."""

    first: ChosenDay
    last: ChosenDayOrNone = None
    start: str = ""
    end: str = ""
    words: str = ""
    extra: Tick = False
    site_id: ReferenceOrNone = None


MOST_ROWS = 60
HOURS_FIELDS = ("weekday", "pattern", "site_id", "start", "end", "rest", "counted_from")


@router.get("/setup/hours/{provider_id}")
def show_hours(request: Request, provider_id: int) -> Response:
    return hours_page(enter(request, "setup"), provider_id)


def hours_page(ctx: RequestContext, provider_id: int, status: int = 200, **more: object) -> Response:
    provider = ctx.clinic.providers.get(provider_id)
    if provider is None:
        raise NotFound("There is no such provider.")
    with ctx.read() as connection:
        rows = weekly_hours(connection, provider_id, ctx.today)
        exceptions = exceptions_from(connection, provider_id, ctx.today)
    now = [row for row in rows if row.from_day is None or row.from_day <= ctx.today]
    coming = [row for row in rows if row not in now]
    typed = form_in(more)
    return setup_page(
        ctx,
        "hours",
        status,
        provider=provider,
        rows=_typed_rows(typed) if typed and typed["form"] == "hours" else [_row_of(row) for row in now],
        coming=coming,
        exceptions=exceptions,
        patterns=PATTERN_WORDS,
        fortnight=_fortnight(ctx, provider_id),
        **more,
    )


def _fortnight(ctx: RequestContext, provider_id: int) -> list[tuple[date, list[Span], str]]:
    """The coming two weeks as the rules have it: working windows of a day at every site, and why there are
    none.
    """
    found = []
    for number in range(14):
        day = ctx.today + timedelta(days=number)
        hours = [ctx.clinic.hours.day_hours(provider_id, site, day) for site in ctx.clinic.sites]
        windows = sorted(window for each in hours for window in each.windows)
        found.append(
            (
                day,
                windows,
                next((words for each in hours for _, words in each.shut), "") if not windows else "",
            )
        )
    return found


def _row_of(row: WeeklyHours) -> HoursRow:
    return HoursRow(
        weekday=str(row.weekday),
        pattern=row.pattern,
        site_id=str(row.site_id),
        start=clock_words(row.start_min),
        end=clock_words(row.end_min),
        rest=row.rest,
        counted_from=str(row.counted_from or ""),
    )


def _typed_rows(form: PostedForm) -> list[HoursRow]:
    """The rows of the weekly editor that were filled in; a row without times is left out."""
    rows = []
    for number in range(MOST_ROWS):
        row = HoursRow(**{name: form[f"{name}-{number}"] for name in HOURS_FIELDS})
        if row.start.strip() or row.end.strip():
            rows.append(row)
    return rows


@router.post("/setup/hours/{provider_id}")
def save_hours(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: set_hours(
            ctx.desk,
            ctx.actor,
            provider_id,
            form.read(HoursFrom).from_day,
            _typed_rows(form),
            form.read(Decision).decision,
        ),
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Hours saved.",
    )


@router.post("/setup/hours/{provider_id}/exception")
def save_exception(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")

    def work() -> None:
        sent = form.read(ExceptionForm)
        add_exception(
            ctx.desk,
            ctx.actor,
            provider_id,
            sent.first,
            sent.last or sent.first,
            sent.start,
            sent.end,
            sent.words,
            sent.extra,
            sent.site_id,
            sent.decision,
        )

    return done(
        ctx,
        form,
        work,
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Saved.",
    )


@router.post("/setup/hours/{provider_id}/exception/{exception_id}/end")
def take_exception_back(
    request: Request, provider_id: int, exception_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: end_exception(ctx.desk, ctx.actor, exception_id, form.read(Decision).decision or "leave"),
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Removed.",
    )

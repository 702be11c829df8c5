"""Setup: when people work, when the clinic is closed, what can be booked, sites and rooms. A change under
booked visits lists them first.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.calendar import PATTERN_WORDS, Closure
from zax.core.book.hours import Span, clock_words
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.errors import Mendable, NotFound
from zax.core.reading import needed_day, parse_clock
from zax.desk.setup.hours import (
    Affected,
    HoursRow,
    add_exception,
    close_clinic,
    close_holidays,
    end_exception,
    open_again,
    outside_now,
    public_holidays,
    set_hours,
)
from zax.desk.setup.sites import GRIDS, choose_mark, save_provider, save_room, save_site
from zax.desk.setup.visit_types import FOR_WHOM, WEB, NeedRow, TypeForm, save_set, save_type
from zax.store.clinic.hours import closures_from, exceptions_from, weekly_hours
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
MOST_ROWS = 60
HOURS_FIELDS = ("weekday", "pattern", "site_id", "start", "end", "rest")
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@router.get("/setup")
def show_setup(request: Request) -> Response:
    ctx = enter(request, "setup")
    return ctx.go(f"/setup/hours/{next(iter(ctx.clinic.providers))}")


def setup_page(ctx: RequestContext, template: str, status: int = 200, **values: Any) -> Response:
    with ctx.read() as connection:
        outside = outside_now(connection, ctx.clinic, ctx.today)
    return ctx.page(
        f"setup/{template}.html",
        status,
        screen="setup",
        outside=outside,
        weekdays=WEEKDAYS,
        tab=template,
        **values,
    )


def done(
    ctx: RequestContext,
    form: PostedForm,
    work: Callable[[], Any],
    again: Callable[[int, dict[str, Any]], Response],
    to: str,
    said: str,
) -> Response:
    """Carry out a change; what is wrong, or which visits it would leave outside hours, shows on the page it
    came from.
    """
    try:
        work()
    except Affected as affected:
        return again(
            affected.status, {"affected": affected.visits, "typed": form, "problems": {"": affected.message}}
        )
    except Mendable as error:
        return again(error.status, {"typed": form, "problems": error.problems})
    return ctx.go(to, said)


# --- hours
@router.get("/setup/hours/{provider_id}")
def show_hours(request: Request, provider_id: int) -> Response:
    return hours_page(enter(request, "setup"), provider_id)


def hours_page(ctx: RequestContext, provider_id: int, status: int = 200, **more: Any) -> Response:
    provider = ctx.clinic.providers.get(provider_id)
    if provider is None:
        raise NotFound("There is no such provider.")
    with ctx.read() as connection:
        rows = weekly_hours(connection, provider_id, ctx.today)
        exceptions = exceptions_from(connection, provider_id, ctx.today)
    now = [row for row in rows if row.from_day is None or row.from_day <= ctx.today]
    coming = [row for row in rows if row not in now]
    typed = more.get("typed")
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


def _row_of(row: Any) -> HoursRow:
    end = "24:00" if row.end_min == 1440 else clock_words(row.end_min)
    return HoursRow(
        weekday=str(row.weekday),
        pattern=row.pattern,
        site_id=str(row.site_id),
        start=clock_words(row.start_min),
        end=end,
        rest=row.rest,
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
            _date(form["from_day"], "from_day"),
            _typed_rows(form),
            form["decision"],
        ),
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Hours saved.",
    )


@router.post("/setup/hours/{provider_id}/exception")
def save_exception(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")

    def work() -> None:
        first = _date(form["first"], "first")
        last = _date(form["last"], "last") if form["last"].strip() else first
        add_exception(
            ctx.desk,
            ctx.actor,
            provider_id,
            first,
            last,
            form["start"],
            form["end"],
            form["words"],
            form["extra"] == "1",
            form.number("site_id"),
            form["decision"],
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
        lambda: end_exception(ctx.desk, ctx.actor, exception_id, form["decision"] or "leave"),
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Taken back.",
    )


@router.post("/setup/hours/{provider_id}/person")
def store_provider(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_provider(
            ctx.desk, ctx.actor, provider_id, form.number("at_once") or 0, form.number("room_id") or 0
        ),
        lambda status, more: hours_page(ctx, provider_id, status, **more),
        f"/setup/hours/{provider_id}",
        "Saved.",
    )


def _date(text: str, field: str) -> date:
    return needed_day(text, field, "Choose a day.")


# --- closed days
@router.get("/setup/closures")
def show_closures(request: Request) -> Response:
    return closures_page(enter(request, "setup"))


def closures_page(ctx: RequestContext, status: int = 200, **more: Any) -> Response:
    with ctx.read() as connection:
        rows = closures_from(connection, ctx.today)
    offered = public_holidays(ctx.clinic, ctx.site_id, ctx.today)
    return setup_page(ctx, "closures", status, rows=rows, offered=offered, closure=Closure, **more)


@router.post("/setup/closures")
def save_closure(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """One closure from a day and time to another; without times whole days."""
    ctx = enter(request, "setup")

    def work() -> None:
        first = _date(form["first"], "starts")
        last = _date(form["last"], "ends") if form["last"].strip() else first
        starts = _moment(first, form["start"], 0, "starts")
        ends = _moment(last, form["end"], 24 * 60, "ends")
        close_clinic(
            ctx.desk, ctx.actor, starts, ends, form["words"], form.number("site_id"), form["decision"]
        )

    return done(
        ctx,
        form,
        work,
        lambda status, more: closures_page(ctx, status, **more),
        "/setup/closures",
        "Closed then.",
    )


def _moment(day: date, text: str, usual: int, field: str) -> datetime:
    minute = parse_clock(text, field) if text.strip() else usual
    return datetime(day.year, day.month, day.day) + timedelta(minutes=minute)


@router.post("/setup/holidays")
def save_holidays(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    wanted = set(form.all.get("day", []))
    days = [
        (day, words)
        for day, words in public_holidays(ctx.clinic, ctx.site_id, ctx.today)
        if day.isoformat() in wanted
    ]
    return done(
        ctx,
        form,
        lambda: close_holidays(ctx.desk, ctx.actor, days, form["decision"]),
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
        "Open again then.",
    )


# --- visit types and service sets
@router.get("/setup/types")
def show_types(request: Request) -> Response:
    return setup_page(enter(request, "setup"), "types", for_whom=FOR_WHOM, web=WEB)


@router.get("/setup/types/{type_id}")
def show_type(request: Request, type_id: int) -> Response:
    """A type to change; 0 is a new one."""
    return type_page(enter(request, "setup"), type_id)


def type_page(ctx: RequestContext, type_id: int, status: int = 200, **more: Any) -> Response:
    kind = ctx.clinic.types.get(type_id)
    if kind is None and type_id:
        raise NotFound("There is no such visit type.")
    typed = more.pop("typed", None)
    form = (
        _type_form(typed)
        if typed
        else (
            _form_of(kind)
            if kind
            else TypeForm(
                name="",
                role="dentist",
                minutes="30",
                buffer="0",
                most="0",
                goal="0",
                ask_after="60",
                recall="0",
                for_whom="all",
                web="no",
                doubles=False,
                active=True,
                hours="",
                lead_parts="",
                equipment="",
                room_ids=(),
                services=(),
                set_id=0,
                needs=(),
            )
        )
    )
    return setup_page(
        ctx, "type", status, kind=kind, form=form, for_whom=FOR_WHOM, web=WEB, roles=ROLE_NAMES, **more
    )


def _form_of(kind: Any) -> TypeForm:
    """A type as the form shows it."""
    hours = "; ".join(
        f"{' '.join(WEEKDAYS[day][:3].lower() for day in sorted(days)) if len(days) < 7 else ''}"
        f" {clock_words(w.start)}-{clock_words(w.end)}".strip()
        for days, w in kind.hours
    )
    needs = tuple(
        NeedRow(
            n.role,
            str(n.minutes),
            ", ".join(map(str, n.offsets)),
            n.words,
            "" if n.same_as is None else str(n.same_as),
        )
        for n in kind.needs
    )
    parts = ", ".join(f"{offset}-{offset + minutes}" for offset, minutes in kind.lead_parts)
    return TypeForm(
        name=kind.name,
        role=kind.role,
        minutes=str(kind.minutes),
        buffer=str(kind.buffer),
        most=str(kind.most),
        goal=str(kind.goal),
        ask_after=str(kind.ask_after),
        recall=str(kind.recall_months),
        for_whom=kind.for_whom,
        web=kind.web,
        doubles=kind.doubles,
        active=kind.active,
        hours=hours,
        lead_parts=parts,
        equipment=", ".join(sorted(kind.equipment)),
        room_ids=tuple(kind.room_ids),
        services=kind.own_services,
        set_id=kind.set_id,
        needs=needs,
        version=kind.version,
    )


def _type_form(form: PostedForm) -> TypeForm:
    needs = []
    for number in range(6):
        row = NeedRow(
            *(form[f"need_{name}-{number}"] for name in ("role", "minutes", "offsets", "words", "same"))
        )
        if row.role:
            needs.append(row)
    return TypeForm(
        name=form["name"],
        role=form["role"],
        minutes=form["minutes"],
        buffer=form["buffer"],
        most=form["most"],
        goal=form["goal"],
        ask_after=form["ask_after"],
        recall=form["recall"],
        for_whom=form["for_whom"],
        web=form["web"],
        doubles=bool(form["doubles"]),
        active=bool(form["active"]),
        hours=form["hours"],
        lead_parts=form["lead_parts"],
        equipment=form["equipment"],
        room_ids=tuple(form.numbers("room_ids")),
        services=tuple(form.numbers("services")),
        set_id=form.number("set_id") or 0,
        needs=tuple(needs),
        version=form.number("version") or 0,
    )


@router.post("/setup/types/{type_id}")
def store_type(request: Request, type_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_type(ctx.desk, ctx.actor, type_id, _type_form(form)),
        lambda status, more: type_page(ctx, type_id, status, **more),
        "/setup/types",
        "Visit type saved. Visits booked from now on follow it.",
    )


@router.get("/setup/sets")
def show_sets(request: Request) -> Response:
    return setup_page(enter(request, "setup"), "sets")


@router.post("/setup/sets/{set_id}")
def store_set(request: Request, set_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_set(
            ctx.desk, ctx.actor, set_id, form["name"], form.numbers("services"), bool(form["active"])
        ),
        lambda status, more: setup_page(ctx, "sets", status, about=set_id, **more),
        "/setup/sets",
        "Service set saved.",
    )


# --- sites and rooms
@router.get("/setup/sites")
def show_sites(request: Request) -> Response:
    return sites_page(enter(request, "setup"))


def sites_page(ctx: RequestContext, status: int = 200, **more: Any) -> Response:
    return setup_page(
        ctx, "sites", status, grids=GRIDS, mark=ctx.clinic.about.get("book_mark", "track"), **more
    )


@router.post("/setup/sites/{site_id}")
def store_site(request: Request, site_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_site(
            ctx.desk,
            ctx.actor,
            site_id,
            form["name"],
            form["timezone"],
            form["grid"],
            form["opens"],
            form["closes"],
        ),
        lambda status, more: sites_page(ctx, status, about=f"site-{site_id}", **more),
        "/setup/sites",
        "Site saved.",
    )


@router.post("/setup/rooms/{room_id}")
def store_room(request: Request, room_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_room(
            ctx.desk,
            ctx.actor,
            room_id,
            form.number("site_id") or 0,
            form["name"],
            form["dental"] == "1",
            form["equipment"],
            bool(form["active"]),
            form["decision"],
        ),
        lambda status, more: sites_page(ctx, status, about=f"room-{room_id}", **more),
        "/setup/sites",
        "Room saved.",
    )


@router.post("/setup/mark")
def store_mark(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: choose_mark(ctx.desk, ctx.actor, form["mark"]),
        lambda status, more: sites_page(ctx, status, **more),
        "/setup/sites",
        "Saved.",
    )

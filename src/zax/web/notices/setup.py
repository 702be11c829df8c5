"""Messages in Setup: what is sent, when, by which channel; the hours in which anything goes; and what would
go out tomorrow. One cell opens beside the table (zax.web.notices.cell).
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local, to_utc
from zax.core.errors import Mendable, ProblemCollector
from zax.core.messages.channel import CHANNEL_WORDS, Channel
from zax.core.messages.quiet import KINDS, Awake, Quiet
from zax.core.notices.events import CHANNELS, EVENTS, Event
from zax.core.notices.lead import Lead, read_lead
from zax.core.notices.rule import Rule, RuleKey
from zax.core.reading import parse_clock, parse_end, reference, whole_number
from zax.desk.messages.gateway import SETTING as SECRET
from zax.desk.messages.gateway import keep_gateway_secret
from zax.desk.messages.quiet_hours import keep_quiet_hours, quiet_hours
from zax.desk.notices.forecast import Foreseen, foreseen
from zax.desk.notices.rules import (
    LIMITS,
    Habits,
    drop_exception,
    habits_of,
    keep_habits,
    keep_rule,
    rules_of,
    word_book,
)
from zax.desk.notices.testing import door_answers
from zax.store.messages.messages import never_reached, texts_since
from zax.web.notices.cell import Cell, beside, cell_of, needed_cell
from zax.web.shell.address import day_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
NUMBERS = {
    "texts_a_minute": "Messages a minute, at most",
    "recalls_an_hour": "Messages about recalls an hour",
    "call_tries": "Calls made where no one picks up",
    "call_minutes": "Minutes between two of them",
    "cancel_hours": "Hours before a visit that a reply may cancel it (−1: never)",
    "cents_a_text": "Cents a text costs",
}


@router.get("/setup/messages")
def show_messages(request: Request) -> Response:
    ctx = enter(request, "setup")
    return page_of(ctx, cell_of(request.query_params))


def page_of(ctx: RequestContext, cell: Cell | None, status: int = 200, **more: object) -> Response:
    """The table, with one cell opened."""
    start = to_utc(datetime(ctx.today.year, ctx.today.month, 1), ctx.site.timezone)
    with ctx.read() as connection:
        rules = rules_of(connection)
        found: dict[str, object] = {
            "rules": rules,
            "sent": texts_since(connection, start),
            "never": never_reached(connection, ("reminders", "recalls")),
        }
        if cell is not None:
            found |= beside(connection, ctx, cell, rules)
    return ctx.page(
        "notices/setup.html",
        status,
        events=EVENTS,
        channels=CHANNELS,
        channel_words=CHANNEL_WORDS,
        habits=habits_of(ctx.clinic),
        has_secret=bool(ctx.clinic.about.get(SECRET)),
        quiet=quiet_hours(ctx.clinic),
        kinds=KINDS,
        numbers=NUMBERS,
        cell=cell,
        screen="setup",
        **(found | more),
    )


@router.post("/setup/messages/habits")
def save_habits(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The switch, how fast, and what replies may do."""
    ctx = enter(request, "setup")
    try:
        keep_habits(ctx.desk, ctx.actor, _habits(form, habits_of(ctx.clinic)))
    except Mendable as error:
        return page_of(ctx, None, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/messages", "Saved.")


def _habits(form: PostedForm, now: Habits) -> Habits:
    """As typed; raises Problems beside the fields."""
    wrong = ProblemCollector()
    numbers: dict[str, Any] = {
        name: wrong.take(_number, form[name], name, *LIMITS[name]) or 0 for name in NUMBERS
    }
    wrong.raise_if_any()
    return replace(now, runs=form["runs"] == "1", address=form["address"].strip().rstrip("/"), **numbers)


def _number(text: str, field: str, least: int, most: int) -> int:
    return (
        -1 if text.strip() in {"-1", "−1"} and least < 0 else whole_number(text, field, max(0, least), most)
    )


@router.post("/setup/messages/hours")
def save_hours(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        keep_quiet_hours(ctx.desk, ctx.actor, _hours(form))
    except Mendable as error:
        return page_of(ctx, None, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/messages", "Saved.")


def _hours(form: PostedForm) -> Quiet:
    """Both fields of a kind of day empty: nothing goes out that day."""
    wrong = ProblemCollector()
    hours: dict[str, Awake] = {}
    for name in KINDS:
        begins, ends = form[f"{name}_from"].strip(), form[f"{name}_to"].strip()
        if not begins and not ends:
            hours[name] = Awake(0, 0)
            continue
        first = wrong.take(parse_clock, begins, f"{name}_from") or 0
        last = wrong.take(parse_end, ends, f"{name}_to") or 0
        hours[name] = Awake(first, last)
    wrong.raise_if_any()
    return Quiet(**hours)


@router.post("/setup/messages/rule")
def save_rule(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    cell = needed_cell(form)
    try:
        keep_rule(ctx.desk, ctx.actor, _rule(form, cell))
    except Mendable as error:
        return page_of(ctx, cell, error.status, problems=error.problems, typed=form)
    return ctx.go(cell.address, "Saved.")


def _rule(form: PostedForm, cell: Cell) -> Rule:
    kind = EVENTS[cell.event]
    wrong = ProblemCollector()

    def lead(text: str, field: str) -> Lead:
        return read_lead(text, field, before=kind.before, after=kind.after)

    first = wrong.take(lead, form["lead"], "lead")
    again = wrong.take(lead, form["again"], "again") if form["again"].strip() else None
    wrong.raise_if_any()
    assert first is not None
    return Rule(
        key=RuleKey(cell.event, cell.channel, cell.type_id, cell.site_id),
        runs=form["runs"] == "1",
        lead=first,
        again=again,
        version=reference(form["version"]),
    )


@router.post("/setup/messages/rule/drop")
def drop(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    cell = needed_cell(form)
    try:
        drop_exception(ctx.desk, ctx.actor, RuleKey(cell.event, cell.channel, cell.type_id, cell.site_id))
    except Mendable as error:
        return page_of(ctx, cell, error.status, problems=error.problems)
    return ctx.go(replace(cell, type_id=0, site_id=0).address, "What holds for all holds here again.")


@router.post("/setup/messages/doors")
def try_doors(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Whether the gateways answer, in words; a mail server is tried by a test to oneself."""
    ctx = enter(request, "setup")
    doors = {channel: door_answers(ctx.shared.outside, channel) for channel in (Channel.TEXT, Channel.CALL)}
    return page_of(ctx, None, doors=doors)


@router.post("/setup/messages/secret")
def save_secret(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        keep_gateway_secret(ctx.desk, ctx.actor, ctx.shared.vault, form["secret"])
    except Mendable as error:
        return page_of(ctx, None, error.status, problems=error.problems)
    return ctx.go("/setup/messages", "Saved. Only what is signed with this secret is believed from now on.")


@router.get("/setup/messages/ahead")
def show_ahead(request: Request, day: str = "") -> Response:
    """What would go out on a day, by rule and person, and who gets none and why."""
    ctx = enter(request, "setup")
    tomorrow = ctx.today + timedelta(days=1)
    wanted = day_in(day, tomorrow, "That isn’t a day.")
    with ctx.read() as connection:
        found = foreseen(connection, ctx.clinic, rules_of(connection), word_book(connection), wanted)
    going = [each for each in found if each.to]
    page = ctx.page(
        "notices/ahead.html",
        day=wanted,
        going=going,
        skipped=[each for each in found if not each.to],
        by_rule=_by_rule(going),
        reasons=Counter(each.why_not for each in found if not each.to),
        habits=habits_of(ctx.clinic),
        events=EVENTS,
        channel_words=CHANNEL_WORDS,
        earlier=_other(wanted, -1) if wanted > ctx.today else "",
        later=_other(wanted, 1),
        wall_of=lambda at: local(at, ctx.site.timezone),
        screen="setup",
    )
    return ctx.looked_at(page, sorted({each.patient_id for each in found}), "messages ahead")


def _other(day: date, by: int) -> str:
    return f"/setup/messages/ahead?day={day + timedelta(days=by)}"


def _by_rule(going: list[Foreseen]) -> list[tuple[Event, Channel, int, int]]:
    """Event, channel, how many people's messages, how many the network counts."""
    counts = Counter((each.event, each.channel) for each in going)
    parts: Counter[tuple[Event, Channel]] = Counter()
    for each in going:
        parts[each.event, each.channel] += each.messages
    return [
        (event, channel, count, parts[event, channel]) for (event, channel), count in counts.most_common()
    ]

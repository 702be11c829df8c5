"""The call sheet on screen: one row a person, whom to call first on top; the one who is called opens beside
the list with what to say, times to offer, and one key for how it went.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local, to_utc
from zax.core.book.search_request import Opening
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.followup.attempts import FIRST_HOUR, LAST_HOUR, OUTCOME_WORDS, Attempt, Hours, Outcome, hours_of
from zax.core.followup.call_sheet import WHY_WORDS, CallRow, Reason, Score, Why
from zax.core.followup.say_first import say_first
from zax.core.money.aging import BUCKETS
from zax.core.reading import reference
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.openings import Part, find_openings
from zax.desk.book.openings import Request as Wanted
from zax.desk.book.track import confirm
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import holds_on
from zax.desk.followup.call_needs import CallNeed, need_of
from zax.desk.followup.calls import (
    FREED_AFTER,
    CallForm,
    CallSheet,
    begin_call,
    call_sheet,
    is_fresh,
    let_go,
    note_call,
)
from zax.desk.followup.returns import hang_on
from zax.desk.followup.tries import HOW, undo_try
from zax.desk.money.account import account_of
from zax.store.book.planned import relatives_of
from zax.store.coverage.queries import coverages_of
from zax.store.engine import Connection
from zax.store.followup.calls import CallLock, CallPerson, locks_since, outcomes_since, people_to_call
from zax.store.followup.tries import ContactTry, tries_of
from zax.web.book.chosen_opening import opening_value, read_opening
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE, OFFERED, AHEAD = 30, 3, timedelta(days=60)
TABS: Mapping[str, tuple[str, frozenset[Why]]] = {
    "all": ("All", frozenset(Why)),
    "asked": ("Asked to return", frozenset({Why.RETURN, Why.RESULT})),
    "recall": ("Recall", frozenset({Why.RECALL})),
    "lost": ("Lost visit", frozenset({Why.LOST, Why.MISSED, Why.SOONER})),
    "soon": ("Coming", frozenset({Why.UNCONFIRMED, Why.FORM, Why.COVERAGE})),
    "money": ("Balance", frozenset({Why.BALANCE})),
    "other": ("Other", frozenset({Why.PLANNED, Why.ESTIMATE})),
}
NO_BECAUSE = ("goes elsewhere", "too expensive", "not now", "feels fine", "afraid of it", "no time")


@dataclass(frozen=True, slots=True)
class CallLine:
    """One person on the list: why, when they pick up, how they were tried; `lock` is a colleague's."""

    row: CallRow
    person: CallPerson
    hours: Hours
    tries: Sequence[ContactTry]
    lock: CallLock | None


@dataclass(frozen=True, slots=True)
class AlsoDue:
    """Somebody of the household who is to be called as well."""

    patient_id: int
    name: str
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenCall:
    """The person who is called: what to say, what to offer, what else there is to know."""

    line: CallLine
    say: Sequence[str]
    need: CallNeed | None
    openings: Sequence[tuple[str, Opening]]
    none_why: str
    aging: Sequence[int]
    household: Sequence[AlsoDue]
    phones: Sequence[tuple[str, str]]
    coverages: Sequence[str]


@dataclass(frozen=True, slots=True)
class SoFar:
    called: int
    booked: int
    messages: int


@router.get("/followup/calls")
def show_calls(request: Request) -> Response:
    return calls_page(enter(request, "see"))


def calls_page(ctx: RequestContext, opened_id: int = 0, status: int = 200, **more: object) -> Response:
    sent = more.get("typed")
    asked = sent if isinstance(sent, PostedForm) else ctx.request.query_params
    tab = asked.get("of", "all")
    if tab not in {*TABS, "later", "letters"}:
        raise NotFound("There is no such list of calls.")
    skip = reference(asked.get("after", ""))
    opened_id = opened_id or reference(asked.get("open", ""))
    with ctx.read() as connection:
        sheet = call_sheet(connection, ctx.clinic, ctx.now)
        rows = rows_of(sheet, tab)
        shown = list(rows[skip : skip + PAGE])
        everybody = (*sheet.rows, *sheet.letters, *rows_of(sheet, "later"))
        opened = next((row for row in everybody if row.patient_id == opened_id), None)
        ids = [row.patient_id for row in shown] + ([opened_id] if opened_id else [])
        people = people_to_call(connection, ids, ctx.today)
        if opened_id and opened_id not in people:
            raise NotFound("There is no such patient.")
        tries = tries_of(connection, ids)
        locks = locks_since(connection, ctx.now - FREED_AFTER)
        lines = [_line(ctx, row, people, tries, locks) for row in shown]
        one = _opened(connection, ctx, sheet, opened, people, tries, locks) if opened else None
        so_far = _so_far(connection, ctx)
    following = next_after(rows, opened_id)
    page = ctx.page(
        "followup/calls.html",
        status,
        sheet=sheet,
        lines=lines,
        total=len(rows),
        reasons=sum(len(row.reasons) for row in sheet.rows),
        skip=skip,
        most=PAGE,
        tab=tab,
        tabs_of=TABS,
        counts={name: len(rows_of(sheet, name)) for name in (*TABS, "later", "letters")},
        later={reason.patient_id: day for reason, day in reversed(sheet.later)},
        opened=one,
        following=following,
        key_of_form=uuid.uuid4().hex,
        gone=people.get(opened_id) if opened_id and one is None else None,
        so_far=so_far,
        why_words=WHY_WORDS,
        Why=Why,
        outcomes=OUTCOME_WORDS,
        hows=HOW,
        buckets=BUCKETS,
        no_because=NO_BECAUSE,
        first_hour=FIRST_HOUR,
        last_hour=LAST_HOUR,
        screen="followup",
        **more,
    )
    return ctx.looked_at(page, sorted(people), "calls")


def next_after(rows: Sequence[CallRow], patient_id: int) -> int:
    """Who comes after them on the list, or is first when they are no longer on it; 0 for nobody."""
    ids = [row.patient_id for row in rows]
    if patient_id not in ids:
        return ids[0] if ids else 0
    place = ids.index(patient_id) + 1
    return ids[place] if place < len(ids) else 0


def rows_of(sheet: CallSheet, tab: str) -> Sequence[CallRow]:
    """The people of one list, in its order."""
    if tab == "letters":
        return sheet.letters
    if tab == "later":
        resting: dict[int, list[Reason]] = {}
        for reason, _ in sheet.later:
            resting.setdefault(reason.patient_id, []).append(reason)
        none = Score(0, False, ())
        return [CallRow(patient_id, tuple(mine), none) for patient_id, mine in resting.items()]
    wanted = TABS[tab][1]
    return [row for row in sheet.rows if any(each.why in wanted for each in row.reasons)]


def _line(
    ctx: RequestContext,
    row: CallRow,
    people: Mapping[int, CallPerson],
    tries: Sequence[ContactTry],
    locks: Mapping[int, CallLock],
) -> CallLine:
    mine = [each for each in tries if each.patient_id == row.patient_id and each.undone_at is None]
    lock = locks.get(row.patient_id)
    if lock is not None and (lock.user_id == ctx.actor.id or not is_fresh(lock, ctx.now)):
        lock = None
    zone = ctx.clinic.first_site.timezone
    attempts = [Attempt(local(each.at, zone), each.how, Outcome(each.outcome)) for each in mine]
    return CallLine(row, people[row.patient_id], hours_of(attempts), mine, lock)


def _opened(
    connection: Connection,
    ctx: RequestContext,
    sheet: CallSheet,
    row: CallRow,
    people: Mapping[int, CallPerson],
    tries: Sequence[ContactTry],
    locks: Mapping[int, CallLock],
) -> OpenCall:
    person = people[row.patient_id]
    need = need_of(connection, ctx.clinic, row.reasons, ctx.today)
    openings, none_why = _openings(connection, ctx, row.patient_id, need) if need else ([], "")
    account = account_of(connection, ctx.clinic, row.patient_id, ctx.today, only=True)
    members = {each.id: each for each in relatives_of(connection, row.patient_id)}
    also = [
        AlsoDue(
            each.patient_id,
            f"{members[each.patient_id].first} {members[each.patient_id].last}",
            ", ".join(WHY_WORDS[one.why] for one in each.reasons),
        )
        for each in sheet.rows
        if each.patient_id in members
    ]
    phones = (("mobile", person.phone), ("home", person.home_phone), ("work", person.work_phone))
    return OpenCall(
        line=_line(ctx, row, people, tries, locks),
        say=[say_first(each, ctx.today) for each in row.reasons],
        need=need,
        openings=openings,
        none_why=none_why,
        aging=account.patient_aging,
        household=also,
        phones=[(words, number) for words, number in phones if number],
        coverages=_coverages(connection, ctx.clinic, row.patient_id, ctx.today),
    )


def _coverages(connection: Connection, clinic: Clinic, patient_id: int, today: date) -> list[str]:
    held = [each for each in coverages_of(connection, [patient_id]) if holds_on(each, today)]
    return [clinic.plans[each.plan_id].name for each in held]


def _openings(
    connection: Connection, ctx: RequestContext, patient_id: int, need: CallNeed
) -> tuple[list[tuple[str, Opening]], str]:
    """The best times for what they need, with what a choice of each sends; or why there are none."""
    wanted = Wanted(
        parts=(Part(need.type_id),),
        sites=tuple(ctx.clinic.sites),
        first=ctx.today,
        last=ctx.today + AHEAD,
        patient_id=patient_id,
        limit=OFFERED,
    )
    try:
        found = (
            find_openings(connection, ctx.clinic, ctx.now, replace(wanted, same=True)) if need.same else []
        )
        found = found or find_openings(connection, ctx.clinic, ctx.now, wanted)
    except Refused as error:
        return [], error.message
    kind = ctx.clinic.types[need.type_id]
    none = "" if found else f"No time for “{kind.name}” in the next {AHEAD.days} days."
    return [(f"{each.site_id}|{opening_value(each, need.type_id)}", each) for each in found], none


def _so_far(connection: Connection, ctx: RequestContext) -> SoFar:
    zone = ctx.clinic.first_site.timezone
    midnight = to_utc(datetime(ctx.today.year, ctx.today.month, ctx.today.day), zone)
    found = outcomes_since(connection, midnight, ctx.actor.id or 0)
    return SoFar(sum(found.values()), found.get("booked", 0), found.get("message", 0))


@router.post("/followup/calls/{patient_id}/begin")
def begin(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Opening somebody takes them, as soon as the page is there."""
    ctx = enter(request, "book")
    try:
        begin_call(ctx.desk, ctx.actor, patient_id)
    except Mendable as error:
        return ctx.page("followup/parts/lock.html", held=error.message)
    return ctx.page("followup/parts/lock.html", held="")


@router.post("/followup/calls/{patient_id}/let-go")
def release(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    let_go(ctx.desk, ctx.actor, patient_id)
    return ctx.go(f"{_back(form)}#p{patient_id}")


@router.post("/followup/calls/{patient_id}/went")
def went(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """How the call went; then the next person is open."""
    ctx = enter(request, "book")
    try:
        sent = form.read(CallForm)
        note_call(ctx.desk, ctx.actor, patient_id, sent)
    except Mendable as error:
        return calls_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return _on(ctx, form, f"{OUTCOME_WORDS[Outcome(sent.outcome)].capitalize()}, noted.")


@router.post("/followup/calls/{patient_id}/confirm")
def confirm_all(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """They will come: every visit of theirs that waits for it is confirmed, and the call is noted."""
    ctx = enter(request, "book")
    try:
        sent = form.read(CallForm)
        for about in sent.about:
            if about.startswith("visit-"):
                confirm(ctx.desk, ctx.actor, reference(about.removeprefix("visit-")))
        note_call(ctx.desk, ctx.actor, patient_id, sent.but(outcome=str(Outcome.REACHED)))
    except Mendable as error:
        return calls_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return _on(ctx, form, "Confirmed and noted.")


@router.post("/followup/calls/{patient_id}/book")
def book(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Book the chosen time without leaving; what it was for hangs on it, and the call is noted."""
    ctx = enter(request, "book")
    try:
        site, _, chosen = form["opening"].partition("|")
        time = read_opening(chosen)
        order = BookOrder(
            site_id=reference(site),
            day=time.day,
            at=time.start,
            provider_id=time.provider_id,
            type_id=time.type_id,
            minutes=None,
            patient_id=patient_id,
            key=form["key"],
            room_id=time.room_id,
            planned=tuple(reference(each) for each in form.all.get("planned", [])),
        )
        visit_id = book_visit(ctx.desk, ctx.actor, order)
        if form["settles"].startswith("return-"):
            hang_on(ctx.desk, ctx.actor, reference(form["settles"].removeprefix("return-")), visit_id)
        said = form.read(CallForm).but(outcome=str(Outcome.BOOKED))
        note_call(ctx.desk, ctx.actor, patient_id, said)
    except Mendable as error:
        return calls_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return _on(ctx, form, "Booked and noted.")


@router.post("/followup/calls/{patient_id}/tries/{try_id}/undo")
def undo(request: Request, patient_id: int, try_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    undo_try(ctx.desk, ctx.actor, try_id)
    return ctx.go(f"{_back(form)}open={patient_id}", "Taken back.")


def _on(ctx: RequestContext, form: PostedForm, said: str) -> Response:
    """To whoever was next on the list when this one was opened, while they are still to be called."""
    following = reference(form["next"])
    return ctx.go(f"{_back(form)}{f'open={following}#p{following}' if following else ''}", said)


def _back(form: PostedForm) -> str:
    return f"/followup/calls?of={form['of'] or 'all'}&"

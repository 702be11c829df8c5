"""The Inbox on screen: the list, what runs out first on top, and beside it the conversation with whoever is
opened.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from datetime import datetime

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import to_utc
from zax.core.errors import Mendable, NotFound
from zax.core.inbox.row import SOURCE_WORDS, InboxRow, Source
from zax.core.messages.length import text_length
from zax.core.reading import day_or_none, parse_clock, reference
from zax.desk.followup.ready_notes import notes_for
from zax.desk.inbox import writing_back
from zax.desk.inbox.answers import take_back
from zax.desk.inbox.conversation import conversation
from zax.desk.inbox.inbox import inbox_rows, is_fresh, let_row_go, message_seen_to, take_row
from zax.desk.inbox.proposals import proposals, written_answer
from zax.desk.inbox.replies import done_words, seen_to
from zax.desk.inbox.writing_back import mail_back, texts_reach, write_back
from zax.desk.notices.rules import habits_of
from zax.store.book.queries import visits_by_id
from zax.store.engine import Connection
from zax.store.followup.calls import people_to_call
from zax.store.inbox import inbox as stored
from zax.store.inbox.replies import one_reply
from zax.store.patients.patients import patient_of
from zax.web.inbox.patient_messages import talk_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/inbox")
def show_inbox(request: Request, open: str = "", of: str = "") -> Response:
    return _page(enter(request, "book"), open, of)


def _page(ctx: RequestContext, opened: str, of: str, status: int = 200, **more: object) -> Response:
    """`opened` is a row's key, `of` the source that is shown alone."""
    user_id = ctx.actor.id or 0
    midnight = to_utc(datetime.combine(ctx.today, datetime.min.time()), ctx.site.timezone)
    with ctx.read() as connection:
        rows = inbox_rows(connection, ctx.clinic, ctx.site_id, user_id, ctx.actor.role, ctx.now)
        counts = Counter(row.source for row in rows)
        shown = [row for row in rows if not of or row.source == of]
        locks = stored.locks_of(connection, [row.key for row in rows])
        done = stored.done_by_themselves(connection, midnight)
        answered, longest = stored.answered_since(connection, midnight)
        one = next((row for row in rows if row.key == opened), None)
        beside = _beside(connection, ctx, one) if one else {}
    after = [row.key for row in shown]
    following = after[after.index(opened) + 1] if opened in after[:-1] else ""
    page = ctx.page(
        "inbox/inbox.html",
        status,
        rows=shown,
        counts=counts,
        total=len(rows),
        of=of,
        sources=SOURCE_WORDS,
        Source=Source,
        held={
            key: lock for key, lock in locks.items() if lock.user_id != user_id and is_fresh(lock, ctx.now)
        },
        done=[(each, done_words(each.did)) for each in done],
        answered=answered,
        longest=longest,
        opened=one,
        gone=bool(opened) and one is None,
        following=following,
        screen="inbox",
        **(beside | more),
    )
    return ctx.looked_at(page, sorted({row.patient_id for row in shown if row.patient_id}), "inbox")


def _beside(connection: Connection, ctx: RequestContext, row: InboxRow) -> dict[str, object]:
    """What stands beside the list: who it is, their visit, the talk, and an answer to start from."""
    patient = patient_of(connection, row.patient_id) if row.patient_id else None
    visit = visits_by_id(connection, [row.visit_id]).get(row.visit_id) if row.visit_id else None
    found: dict[str, object] = {"patient": patient, "visit": visit, "lines": [], "proposed": [], "words": ""}
    if patient is None:
        return found
    to, why_not = texts_reach(connection, patient, ctx.today)
    proposed = []
    if row.key.startswith("text-"):
        reply = one_reply(connection, reference(row.key.removeprefix("text-")))
        proposed = proposals(connection, ctx.clinic, reply, ctx.now) if reply else []
        if reply and row.source is Source.EMAIL:
            to, why_not = reply.phone, ""
    (person,) = people_to_call(connection, [patient.id], ctx.today).values()
    return found | {
        "lines": conversation(connection, patient),
        "to": to,
        "why_not": why_not,
        "proposed": proposed,
        "words": written_answer(ctx.clinic, patient, proposed),
        "ready": notes_for(connection, ctx.clinic, ctx.actor, patient.id, ctx.now, answers=True),
        "person": person,
    }


@router.post("/inbox/lock")
def lock(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Opening a row takes it, as soon as the page is there."""
    ctx = enter(request, "book")
    try:
        take_row(ctx.desk, ctx.actor, form["row"])
    except Mendable as error:
        return ctx.page("inbox/parts/lock.html", held=error.message)
    return ctx.page("inbox/parts/lock.html", held="")


@router.post("/inbox/let-go")
def let_go(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    let_row_go(ctx.desk, ctx.actor, form["row"])
    return ctx.go(_list(form))


def _list(form: PostedForm, following: str = "") -> str:
    """Back to the list as it was shown, with the next row opened where there is one."""
    of = form["of"] if form["of"] in list(Source) else ""
    query = [f"of={of}"] if of else []
    if following:
        query.append(f"open={following}")
    return "/inbox" + (f"?{'&'.join(query)}" if query else "")


@router.post("/inbox/write/{patient_id}")
def write(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """A text by hand, or a mail to an address that wrote one; from the Inbox it goes on to the next row, from
    a patient's page it stays.
    """
    ctx = enter(request, "book")
    email_id = reference(form["email"])
    try:
        if email_id:
            mail_back(ctx.desk, ctx.actor, email_id, form["words"], form["once"])
        else:
            call_id = reference(form["row"].removeprefix("call-")) if form["row"].startswith("call-") else 0
            write_back(ctx.desk, ctx.actor, patient_id, form["words"], form["once"], call_id)
    except Mendable as error:
        if form["back"]:
            return talk_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
        return _page(ctx, form["row"], form["of"], error.status, problems=error.problems, typed=form)
    return ctx.go(form.back if form["back"] else _list(form, form["next"]), "On its way.")


@router.post("/inbox/length")
def show_length(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """How long an answer is as it is typed."""
    ctx = enter(request, "book")
    length = text_length(form["words"].replace("\r\n", "\n"))
    return ctx.page("inbox/parts/length.html", length=length, habits=habits_of(ctx.clinic))


@router.post("/inbox/texts/{reply_id}/move")
def move_as_asked(request: Request, reply_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> str:
        day = day_or_none(form["day"])
        if day is None:
            raise NotFound("That time isn’t there anymore.")
        return writing_back.move_as_asked(
            ctx.desk, ctx.actor, reply_id, day, parse_clock(form["at"]), reference(form["provider_id"])
        )

    return _act(request, form, act)


@router.post("/inbox/texts/{reply_id}/done")
def text_done(request: Request, reply_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> str:
        seen_to(ctx.desk, ctx.actor, reply_id, form["did"])
        return "Done."

    return _act(request, form, act)


@router.post("/inbox/calls/{message_id}/done")
def call_done(request: Request, message_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> str:
        message_seen_to(ctx.desk, ctx.actor, message_id, form["did"])
        return "Done."

    return _act(request, form, act)


@router.post("/inbox/texts/{reply_id}/take-back")
def undo(request: Request, reply_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(request, form, lambda ctx: take_back(ctx.desk, ctx.actor, reply_id))


def _act(request: Request, form: PostedForm, act: Callable[[RequestContext], str]) -> Response:
    ctx = enter(request, "book")
    try:
        said = act(ctx)
    except Mendable as error:
        return _page(ctx, form["row"], form["of"], error.status, problems=error.problems, typed=form)
    return ctx.go(_list(form, form["next"]), said)

"""Recalls on screen: a list whose filters stand in its address and read as one sentence; what is ticked is
texted, mailed or printed at once; one recall opens beside the list.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response

from zax.clock import local
from zax.core.book.calendar import step_months
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.followup.attempts import OUTCOME_WORDS
from zax.core.followup.due import STAND_WORDS, Stand, days_over
from zax.core.followup.recall import USUAL, RecallType, next_try, read_interval
from zax.core.followup.worklist import (
    AGES,
    BOOKED_WORDS,
    BY_WORDS,
    TRIED_WORDS,
    read_filter,
)
from zax.core.messages.channel import CHANNEL_WORDS, Channel
from zax.core.reading import day_or_none, reference
from zax.desk.followup import recalls
from zax.desk.followup.reaching import MOST_AT_ONCE, MOST_LETTERS, ToReach, to_reach
from zax.desk.followup.tries import HOW, note_try, undo_try
from zax.store.followup.recalls import over_of, recall_types, recalls_of
from zax.store.followup.tries import ContactTry, tries_of
from zax.store.followup.worklist import MOST_COUNTED, DueRow, count_due, due_rows, ids_due, rows_by_id
from zax.store.record.record import visits_ahead
from zax.web.followup.many import Run, channel_in, go_on
from zax.web.record.record import record_page
from zax.web.shell.pdf import joined_pdf, paper_html, write_all
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()
PAGE = 40
WIDE = 238  # pixels of the picture of months
MONTHS_BACK, MONTHS_ON = 5, 2
MOST_VISITS = 8


@dataclass(frozen=True, slots=True)
class Months:
    """The picture's first and last day, and where each month begins, in pixels."""

    first: date
    last: date
    marks: Sequence[tuple[int, date]]

    def x(self, day: date) -> int:
        """Pixels from the left, held inside the picture."""
        share = (min(max(day, self.first), self.last) - self.first).days / (self.last - self.first).days
        return round(share * WIDE)


@dataclass(frozen=True, slots=True)
class RecallLine:
    """One row: where it stands, days past its window, how it was tried, and what comes next."""

    row: DueRow
    stand: Stand
    over: int
    tries: Sequence[ContactTry]
    next: str


@router.get("/followup/recalls")
def show_recalls(request: Request) -> Response:
    return recalls_page(enter(request, "see"))


def recalls_page(ctx: RequestContext, opened_id: int = 0, status: int = 200, **more: object) -> Response:
    sent = more.get("typed")
    asked = sent if isinstance(sent, PostedForm) else ctx.request.query_params
    wanted = read_filter(asked, ctx.today)
    skip = reference(asked.get("after", ""))
    opened_id = opened_id or reference(asked.get("open", ""))
    with ctx.read() as connection:
        rows = due_rows(connection, wanted, ctx.today, PAGE, skip)
        total = count_due(connection, wanted, ctx.today)
        types = recall_types(connection)
        tries = tries_of(connection, sorted({each.patient_id for each in rows}))
        one = next(iter(rows_by_id(connection, [opened_id], ctx.today)), None) if opened_id else None
        if opened_id and one is None:
            raise NotFound("There is no such recall.")
        own = tries_of(connection, [one.patient_id]) if one else []
        others = recalls_of(connection, one.patient_id, ctx.today) if one else []
        over = over_of(connection, one.patient_id, ctx.today) if one else []
        ahead = visits_ahead(connection, one.patient_id, ctx.today, MOST_VISITS) if one else []
    page = ctx.page(
        "followup/recalls.html",
        status,
        lines=[_line(each, tries, types, ctx.today) for each in rows],
        total=total,
        counted=MOST_COUNTED,
        total_words=f"{min(total, MOST_COUNTED):,}{'+' if total > MOST_COUNTED else ''}",
        skip=skip,
        kept={name: asked.get(name, "") for name in _ADDRESS if asked.get(name)},
        most=PAGE,
        wanted=wanted,
        shown_as=urlencode(wanted.address()),
        months=months_around(ctx.today),
        types=types,
        words={"by": BY_WORDS, "booked": BOOKED_WORDS, "tried": TRIED_WORDS, "age": AGES},
        opened=_line(one, own, types, ctx.today) if one else None,
        steps=[each for each in own if one and f"recall-{one.id}" in each.about],
        others=[each for each in others if one and each.id != one.id],
        over=over,
        ahead=ahead,
        stand_words=STAND_WORDS,
        channel_words=CHANNEL_WORDS,
        usual=USUAL,
        outcomes=OUTCOME_WORDS,
        hows=HOW,
        Stand=Stand,
        screen="followup",
        **more,
    )
    people = sorted({each.patient_id for each in (*rows, *([one] if one else []))})
    return ctx.looked_at(page, people, "recalls")


def months_around(today: date) -> Months:
    first = step_months(today.replace(day=1), -MONTHS_BACK)
    last = step_months(today.replace(day=1), MONTHS_ON + 1)
    wide = (last - first).days
    starts = [step_months(first, number) for number in range(MONTHS_BACK + MONTHS_ON + 1)]
    return Months(first, last, [((day - first).days * WIDE // wide, day) for day in starts])


def _line(row: DueRow, tries: Sequence[ContactTry], types: dict[int, RecallType], today: date) -> RecallLine:
    mine = [each for each in tries if f"recall-{row.id}" in each.about and each.undone_at is None]
    stand = row.stand(today)
    return RecallLine(
        row, stand, days_over(row.closes, today), mine, _next(row, stand, len(mine), types, today)
    )


def _next(row: DueRow, stand: Stand, tried: int, types: dict[int, RecallType], today: date) -> str:
    """What comes next for them, in words."""
    if row.status != "active":
        return f"{row.status}: end it with the reason"
    if stand in {Stand.BOOKED, Stand.DONE, Stand.ENDED}:
        return STAND_WORDS[stand]
    if stand is Stand.PAUSED:
        return "left until then"
    coming = next_try(types[row.recall_type_id], row.due_day, tried, today)
    if coming is None:
        return "decide: all was tried"
    day, channel = coming
    words = CHANNEL_WORDS[channel]
    again = f", {_NTH[tried]} try" if 0 < tried < len(_NTH) else ""
    return f"{words}{again}" if day <= today else f"{words} in {(day - today).days} days"


# What of the address comes back with every form of the page.
_ADDRESS = ("by", "type", "with", "site", "booked", "tried", "plan", "flag", "age", "after")
_NTH = ("first", "second", "third", "fourth", "fifth", "sixth")


@router.post("/followup/recalls/about")
def about_many(request: Request, form: PostedForm = Depends(posted_form)) -> HTMLResponse:
    """What would go to whom for the ticked rows, said beneath the list as they are ticked."""
    ctx = enter(request, "book")
    ids, channel = _ids(ctx, form), channel_in(form)
    with ctx.read() as connection:
        found = to_reach(connection, ctx.clinic, ids, channel, ctx.today)
    return ctx.page("followup/parts/about_many.html", found=_sorted_out(found), channel=channel)


@dataclass(frozen=True, slots=True)
class SortedOut:
    """Whom it goes to and whom it leaves out, by reason."""

    going: Sequence[ToReach]
    left_out: Sequence[tuple[str, int]]


def _sorted_out(found: Sequence[ToReach]) -> SortedOut:
    left: dict[str, int] = {}
    for each in found:
        if not each.way.to:
            left[each.way.why_not] = left.get(each.way.why_not, 0) + 1
    return SortedOut([each for each in found if each.way.to], sorted(left.items()))


@router.post("/followup/recalls/reach")
def reach(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Text or mail the ticked ones, some at a time; letters come as one paper and are noted once they are
    printed.
    """
    ctx = enter(request, "book")
    ids = _ids(ctx, form)
    run = Run(channel=channel_in(form), total=len(ids), rest=ids, left_out={}, back=_back(form))
    try:
        if run.channel is Channel.LETTER and len(ids) > MOST_LETTERS:
            raise Refused(f"Print at most {MOST_LETTERS} letters at a time.", "row")
        return go_on(ctx, run)
    except Mendable as error:
        return recalls_page(ctx, 0, error.status, problems=error.problems, typed=form)


@router.post("/followup/recalls/letters.pdf")
def letters(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The letters of the ticked rows in one print; nothing is noted by looking at them."""
    ctx = enter(request, "book")
    with ctx.read() as connection:
        found = to_reach(connection, ctx.clinic, _ids(ctx, form), Channel.LETTER, ctx.today)
    going = [each for each in found if each.way.to]
    try:
        if not going:
            raise Refused("None of them can get a letter. Tick others.", "row")
        if len(going) > MOST_LETTERS:
            raise Refused(f"Print at most {MOST_LETTERS} letters at a time.", "row")
    except Refused as error:
        return recalls_page(ctx, 0, error.status, problems=error.problems, typed=form)
    site = ctx.clinic.first_site
    pages = [
        paper_html(
            "followup/papers/recall.html",
            each=each,
            site=site,
            about=ctx.clinic.about,
            clinic=ctx.clinic,
            printed=local(ctx.now, site.timezone),
        )
        for each in going
    ]
    answer = pdf_answer(joined_pdf(write_all(pages)), "recall-letters")
    return ctx.looked_at(answer, sorted({each.row.patient_id for each in going}), "recalls")


@router.post("/followup/recalls/set")
def set_many(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The same recall for everybody who is ticked."""
    ctx = enter(request, "book")
    ids = _ids(ctx, form)
    with ctx.read() as connection:
        people = [row.patient_id for row in rows_by_id(connection, ids, ctx.today)]
    try:
        if not people:
            raise Refused("Tick whom it is for.", "row")
        kind = reference(form["recall_type_id"])
        done = recalls.set_for_many(ctx.desk, ctx.actor, people, kind, form["by_when"])
    except Mendable as error:
        return recalls_page(ctx, 0, error.status, problems=error.problems, typed=form)
    left = "; ".join(f"{count} skipped: {why}" for why, count in done.left_out.items())
    return ctx.go(_back(form), f"Set for {done.set}. {left}".strip())


def _ids(ctx: RequestContext, form: PostedForm) -> list[int]:
    """The ticked rows, or everybody of the list as its address says it."""
    if form["whole"] != "yes":
        return sorted(form.ticked("row"))
    with ctx.read() as connection:
        return ids_due(connection, read_filter(form, ctx.today), ctx.today, MOST_AT_ONCE)


def _back(form: PostedForm) -> str:
    said = urlencode({name: form[name] for name in _ADDRESS if form[name]})
    return f"/followup/recalls?{said}" if said else "/followup/recalls"


@router.post("/patients/{patient_id}/recalls")
def set_one(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """By hand, from the record."""
    ctx = enter(request, "book")
    kind = reference(form["recall_type_id"])
    try:
        recalls.set_recall(ctx.desk, ctx.actor, patient_id, kind, form["by_when"], form["note"])
    except Mendable as error:
        return record_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/patients/{patient_id}", "They’re recalled for it from now on.")


@router.post("/followup/recalls/{recall_id}/tried")
def tried(request: Request, recall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        how, outcome = form["how"] or "call", form["outcome"]
        about = [f"recall-{recall_id}"]
        note_try(ctx.desk, ctx.actor, reference(form["patient_id"]), about, how, outcome, form["note"])

    return _done(request, recall_id, act, form, "Noted.")


@router.post("/followup/recalls/{recall_id}/tries/{try_id}/undo")
def undo(request: Request, recall_id: int, try_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(request, recall_id, lambda ctx: undo_try(ctx.desk, ctx.actor, try_id), form, "Taken back.")


@router.post("/followup/recalls/{recall_id}/pause")
def pause(request: Request, recall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    until = day_or_none(form["until"])
    return _done(
        request,
        recall_id,
        lambda ctx: recalls.pause_recall(ctx.desk, ctx.actor, recall_id, until, form["why"]),
        form,
        "Left until then." if until else "It counts again.",
    )


@router.post("/followup/recalls/{recall_id}/change")
def change(request: Request, recall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        every = read_interval(form["every"]) if form["every"].strip() else None
        recalls.change_recall(
            ctx.desk, ctx.actor, recall_id, form["by"], every, form["note"], reference(form["version"])
        )

    return _done(request, recall_id, act, form, "Changed.")


@router.post("/followup/recalls/{recall_id}/end")
def end(request: Request, recall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(
        request,
        recall_id,
        lambda ctx: recalls.end_recall(ctx.desk, ctx.actor, recall_id, form["why"]),
        form,
        "Ended, with your reason.",
    )


@router.post("/followup/recalls/{recall_id}/again")
def again(request: Request, recall_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(
        request,
        recall_id,
        lambda ctx: recalls.reopen_recall(ctx.desk, ctx.actor, recall_id),
        form,
        "Open again.",
    )


def _done(
    request: Request, recall_id: int, act: Callable[[RequestContext], None], form: PostedForm, said: str
) -> Response:
    """Do it and stay with the same row of the same list; what is wrong is said there, with what was typed."""
    ctx = enter(request, "see")
    try:
        act(ctx)
    except Mendable as error:
        return recalls_page(ctx, recall_id, error.status, problems=error.problems, typed=form)
    back = _back(form)
    return ctx.go(f"{back}{'&' if '?' in back else '?'}open={recall_id}", said)

"""Closing the day on the screen: counted against the journal, what is unfinished, the slip, and the day,
month and journal as paper and CSV.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response, StreamingResponse

from zax.core.book.calendar import step_months
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.money.drawer import PIECES, CountedTender, count_pieces, to_bank, worth
from zax.core.money.tender import Tender
from zax.core.reading import day_or_none
from zax.core.wording import weekday_name
from zax.desk.money.day_close import (
    CloseForm,
    Closing,
    Unfinished,
    close_day,
    close_of,
    closing_of,
    counted_tenders,
    note_slip,
    reopen_day,
)
from zax.desk.money.day_sheet import day_sheet, journal_lines
from zax.desk.record.exporting import note_export
from zax.store.money.closing import closes_of
from zax.store.money.sums import journal_rows as journal_of
from zax.web.money.documents import day_sheet_pdf, deposit_slip_pdf
from zax.web.shell.address import day_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, pdf_answer, posted_form

router = APIRouter()
NO_DAY = "There is no such day."
UNFINISHED_WORDS = {
    "visit": ("visit not checked out", "visits not checked out"),
    "expected": ("visit still expected", "visits still expected"),
    "claim": ("charge without a claim", "charges without a claim"),
    "asking": ("payment not confirmed", "payments not confirmed"),
    "credit": ("unused credit", "unused credits"),
    "plan": ("payment plan on hold", "payment plans on hold"),
}


@router.get("/close")
def show(request: Request, day: str = "") -> Response:
    ctx = enter(request, "close")
    return close_page(ctx, day_in(day, ctx.today, NO_DAY) if day else None)


def close_page(ctx: RequestContext, day: date | None, status: int = 200, **more: object) -> Response:
    day = day or ctx.today
    typed = form_in(more) or PostedForm()
    with ctx.read() as connection:
        found = closing_of(connection, ctx.clinic, ctx.site_id, day, ctx.today)
        sheet = day_sheet(
            connection,
            ctx.clinic,
            ctx.site_id,
            found.last.day + timedelta(days=1) if found.last else day,
            day,
        )
    return ctx.page(
        "money/day_close.html",
        status,
        found=found,
        sheet=sheet,
        day=day,
        pieces=PIECES,
        count=_count(ctx, found, typed),
        words=UNFINISHED_WORDS,
        groups=_groups(found),
        tender_words=ctx.clinic.money.tender_words,
        screen="money",
        before=day - timedelta(days=1),
        after=day + timedelta(days=1),
        **more,
    )


@dataclass(frozen=True, slots=True)
class _Count:
    """The count as the page shows it, before or after the close; cents. `kept` is the float, `cash` what of
    the drawer goes to the bank.
    """

    drawer: int
    kept: int
    tenders: Sequence[CountedTender]
    ticked: Collection[int]
    checks: int

    @property
    def cash(self) -> int:
        return to_bank(self.drawer, self.kept)


def _count(ctx: RequestContext, found: Closing, typed: PostedForm) -> _Count:
    if found.closed is not None:
        kept, counted = found.closed.float_cents, found.closed.counted
        tenders = [
            CountedTender(name, cents, counted.get(name, cents)) for name, cents in found.expected.items()
        ]
        checks = sum(int(each["cents"]) for each in found.closed.checks)
        return _Count(counted[Tender.CASH] + kept, kept, tenders, (), checks)
    drawer, kept = _worth(typed), ctx.clinic.money.float_cents
    ticked = sorted(typed.ticked("check")) if typed else [each.id for each in found.checks]
    try:
        tenders = counted_tenders(found, drawer - kept, ticked, _counted(typed))
    except ZaxError:  # its field says what is wrong
        tenders = counted_tenders(found, drawer - kept, ticked, {})
    checks = sum(each.cents for each in found.checks if each.id in ticked)
    return _Count(drawer, kept, tenders, ticked, checks)


def _counted(form: PostedForm) -> dict[str, str]:
    """What was typed as counted, by tender."""
    return {name.removeprefix("counted-"): text for name, text in form.items() if name.startswith("counted-")}


def _groups(found: Closing) -> dict[str, list[Unfinished]]:
    made: dict[str, list[Unfinished]] = {}
    for each in found.unfinished:
        made.setdefault(each.kind, []).append(each)
    return made


def _worth(typed: PostedForm) -> int:
    try:
        return worth(count_pieces({value: typed[f"piece-{value}"] for value in PIECES}))
    except ZaxError:
        return 0


@router.post("/close")
def close(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Close it: the day is final from then on."""
    ctx = enter(request, "close")
    day = day_in(form["day"], ctx.today, NO_DAY)
    try:
        pieces = {value: form[f"piece-{value}"] for value in PIECES}
        count = form.read(CloseForm, pieces=pieces, counted=_counted(form))
        close_id = close_day(ctx.desk, ctx.actor, ctx.site_id, day, count)
    except Mendable as error:
        return close_page(ctx, day, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/close?day={day}", f"{weekday_name(day)} is closed. Slip {close_id} is ready to print.")


@router.post("/close/{close_id}/reopen")
def open_again(request: Request, close_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Open it again, on the same day and before the slip is printed."""
    ctx = enter(request, "reopen")
    with ctx.read() as connection:
        day = close_of(connection, close_id).day
    try:
        reopen_day(ctx.desk, ctx.actor, close_id, form["why"])
    except Mendable as error:
        return close_page(ctx, day, error.status, problems=error.problems, typed=form)
    return ctx.go(
        f"/close?day={day}", f"{weekday_name(day)} is open again. Count it again at the end of the day."
    )


@router.get("/close/{close_id}/slip.pdf")
def slip(request: Request, close_id: int) -> Response:
    """The deposit slip of a closed day."""
    ctx = enter(request, "close")
    note_slip(ctx.desk, ctx.actor, close_id)
    with ctx.read() as connection:
        row = close_of(connection, close_id)
    return pdf_answer(deposit_slip_pdf(ctx.desk, row), f"deposit-{close_id}")


@router.get("/close/sheet.pdf")
def sheet(request: Request, day: str) -> Response:
    """The day sheet: production, collections and adjustments."""
    ctx = enter(request, "close")
    return pdf_answer(day_sheet_pdf(ctx.desk, ctx.site_id, day_in(day, ctx.today, NO_DAY)), f"day-{day}")


@router.get("/journal")
def journal(request: Request, day: str = "") -> Response:
    """Every entry of a day."""
    ctx = enter(request, "close")
    chosen = day_in(day, ctx.today, NO_DAY)
    with ctx.read() as connection:
        rows = journal_of(connection, ctx.site_id, chosen, chosen)
    return ctx.page(
        "money/journal.html",
        rows=rows,
        day=chosen,
        before=chosen - timedelta(days=1),
        after=chosen + timedelta(days=1),
        screen="money",
    )


@router.get("/journal.csv")
def journal_table(request: Request, first: str, last: str) -> Response:
    ctx = enter(request, "export")
    a, b = day_or_none(first), day_or_none(last)
    if a is None or b is None or b < a or (b - a).days > 400:
        raise NotFound("Choose a first and a last day, at most a year apart.")
    note_export(ctx.desk, ctx.actor, f"journal {a} to {b}", "csv")
    headers = {"Content-Disposition": f'attachment; filename="journal-{a}-{b}.csv"'}
    return StreamingResponse(_journal(ctx, a, b), media_type="text/csv", headers=headers)


def _journal(ctx: RequestContext, first: date, last: date) -> Iterator[str]:
    """Day by day, so that a year takes no more memory than a day."""
    days = (first + timedelta(days=n) for n in range((last - first).days + 1))
    with ctx.read() as connection:
        yield from journal_lines(row for day in days for row in journal_of(connection, ctx.site_id, day, day))


@router.get("/month")
def month(request: Request, month: str = "") -> Response:
    """Production, collections and adjustments of a month: every day, every provider; whether each day is
    closed.
    """
    ctx = enter(request, "close")
    first = day_in(f"{month}-01" if month else "", ctx.today.replace(day=1), NO_DAY)
    last = step_months(first, 1) - timedelta(days=1)
    with ctx.read() as connection:
        found = day_sheet(connection, ctx.clinic, ctx.site_id, first, last)
        closed = closes_of(connection, ctx.site_id, first, last)
    return ctx.page(
        "money/month.html",
        sheet=found,
        closed=closed,
        first=first,
        last=last,
        before=step_months(first, -1),
        after=step_months(first, 1),
        screen="money",
    )

"""Closing the day on the screen: counted against the journal, what is unfinished, the slip, and the day, month and journal as paper and CSV."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.calendar import step_months
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.money.drawer import PIECES, CountedTender, count_pieces, to_bank, worth
from zax.core.money.tender import Tender
from zax.desk.closing import CloseForm, Closing, close_day, close_of, closes_of, closing_of, counted_tenders
from zax.desk.daysheet import day_sheet, journal_csv, journal_of
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.papers import day_sheet_pdf, deposit_slip_pdf

router = APIRouter()
UNFINISHED_WORDS = {
    "visit": ("visit not checked out", "visits not checked out"), "claim": ("charge without a claim", "charges without a claim"),
    "asking": ("payment being clarified", "payments being clarified"), "credit": ("credit not given", "credits not given"), "plan": ("payment plan that waits", "payment plans that wait"),
}  # fmt: skip


@router.get("/close")
def show(request: Request, day: str = "") -> Response:
    return close_page(enter(request, "close"), _day(day))


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if text else None
    except ValueError:
        raise NotFound("There is no such day.") from None


def close_page(here: Here, day: date | None, status: int = 200, **more: Any) -> Response:
    day = day or here.today
    typed = more.get("typed") or Typed()
    with here.read() as connection:
        found = closing_of(connection, here.clinic, here.site_id, day, here.today)
        sheet = day_sheet(
            connection, here.clinic, here.site_id, found.last.day + timedelta(days=1) if found.last else day, day
        )
    return here.page(
        "close.html", status, found=found, sheet=sheet, day=day, pieces=PIECES, count=_count(here, found, typed), words=UNFINISHED_WORDS, groups=_groups(found),
        tender_words=here.clinic.money.tender_words, screen="money", before=day - timedelta(days=1), after=day + timedelta(days=1), **more,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Count:
    """The count as the page shows it, before or after the close; cents. `kept` is the float, `cash` what of the drawer goes to the bank."""

    drawer: int
    kept: int
    tenders: Sequence[CountedTender]
    ticked: Collection[int]
    cheques: int

    @property
    def cash(self) -> int:
        return to_bank(self.drawer, self.kept)


def _count(here: Here, found: Closing, typed: Typed) -> _Count:
    if found.closed is not None:
        kept, counted = found.closed.float_cents, found.closed.counted
        tenders = [CountedTender(name, cents, counted.get(name, cents)) for name, cents in found.expected.items()]
        cheques = sum(each["cents"] for each in found.closed.cheques)
        return _Count(counted[Tender.CASH] + kept, kept, tenders, (), cheques)
    drawer, kept = _worth(typed), here.clinic.money.float_cents
    ticked = typed.numbers("cheque") if typed else [each.id for each in found.cheques]
    try:
        tenders = counted_tenders(found, drawer - kept, ticked, _counted(typed))
    except ZaxError:  # its field says what is wrong
        tenders = counted_tenders(found, drawer - kept, ticked, {})
    cheques = sum(each.cents for each in found.cheques if each.id in ticked)
    return _Count(drawer, kept, tenders, ticked, cheques)


def _counted(form: Typed) -> dict[str, str]:
    """What was typed as counted, by tender."""
    return {name.removeprefix("counted-"): text for name, text in form.items() if name.startswith("counted-")}


def _groups(found: Closing) -> dict[str, list[Any]]:
    made: dict[str, list[Any]] = {}
    for each in found.unfinished:
        made.setdefault(each.kind, []).append(each)
    return made


def _worth(typed: Typed) -> int:
    try:
        return worth(count_pieces({value: typed[f"piece-{value}"] for value in PIECES}))
    except ZaxError:
        return 0


@router.post("/close")
def close(request: Request, form: Typed = Depends(typed_form)) -> Response:
    """Close it: the day is final from then on."""
    here = enter(request, "close")
    day = _day(form["day"]) or here.today
    try:
        count = CloseForm(
            {value: form[f"piece-{value}"] for value in PIECES},
            _counted(form),
            form.numbers("cheque"),
            form["why"],
            form["mark"],
        )
        close_id = close_day(here.desk, here.actor, here.site_id, day, count)
    except Mendable as error:
        return close_page(here, day, error.status, problems=error.problems, typed=form)
    return here.go(f"/close?day={day}", f"{day:%A} is closed. Slip {close_id} is ready to print.")


@router.get("/close/{close_id}/slip.pdf")
def slip(request: Request, close_id: int) -> Response:
    """The deposit slip of a closed day."""
    here = enter(request, "close")
    with here.read() as connection:
        row = close_of(connection, close_id)
    return pdf_answer(deposit_slip_pdf(here.desk, row), f"deposit-{close_id}")


@router.get("/close/sheet.pdf")
def sheet(request: Request, day: str) -> Response:
    """The day sheet: production, collections and adjustments."""
    here = enter(request, "close")
    return pdf_answer(day_sheet_pdf(here.desk, here.site_id, _day(day) or here.today), f"day-{day}")


@router.get("/journal")
def journal(request: Request, day: str = "") -> Response:
    """Every entry of a day."""
    here = enter(request, "close")
    chosen = _day(day) or here.today
    with here.read() as connection:
        rows = journal_of(connection, here.site_id, chosen, chosen)
    return here.page(
        "journal.html",
        rows=rows,
        day=chosen,
        before=chosen - timedelta(days=1),
        after=chosen + timedelta(days=1),
        screen="money",
    )


@router.get("/journal.csv")
def journal_table(request: Request, first: str, last: str) -> Response:
    here = enter(request, "close")
    a, b = _day(first), _day(last)
    if a is None or b is None or b < a or (b - a).days > 400:
        raise NotFound("Choose a first and a last day, at most a year apart.")
    with here.read() as connection:
        text = journal_csv(journal_of(connection, here.site_id, a, b))
    return Response(
        text, media_type="text/csv", headers={"Content-Disposition": f'attachment; filename="journal-{a}-{b}.csv"'}
    )


@router.get("/month")
def month(request: Request, month: str = "") -> Response:
    """Production, collections and adjustments of a month: every day, every provider; whether each day is closed."""
    here = enter(request, "close")
    first = _day(f"{month}-01") if month else here.today.replace(day=1)
    assert first is not None
    last = step_months(first, 1) - timedelta(days=1)
    with here.read() as connection:
        found = day_sheet(connection, here.clinic, here.site_id, first, last)
        closed = closes_of(connection, here.site_id, first, last)
    return here.page(
        "month.html",
        sheet=found,
        closed=closed,
        first=first,
        last=last,
        before=step_months(first, -1),
        after=step_months(first, 1),
        screen="money",
    )

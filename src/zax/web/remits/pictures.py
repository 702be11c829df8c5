"""The biller's pictures: expected against received by payer and month, days from sent to paid, what each
reason costs, and where payers stay below their contracts. Every mark opens its rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from math import ceil

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.reading import reference
from zax.core.remits.reasons import REASONS
from zax.core.wording import month_words
from zax.desk.remits.lessons import lessons_now, take_over
from zax.store.remits import pictures as stored
from zax.store.remits.pictures import AnswerDays, MonthSum, ReasonSum, ShortSum
from zax.web.shell.request_context import PostedForm, enter, posted_form

router = APIRouter()
MONTHS, MOST_REASONS = 6, 10
# Pixels: where the months begin, how wide one is, and a row's height.
LEFT, STEP, ROW = 200, 134, 24
WIDE, DAYS_WIDE = 300, 420


@dataclass(frozen=True, slots=True)
class MonthMark:
    x: float
    received: float
    short: float
    post: float
    cents: int
    expected: int
    number: int
    month: str


@dataclass(frozen=True, slots=True)
class PayerMonths:
    payer_id: int
    name: str
    y: int
    marks: Sequence[MonthMark]
    short: int


@dataclass(frozen=True, slots=True)
class DaysMark:
    """In how many days half of a payer's claims were paid, and nine of ten."""

    payer_id: int
    name: str
    y: int
    median: int
    most: int
    number: int
    half: float
    nine: float


@dataclass(frozen=True, slots=True)
class Bar:
    name: str
    words: str
    cents: int
    number: int
    width: float
    href: str


@router.get("/claims/pictures")
def show_pictures(request: Request) -> Response:
    ctx = enter(request, "claims")
    months = last_months(ctx.today)
    with ctx.read() as connection:
        sums = stored.month_sums(connection, months[0])
        reasons = stored.reason_sums(connection, months[0], MOST_REASONS)
        short = stored.underpaid_sums(connection, months[0])
        days = stored.answer_days(connection, months[0])
        taught = lessons_now(connection, ctx.clinic)
    return ctx.page(
        "remits/pictures.html",
        columns=[(month_words(month), LEFT + at * STEP) for at, month in enumerate(months)],
        payers=payer_months(sums, months),
        days=days_marks(days),
        reasons=reason_bars(reasons),
        underpaid=short_bars(short),
        taught=taught,
        screen="claims",
    )


@router.post("/claims/pictures/lesson")
def take_lesson(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The plan on file says from now on what it has paid."""
    ctx = enter(request, "plans")
    code = form["code"]
    percent = take_over(ctx.desk, ctx.actor, reference(form["plan_id"]), code, reference(form["version"]))
    return ctx.go("/claims/pictures", f"The plan says {percent} percent of {code} now. New estimates use it.")


def last_months(today: date) -> list[date]:
    """The first days of the last months, this one last."""
    whole = today.year * 12 + today.month - 1
    return [date(each // 12, each % 12 + 1, 1) for each in range(whole - MONTHS + 1, whole + 1)]


def payer_months(sums: Sequence[MonthSum], months: Sequence[date]) -> list[PayerMonths]:
    """A row a payer, those that are short of the most first."""
    largest = max((max(each.expected_cents, each.received_cents) for each in sums), default=0)
    by_payer: dict[int, list[MonthSum]] = {}
    for each in sums:
        by_payer.setdefault(each.payer_id, []).append(each)
    missing = {
        payer: sum(max(0, each.expected_cents - each.received_cents) for each in own)
        for payer, own in by_payer.items()
    }
    ordered = sorted(by_payer, key=lambda payer: (-missing[payer], by_payer[payer][0].payer_name))
    return [
        PayerMonths(
            payer,
            by_payer[payer][0].payer_name,
            20 + at * ROW,
            [_mark(each, months, largest) for each in by_payer[payer] if each.month in months],
            missing[payer],
        )
        for at, payer in enumerate(ordered)
    ]


def _mark(each: MonthSum, months: Sequence[date], largest: int) -> MonthMark:
    scale = (STEP - 24) / largest if largest else 0
    received = round(max(0, each.received_cents) * scale, 1)
    expected = round(max(0, each.expected_cents) * scale, 1)
    return MonthMark(
        x=LEFT + months.index(each.month) * STEP,
        received=received,
        short=max(0.0, round(expected - received, 1)),
        post=expected,
        cents=each.received_cents,
        expected=each.expected_cents,
        number=each.number,
        month=month_words(each.month),
    )


def days_marks(days: Sequence[AnswerDays]) -> list[DaysMark]:
    by_payer: dict[int, list[AnswerDays]] = {}
    for each in days:
        by_payer.setdefault(each.payer_id, []).append(each)
    found = [
        (
            payer,
            own[0].payer_name,
            own[(len(own) - 1) // 2].days,
            own[ceil(len(own) * 0.9) - 1].days,
            len(own),
        )
        for payer, own in by_payer.items()
    ]
    longest = max((most for _, _, _, most, _ in found), default=0) or 1
    scale = (DAYS_WIDE - 100) / longest
    ordered = sorted(found, key=lambda each: -each[3])
    return [
        DaysMark(
            payer, name, 6 + at * ROW, half, nine, number, round(half * scale, 1), round(nine * scale, 1)
        )
        for at, (payer, name, half, nine, number) in enumerate(ordered)
    ]


def reason_bars(reasons: Sequence[ReasonSum]) -> list[Bar]:
    largest = max((each.cents for each in reasons), default=0) or 1
    return [
        Bar(
            each.reason,
            REASONS[number].words if (number := each.reason.split()[-1]) in REASONS else "",
            each.cents,
            each.number,
            round(each.cents * WIDE / largest, 1),
            f"/claims/denied?reason={each.reason.replace(' ', '+')}",
        )
        for each in reasons
    ]


def short_bars(short: Sequence[ShortSum]) -> list[Bar]:
    largest = max((each.cents for each in short), default=0) or 1
    return [
        Bar(
            each.payer_name,
            "",
            each.cents,
            each.number,
            round(each.cents * WIDE / largest, 1),
            f"/claims/denied?work=underpaid&payer={each.payer_id}",
        )
        for each in short
    ]

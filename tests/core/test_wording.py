"""Days, times, lengths and money as people read them; and that nothing else writes them."""

import re
from datetime import date, datetime, time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core import wording
from zax.core.money.cents import LARGEST_PAYMENT, parse_amount
from zax.core.reading import parse_clock
from zax.core.wording import balance_words

SRC = Path(__file__).parents[2] / "src" / "zax"
TUESDAY = datetime(2026, 11, 24, 8, 5, 9)


@pytest.mark.parametrize(
    ("words", "seen"),
    [
        (wording.weekday_name(TUESDAY), "Tuesday"),
        (wording.month_name(TUESDAY), "November"),
        (wording.month_initial(TUESDAY), "N"),
        (wording.month_words(TUESDAY), "Nov 2026"),
        (wording.month_words(TUESDAY, full=True), "November 2026"),
        (wording.day_words(TUESDAY), "24 Nov"),
        (wording.day_words(date(2026, 1, 3), year=True), "3 Jan 2026"),
        (wording.full_day(TUESDAY, year=True), "24 November 2026"),
        (wording.weekday_day(TUESDAY), "Tue 24 Nov"),
        (wording.weekday_time(TUESDAY), "Tue 8:05"),
        (wording.column_day(TUESDAY), "Tue 24"),
        (wording.long_day(TUESDAY), "Tuesday 24 November"),
        (wording.clock_words(630), "10:30"),
        (wording.time_words(TUESDAY), "8:05"),
        (wording.time_words(TUESDAY, seconds=True), "8:05:09"),
        (wording.moment_words(TUESDAY, year=True), "24 Nov 2026 8:05"),
        (wording.span_words(59), "59 min"),
        (wording.span_words(125), "2 h 05"),
        (wording.money_words(-123450), "−1,234.50"),
        (wording.dollars(5), "$0.05"),
    ],
)
def test_how_it_reads(words: str, seen: str) -> None:
    assert words == seen


@given(st.integers(1, LARGEST_PAYMENT))
def test_what_is_shown_of_money_can_be_typed_again(cents: int) -> None:
    assert parse_amount(wording.dollars(cents)) == cents


@given(st.times())
def test_what_is_shown_of_a_time_can_be_typed_again(at: time) -> None:
    minute = at.hour * 60 + at.minute
    assert parse_clock(wording.clock_words(minute)) == minute
    assert wording.time_words(datetime.combine(date(2026, 11, 24), at)) == wording.clock_words(minute)


def test_days_times_and_money_are_written_in_this_module_alone() -> None:
    """Month and weekday names, clocks and cents put together elsewhere would be a second style."""
    own = re.compile(r":%-?[aAbBdHIM]|strftime\(.%-?[aAbBdHIM]|:02d\}|:,\}\.\{")
    files = ("logs.py", "core/x12/", "standin/", "core/wording.py", "core/money/cents.py", "demo/")
    found = [
        f"{path.relative_to(SRC)}: {line.strip()}"
        for path in [*SRC.rglob("*.py"), *SRC.rglob("*.html")]
        if not str(path.relative_to(SRC)).startswith(files)
        for line in path.read_text().splitlines()
        if own.search(line)
    ]
    assert found == []


@pytest.mark.parametrize(
    ("cents", "words"), [(2_000, "owes $20.00"), (0, "owes nothing"), (-2_000, "credit of $20.00")]
)
def test_money_that_is_owed_back_is_a_credit(cents: int, words: str) -> None:
    assert balance_words(cents) == words

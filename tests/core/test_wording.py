"""Days, times, lengths and money as people read them; and that nothing else writes them."""

import re
from collections.abc import Iterator
from datetime import date, datetime, time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core import wording
from zax.core.errors import Refused
from zax.core.money.cents import LARGEST_PAYMENT, parse_amount
from zax.core.patients.person import read_date
from zax.core.reading import parse_clock, parse_end, plain_clock, tidy_clock
from zax.core.wording import END_OF_DAY, Style, balance_words, list_words

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
        (wording.day_words(TUESDAY), "Nov 24"),
        (wording.day_words(date(2026, 1, 3), year=True), "Jan 3, 2026"),
        (wording.full_day(TUESDAY, year=True), "November 24, 2026"),
        (wording.weekday_day(TUESDAY), "Tue, Nov 24"),
        (wording.weekday_time(TUESDAY), "Tue 8:05 am"),
        (wording.column_day(TUESDAY), "Tue 24"),
        (wording.long_day(TUESDAY), "Tuesday, November 24"),
        (wording.clock_words(630), "10:30 am"),
        (wording.time_words(TUESDAY), "8:05 am"),
        (wording.time_words(TUESDAY, seconds=True), "8:05:09 am"),
        (wording.moment_words(TUESDAY, year=True), "Nov 24, 2026, 8:05 am"),
        (wording.hour_words(13 * 60), "1 pm"),
        (wording.hour_words(12 * 60), "noon"),
        (wording.clock_face(13 * 60 + 5), "1:05"),
        (wording.hour_words(13 * 60 + 30), "1:30 pm"),
        (wording.clock_span(630, 660), "10:30 to 11:00 am"),
        (wording.clock_span(690, 780), "11:30 am to 1:00 pm"),
        (wording.clock_words(0), "12:00 am"),
        (wording.clock_words(720), "12:00 pm"),
        (wording.clock_words(1440), "midnight"),
        (wording.typed_day(TUESDAY), "11/24/2026"),
        (wording.phone_words("3605550148"), "(360) 555-0148"),
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


STYLES = [Style(hours_24=hours, day_first=first) for hours in (False, True) for first in (False, True)]


@pytest.fixture
def usual() -> Iterator[None]:
    """The style is the process's: put back what the next test expects."""
    yield
    wording.use(Style())


@pytest.mark.usefixtures("usual")
@pytest.mark.parametrize("style", STYLES)
def test_every_minute_that_is_shown_can_be_typed_again(style: Style) -> None:
    wording.use(style)
    for minute in range(END_OF_DAY):
        moment = datetime.combine(date(2026, 11, 24), time(minute // 60, minute % 60))
        assert parse_clock(wording.clock_words(minute)) == minute
        assert parse_clock(plain_clock(minute)) == minute
        assert wording.time_words(moment) == wording.clock_words(minute)
    for minute in range(1, END_OF_DAY + 1):
        assert parse_end(wording.clock_words(minute)) == minute
        assert parse_end(plain_clock(minute)) == minute


@pytest.mark.usefixtures("usual")
@pytest.mark.parametrize("style", STYLES)
@given(day=st.dates(date(1930, 1, 1), date(2026, 11, 24)))
def test_every_day_that_is_shown_can_be_typed_again(style: Style, day: date) -> None:
    """Kills: a month first where the clinic writes the day first, or the other way round."""
    wording.use(style)
    today = date(2026, 11, 24)
    shown = [wording.typed_day(day), wording.day_words(day, year=True), wording.full_day(day, year=True)]
    for words in shown:
        assert read_date(words.lower().replace(",", ""), today) == day


@pytest.mark.usefixtures("usual")
def test_a_clinic_may_write_the_day_first_and_count_24_hours() -> None:
    wording.use(Style(hours_24=True, day_first=True))
    seen = (
        wording.weekday_day(TUESDAY, year=True),
        wording.long_day(TUESDAY),
        wording.moment_words(TUESDAY.replace(hour=14)),
        wording.clock_span(690, 780),
        wording.hour_words(780),
    )
    assert seen == (
        "Tue 24 Nov 2026",
        "Tuesday 24 November",
        "24 Nov, 14:05",
        "11:30 to 13:00",
        "13:00",
    )


@pytest.mark.parametrize(
    ("typed", "minute"),
    [
        ("2:30", 14 * 60 + 30),
        ("7", 7 * 60),
        ("6", 18 * 60),
        ("12", 12 * 60),
        ("02:30", 2 * 60 + 30),
        ("1430", 14 * 60 + 30),
        ("2 am", 2 * 60),
        ("2.30p", 14 * 60 + 30),
        ("12 a.m.", 0),
        ("noon", 12 * 60),
    ],
)
def test_a_bare_hour_is_one_of_the_clinics(typed: str, minute: int) -> None:
    assert parse_clock(typed) == minute


@pytest.mark.parametrize("typed", ["", "soon", "25:00", "10:60", "13 pm", "٣", "1:2:3", "-1"])
def test_what_is_no_time_is_refused_and_stays_as_typed(typed: str) -> None:
    with pytest.raises(Refused):
        parse_clock(typed)
    assert tidy_clock(typed) == typed


def test_days_times_and_money_are_written_in_this_module_alone() -> None:
    """Month and weekday names, clocks and cents put together elsewhere would be a second style."""
    own = re.compile(r":%-?[aAbBdHIM]|strftime\(.%-?[aAbBdHIM]|:02d\}|:,\}\.\{")
    files = (
        "logs.py",
        "core/x12/",
        "standin/",
        "core/wording.py",
        "core/reading.py",
        "core/money/cents.py",
        "demo/",
    )
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


@pytest.mark.parametrize(
    ("names", "most", "words"),
    [
        ([], 3, ""),
        (["Fee"], 0, "Fee"),
        (["Name", "Fee"], 0, "Name and Fee"),
        (["Name", "Code", "Fee"], 3, "Name, Code and Fee"),
        (["Name", "Code", "Fee", "Units"], 0, "Name, Code, Fee and Units"),
        (["Name", "Code", "Fee", "Units", "Tooth"], 3, "Name, Code, Fee and 2 more"),
    ],
)
def test_a_list_reads_as_people_say_it(names: list[str], most: int, words: str) -> None:
    assert list_words(names, most) == words

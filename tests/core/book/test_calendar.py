"""Hours on dates: patterns, breaks, exceptions, closures over midnight, days on which clocks jump, and 29
February.
"""

from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.calendar import (
    Closure,
    DayException,
    Pattern,
    WeeklyRule,
    hours_on,
    in_pattern,
    on_wall,
    skipped,
    step_months,
)
from zax.core.book.day_phrases import parse_jump
from zax.core.book.hours import Span
from zax.core.book.series import row_of_starts, series_days
from zax.core.errors import Refused

ZONE = "America/Los_Angeles"
TUESDAY = date(2026, 11, 24)
days = st.dates(date(2024, 1, 1), date(2032, 12, 31))


def on(
    day: date,
    *rules: WeeklyRule,
    exceptions: tuple[DayException, ...] = (),
    closures: tuple[Closure, ...] = (),
    zone: str = ZONE,
) -> list[tuple[int, int]]:
    return [(w.start, w.end) for w in hours_on(rules, exceptions, closures, 1, day, zone).windows]


def works(start: int, end: int, weekday: int = 1, **more: object) -> WeeklyRule:
    return WeeklyRule(site_id=1, weekday=weekday, span=Span(start, end), **more)  # type: ignore[arg-type]


def test_every_second_week_goes_on_over_the_end_of_a_year_of_53_weeks() -> None:
    """ISO weeks 53 and 1 are both odd: somebody who works every other Monday would come twice running."""
    rule = WeeklyRule(
        site_id=1,
        weekday=0,
        span=Span(480, 720),
        pattern=Pattern.SECOND_WEEK,
        counted_from=date(2026, 12, 16),  # a Wednesday: its week counts
    )
    mondays = [date(2026, 12, 14) + timedelta(weeks=n) for n in range(6)]
    assert mondays[2].isocalendar().week == 53 and mondays[3].isocalendar().week == 1
    assert [rule.holds(day) for day in mondays] == [True, False] * 3
    assert [in_pattern(Pattern.ODD, day) for day in mondays[2:4]] == [True, True]


@given(days, days)
def test_of_two_weeks_running_every_second_holds_in_one(start: date, day: date) -> None:
    both = [in_pattern(Pattern.SECOND_WEEK, each, start) for each in (day, day + timedelta(days=7))]
    assert sorted(both) == [False, True]
    assert in_pattern(Pattern.SECOND_WEEK, start, start)


@given(days)
def test_every_day_is_one_of_odd_and_even_and_one_number_of_its_month(day: date) -> None:
    assert in_pattern(Pattern.ODD, day) != in_pattern(Pattern.EVEN, day)
    numbers = [in_pattern(p, day) for p in (Pattern.FIRST, Pattern.SECOND, Pattern.THIRD, Pattern.FOURTH)]
    assert sum(numbers) == (1 if day.day <= 28 else 0)
    assert in_pattern(Pattern.LAST, day) == ((day + timedelta(days=7)).month != day.month)


def test_first_monday_and_changed_hours_from_a_date_on() -> None:
    first = works(480, 600, 0, pattern=Pattern.FIRST)
    assert on(date(2026, 12, 7), first) == [(480, 600)] and on(date(2026, 12, 14), first) == []
    before, after = works(480, 600, to_day=TUESDAY), works(540, 660, from_day=TUESDAY + timedelta(days=1))
    assert on(TUESDAY, before, after) == [(480, 600)]
    assert on(TUESDAY + timedelta(days=7), before, after) == [(540, 660)]


def test_breaks_absence_and_extra_time() -> None:
    day = [works(480, 1020), works(720, 780, rest="Lunch")]
    assert on(TUESDAY, *day) == [(480, 720), (780, 1020)]
    away = DayException(from_day=TUESDAY, to_day=TUESDAY, span=Span(600, 660), words="Course")
    assert on(TUESDAY, *day, exceptions=(away,)) == [(480, 600), (660, 720), (780, 1020)]
    through_lunch = DayException(
        from_day=TUESDAY, to_day=TUESDAY, span=Span(700, 760), words="Stays", extra=True
    )
    assert on(TUESDAY, *day, exceptions=(through_lunch,)) == [(480, 760), (780, 1020)]
    shut = hours_on(day, (away,), (), 1, TUESDAY, ZONE).shut
    assert {words for _, words in shut} == {"Lunch", "Course"}


def test_a_closure_crosses_midnight() -> None:
    storm = Closure(datetime(2026, 11, 23, 16), datetime(2026, 11, 24, 10), "Storm")
    assert on(date(2026, 11, 23), works(480, 1020, 0), closures=(storm,)) == [(480, 960)]
    assert on(TUESDAY, works(480, 1020), closures=(storm,)) == [(600, 1020)]
    assert on(date(2026, 11, 25), works(480, 1020, 2), closures=(storm,)) == [(480, 1020)]
    elsewhere = Closure(storm.start, storm.end, "Storm", site_id=2)
    assert on(TUESDAY, works(480, 1020), closures=(elsewhere,)) == [(480, 1020)]


def test_nobody_works_in_an_hour_that_clocks_jump_over() -> None:
    spring, autumn = date(2027, 3, 14), date(2027, 11, 7)
    assert skipped(ZONE, spring) == (Span(120, 180),)
    assert skipped(ZONE, autumn) == () and skipped(ZONE, TUESDAY) == ()
    night = works(0, 480, 6)
    assert on(spring, night) == [(0, 120), (180, 480)]
    assert on(autumn, night) == [(0, 480)]
    assert on(date(2027, 3, 28), night, zone="Europe/Berlin") == [(0, 120), (180, 480)]


def test_29_february_has_hours_like_any_day() -> None:
    assert on(date(2028, 2, 29), works(480, 600)) == [(480, 600)]
    assert series_days(date(2028, 1, 31), 1, "months", 3) == [
        date(2028, 1, 31),
        date(2028, 2, 29),
        date(2028, 3, 31),
    ]
    assert series_days(date(2028, 2, 29), 12, "months", 2)[1] == date(2029, 2, 28)


@given(days, st.integers(-30, 30))
def test_stepping_months_lands_in_that_month_on_that_day_or_its_last(day: date, months: int) -> None:
    found = step_months(day, months)
    assert (found.year * 12 + found.month) - (day.year * 12 + day.month) == months
    assert found.day == day.day or (found.day < day.day and (found + timedelta(days=1)).day == 1)


def test_the_same_minutes_on_another_sites_clock() -> None:
    denver = "America/Denver"
    assert on_wall(TUESDAY, Span(600, 660), ZONE, TUESDAY, denver) == Span(660, 720)
    late = Span(1410, 1440)
    assert on_wall(TUESDAY, late, ZONE, TUESDAY, denver) is None
    assert on_wall(TUESDAY, late, ZONE, TUESDAY + timedelta(days=1), denver) == Span(30, 60)
    # Phoenix keeps its clocks: an hour off Denver in summer, none in winter.
    assert on_wall(date(2027, 7, 6), Span(600, 660), denver, date(2027, 7, 6), "America/Phoenix") == Span(
        540, 600
    )
    assert on_wall(TUESDAY, Span(600, 660), denver, TUESDAY, "America/Phoenix") == Span(600, 660)


@given(days, st.integers(0, 1380), st.sampled_from(["America/Denver", "America/New_York", "Asia/Kolkata"]))
def test_no_minute_is_lost_between_two_clocks(day: date, start: int, zone: str) -> None:
    span = Span(start, start + 60)
    pieces = [on_wall(day, span, ZONE, day + timedelta(days=n), zone) for n in (-1, 0, 1)]
    assert sum(piece.minutes for piece in pieces if piece) == 60


@pytest.mark.parametrize(
    ("typed", "leads_to"),
    [
        ("3w", date(2026, 12, 22)),
        ("+3 weeks", date(2026, 12, 22)),
        ("-1w", date(2026, 11, 24)),
        ("6m", date(2027, 6, 1)),
        ("1y", date(2027, 12, 1)),
        ("10d", date(2026, 12, 11)),
        ("fri", date(2026, 11, 27)),
        ("Tuesday", date(2026, 12, 1)),
        ("12/24", date(2026, 12, 24)),
        ("1/5", date(2027, 1, 5)),
        ("1/5/27", date(2027, 1, 5)),
        ("2027-02-28", date(2027, 2, 28)),
        ("today", TUESDAY),
        ("", TUESDAY),
        ("2/29", None),
        ("13/40", None),
        ("soon", None),
        ("9999y", None),
    ],
)
def test_where_to_jump(typed: str, leads_to: date | None) -> None:
    if leads_to is None:
        with pytest.raises(Refused):
            parse_jump(typed, date(2026, 12, 1), TUESDAY)
    else:
        assert parse_jump(typed, date(2026, 12, 1), TUESDAY) == leads_to


def test_a_household_one_after_the_other_or_together() -> None:
    assert row_of_starts(600, [60, 30, 40], False) == [600, 660, 690]
    assert row_of_starts(600, [60, 30], True) == [600, 600]
    for every, times in ((0, 3), (1, 0), (1, 27)):
        with pytest.raises(Refused):
            series_days(TUESDAY, every, "weeks", times)

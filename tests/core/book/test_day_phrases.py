"""Days as people say them: worked cases, run as they stand in tests/cases, and what must hold for any."""

from __future__ import annotations

import json
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.day_phrases import coming_day, read_day
from zax.core.errors import Refused
from zax.core.wording import WEEKDAYS, clock_words, day_words, full_day, typed_day, weekday_day

FILE: dict[str, Any] = json.loads((Path(__file__).parents[2] / "cases" / "date_phrases.json").read_text())
CASES: list[dict[str, Any]] = FILE["phrases"]
WEDNESDAY = date(2026, 11, 18)


@pytest.mark.parametrize("case", CASES, ids=[f"{c['id']}: {c['phrase']}" for c in CASES])
def test_cases_of_the_trade(case: dict[str, Any]) -> None:
    today = date.fromisoformat(case.get("today", FILE["default_today"]))
    good = {case["expected"], *case.get("also_ok", [])} - {None}
    read = coming_day if case["use"] == "again" else read_day
    try:
        found = read(case["phrase"], today)
    except Refused:
        assert case.get("refuse") or case.get("refusal_ok")
        return
    assert str(found.day) in good
    assert found.half == case.get("part", "")
    assert ("" if found.minute is None else f"{found.minute // 60:02d}:{found.minute % 60:02d}") == case.get(
        "time", ""
    )


@pytest.mark.parametrize(
    ("phrase", "day"),
    [
        ("this friday", date(2026, 11, 20)),
        ("wed", date(2026, 11, 25)),
        ("last wednesday", date(2026, 11, 11)),
        ("last mon", date(2026, 11, 16)),
        ("wensday", date(2026, 11, 25)),
        ("10 days ago", date(2026, 11, 8)),
        ("three weeks from now", date(2026, 12, 9)),
        ("a year", date(2027, 11, 18)),
        ("sept 3rd", date(2027, 9, 3)),
        ("Dec 15, 2028", date(2028, 12, 15)),
        ("first of the month", date(2026, 12, 1)),
        ("end of the year", date(2026, 12, 31)),
        ("the 31st", date(2026, 12, 31)),
        ("fri at noon", date(2026, 11, 20)),
        ("tomorrow morning", date(2026, 11, 19)),
        ("yesterday", date(2026, 11, 17)),
    ],
)
def test_more_ways_to_say_a_day(phrase: str, day: date) -> None:
    assert read_day(phrase, WEDNESDAY).day == day


days = st.dates(date(2000, 1, 1), date(2100, 12, 31))


@given(days, days)
def test_what_is_shown_of_a_day_can_be_typed_again(day: date, today: date) -> None:
    for words in (day_words(day, year=True), full_day(day, year=True), typed_day(day), str(day)):
        assert read_day(words, today).day == day


@given(days, st.integers(1, 400), st.sampled_from("dwmy"))
def test_a_step_ahead_is_ahead_and_the_same_step_back_is_behind(today: date, number: int, unit: str) -> None:
    there = date(2200, 12, 31)
    if unit != "y" or today.year + number <= 2200:
        there = read_day(f"{number}{unit}", today).day
    assert there > today
    if unit != "y" or today.year - number >= 1900:
        assert read_day(f"-{number}{unit}", today).day < today


@given(days, st.sampled_from(WEEKDAYS))
def test_a_weekday_is_the_coming_one_and_next_is_in_the_week_after(today: date, name: str) -> None:
    coming, following = read_day(name, today).day, read_day(f"next {name}", today).day
    assert timedelta(0) < coming - today <= timedelta(days=7)
    assert (
        f"{following:%A}" == name
        and following.isocalendar()[:2] == (today + timedelta(days=7)).isocalendar()[:2]
    )
    assert read_day(f"{name} after next", today).day == following + timedelta(days=7)
    assert today - timedelta(days=7) <= read_day(f"last {name}", today).day < today


@given(days, st.integers(0, 24 * 60 - 1))
def test_a_time_beside_the_day_is_that_time(today: date, minute: int) -> None:
    found = read_day(f"tomorrow {clock_words(minute)}", today)
    assert (found.minute, found.half) == (minute, "am" if minute < 12 * 60 else "pm")


@given(st.text(max_size=30), days)
def test_any_text_is_a_day_or_refused(text: str, today: date) -> None:
    """Kills: a date that overflows, a digit of another script, a year that no calendar has."""
    try:
        found = read_day(text, today)
    except Refused as refused:
        assert "to" in refused.problems
        return
    assert weekday_day(found.day)

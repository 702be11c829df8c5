"""The time somebody asks for in a text."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.inbox.asked_time import AskedTime, asked_time

TODAY, VISIT = date(2026, 11, 24), date(2026, 12, 1)


@pytest.mark.parametrize(
    ("words", "day", "minute"),
    [
        ("can we do 4 instead?", VISIT, 16 * 60),
        ("could we make it 9:30", VISIT, 9 * 60 + 30),
        ("is 10am free", VISIT, 10 * 60),
        ("thursday afternoon would be better", date(2026, 12, 3), 14 * 60),
        ("can i come monday at 8", date(2026, 11, 30), 8 * 60),
        ("tomorrow at 3 pm?", date(2026, 11, 25), 15 * 60),
        ("hoy no puedo", TODAY, None),
        ("mejor el jueves por la tarde", date(2026, 12, 3), 14 * 60),
        ("running 10 min late", None, None),
        ("another time please", None, None),
        ("call 360 555 0101", None, None),
    ],
)
def test_what_is_asked_for(words: str, day: date | None, minute: int | None) -> None:
    assert asked_time(words, TODAY, VISIT) == AskedTime(day, minute)


@given(st.text(max_size=60))
def test_whatever_is_written_is_a_time_of_day_or_none(words: str) -> None:
    asked = asked_time(words, TODAY, VISIT)
    assert asked.minute is None or 0 <= asked.minute < 24 * 60
    assert asked.is_said is (asked != AskedTime())

"""The code that proves a phone, and how often anybody may try."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.online.asking import (
    CODE_HOLDS,
    CODE_TRIES,
    LIMITS,
    code_holds,
    sealed,
    too_many,
    typed_code,
)

NOW = datetime(2026, 11, 24, 18, 42)


@pytest.mark.parametrize("typed", ["482917", "482-917", " 482 917 ", "4 8 2 9 1 7"])
def test_a_code_is_typed_any_way(typed: str) -> None:
    assert typed_code(typed) == "482917"


@given(st.text(max_size=20))
def test_anything_else_is_none(typed: str) -> None:
    found = typed_code(typed)
    assert found == "" or (len(found) == 6 and found.isascii() and found.isdecimal())


def test_it_holds_ten_minutes_and_five_tries() -> None:
    assert code_holds(NOW, CODE_TRIES - 1, NOW + CODE_HOLDS - timedelta(seconds=1))
    assert not code_holds(NOW, CODE_TRIES, NOW)
    assert not code_holds(NOW, 0, NOW + CODE_HOLDS)


@pytest.mark.parametrize("limit", LIMITS)
def test_each_limit_stops_by_itself(limit: object) -> None:
    counted = dict.fromkeys(LIMITS, 0)
    assert not too_many(counted)
    assert not too_many(counted | {limit: limit.most - 1})  # type: ignore[attr-defined,dict-item]
    assert too_many(counted | {limit: limit.most})  # type: ignore[attr-defined,dict-item]


@given(st.text(max_size=30), st.text(max_size=30))
def test_what_is_kept_says_nothing_and_tells_parts_apart(one: str, two: str) -> None:
    made = sealed(b"secret", one, two)
    assert len(made) == 64 and made == sealed(b"secret", one, two) != sealed(b"other", one, two)
    assert "\n" in one + two or made != sealed(b"secret", one + two)

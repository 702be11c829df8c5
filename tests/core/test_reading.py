"""What is typed is read or refused beside its field; nothing else ever comes out, whatever is typed."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Refused
from zax.core.reading import (
    day_or_none,
    needed_day,
    needed_number,
    optional_day,
    parse_clock,
    reference,
    whole_number,
)


def test_an_empty_number_is_the_least_where_it_may_be_empty_and_refused_where_not() -> None:
    assert whole_number("  ", "days", 3, 9) == 3 and whole_number(" 7 ", "days", 3, 9) == 7
    with pytest.raises(Refused, match="from 3 to 9") as wrong:
        needed_number(" ", "days", 3, 9)
    assert wrong.value.problems == {"days": "Enter a whole number from 3 to 9."}
    with pytest.raises(Refused, match="Three to nine"):
        whole_number("10", "days", 3, 9, "Three to nine.")


@pytest.mark.parametrize("typed", ["", "x", "-1", "1.5", "²", "٣", "1" * 10, "0x1", "1e3"])
def test_what_is_no_number_of_a_row_is_none(typed: str) -> None:
    assert reference(typed) == 0


@given(st.integers(1, 999_999_999))
def test_the_number_of_a_row_is_read_back(number: int) -> None:
    assert reference(f" {number} ") == number


@given(st.dates(date(1900, 1, 1), date(2200, 12, 31)))
def test_a_day_is_read_back(day: date) -> None:
    assert day_or_none(f" {day.isoformat()} ") == day == needed_day(day.isoformat(), "day", "")


@given(st.text(max_size=30))
def test_any_text_is_read_or_refused(typed: str) -> None:
    for read in (
        lambda: needed_day(typed, "f", "Choose a day."),
        lambda: optional_day(typed, "f", "Choose a day."),
        lambda: whole_number(typed, "f", 0, 99),
        lambda: parse_clock(typed, "f"),
    ):
        try:
            read()
        except Refused as refused:
            assert set(refused.problems) == {"f"}
    assert 0 <= reference(typed) <= 999_999_999


def test_an_empty_day_is_none_only_where_it_may_be() -> None:
    assert optional_day(" ", "until", "Choose a day.") is None
    with pytest.raises(Refused, match="Choose a day"):
        needed_day("", "until", "Choose a day.")
    with pytest.raises(Refused, match="Choose a day"):
        optional_day("2026-02-30", "until", "Choose a day.")


@pytest.mark.parametrize("typed", ["0001-01-01", "1899-12-31", "2201-01-01", "9999-12-31"])
def test_a_day_lies_in_a_clinics_life(typed: str) -> None:
    """A year far off would overflow as soon as a day is added or taken away."""
    assert day_or_none(typed) is None

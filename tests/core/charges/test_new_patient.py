"""Codes for new and for known patients: which fits whom, and how long somebody is known."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.charges.new_patient import counterpart, is_new_for, misfit_words

DAY = date(2026, 11, 24)


@pytest.mark.parametrize(
    ("last_seen", "new"),
    [
        (None, True),
        (date(2023, 11, 23), True),
        (date(2023, 11, 24), True),
        (date(2023, 11, 25), False),
        (date(2026, 11, 23), False),
    ],
)
def test_three_years_without_a_visit_make_a_patient_new_again(last_seen: date | None, new: bool) -> None:
    assert is_new_for(last_seen, DAY) == new


def test_three_years_after_a_leap_day() -> None:
    assert not is_new_for(date(2024, 2, 29), date(2027, 2, 27))
    assert is_new_for(date(2024, 2, 29), date(2027, 2, 28))


@pytest.mark.parametrize(
    ("code", "for_new", "for_known"),
    [
        ("99213", "99203", ""),
        ("99211", "99202", ""),
        ("99203", "", "99213"),
        ("99202", "", "99212"),
        ("99396", "99386", ""),
        ("99386", "", "99396"),
        ("D0120", "D0150", ""),
        ("D0150", "", ""),
        ("D0140", "", ""),
        ("D1110", "", ""),
        ("93000", "", ""),
    ],
)
def test_the_counterpart_of_a_code(code: str, for_new: str, for_known: str) -> None:
    assert (counterpart(code, new=True), counterpart(code, new=False)) == (for_new, for_known)


@given(st.integers(0, 99999).map(lambda n: f"{n:05}"), st.booleans())
def test_the_counterpart_fits_whom_it_is_for(code: str, new: bool) -> None:
    other = counterpart(code, new)
    assert not other or counterpart(other, new) == ""


@given(st.integers(0, 4000), st.integers(0, 400))
def test_who_was_seen_later_is_never_newer(ago: int, less: int) -> None:
    earlier, later = DAY - timedelta(days=ago), DAY - timedelta(days=max(1, ago - less))
    assert is_new_for(earlier, DAY) or not is_new_for(later, DAY)


def test_the_words_name_the_patient_and_the_code_that_fits() -> None:
    assert misfit_words("99213", True, "Helen").endswith("Helen is new. Use 99203")
    assert "was seen here in the last three years. Use 99213" in misfit_words("99203", False, "Helen")
    assert misfit_words("D0150", False, "Helen") == ""

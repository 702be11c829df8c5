"""A provider's day in a mail: initials and nothing of what is done, unless names are allowed."""

from __future__ import annotations

from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from zax.core.notices.digest import DigestVisit, digest, initials

DAY = date(2026, 12, 1)


def visit(start: int, first: str = "Tamsin", last: str = "Reyes", site: str = "Quay Street") -> DigestVisit:
    return DigestVisit(
        start=start, minutes=40, first=first, last=last, kind="Root canal", site=site, stands="confirmed"
    )


def test_it_says_when_how_long_and_where_it_stands() -> None:
    words = digest("Dr. Wren", DAY, [visit(480), visit(600, "Leo", "Brandt")], False, "Juniper Quay")
    assert words.subject == "Tue, Dec 1: 2 visits"
    assert words.body == (
        "Dr. Wren, Tue, Dec 1: 2 visits, 8:00 am to 10:40 am.\n\n"
        "8:00 am  40 min  T. R.  confirmed\n10:00 am  40 min  L. B.  confirmed\n\nJuniper Quay"
    )


def test_names_and_kinds_only_where_allowed_and_the_site_where_there_are_two() -> None:
    words = digest("Dr. Wren", DAY, [visit(480), visit(600, site="Harbor")], True, "Juniper Quay")
    assert "8:00 am  40 min  Tamsin Reyes, Root canal  confirmed  Quay Street" in words.body


@given(st.text(min_size=2, max_size=20), st.text(min_size=2, max_size=20))
def test_initials_never_hold_a_whole_name(first: str, last: str) -> None:
    said = initials(first, last)
    assert said and len(said) <= 9 and "\n" not in said


@given(st.lists(st.integers(0, 23 * 60), min_size=1, max_size=20))
def test_without_leave_no_name_and_no_kind_stands_anywhere(starts: list[int]) -> None:
    words = digest("Dr. Wren", DAY, [visit(start) for start in sorted(starts)], False, "Juniper Quay")
    assert not any(each in words.body + words.subject for each in ("Tamsin", "Reyes", "Root"))
    assert words.body.count("40 min") == len(starts)

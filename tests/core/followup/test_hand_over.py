"""What is handed over, as typed: to whom, what, by when, for how much."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems
from zax.core.followup.hand_over import LONGEST, HandOver, handed
from zax.core.people.roles import BILLER

DAY = date(2026, 11, 24)


def test_it_goes_to_a_person_or_to_everybody_of_a_role() -> None:
    assert handed("user-3", " take  a deposit ", "fri", 40_000, DAY) == HandOver(
        to_user=3, to_role="", words="take a deposit", due=date(2026, 11, 27), cents=40_000
    )
    assert handed("role-biller", "why denied?", "", 0, DAY).to_role == BILLER.key


@pytest.mark.parametrize(
    ("to", "words", "by", "cents", "field"),
    [
        ("", "x", "", 0, "to"),
        ("user-x", "x", "", 0, "to"),
        ("role-pilot", "x", "", 0, "to"),
        ("user-3", " ", "", 0, "words"),
        ("user-3", "x" * (LONGEST + 1), "", 0, "words"),
        ("user-3", "x", "soonish", 0, "by"),
        ("user-3", "x", "yesterday", 0, "by"),
        ("user-3", "x", "", -1, "amount"),
    ],
)
def test_what_is_wrong_is_said_beside_its_field(to: str, words: str, by: str, cents: int, field: str) -> None:
    with pytest.raises(Problems) as wrong:
        handed(to, words, by, cents, DAY)
    assert list(wrong.value.problems) == [field]


@given(st.text(max_size=30), st.text(max_size=30), st.text(max_size=30), st.integers())
def test_whatever_is_typed_is_taken_or_refused(to: str, words: str, by: str, cents: int) -> None:
    try:
        made = handed(to, words, by, cents, DAY)
    except Problems:
        return
    assert (made.to_user is None) != (not made.to_role)
    assert made.words and (made.due is None or made.due >= DAY)

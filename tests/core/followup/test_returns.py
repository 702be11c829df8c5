"""A return as it is asked for: by when as people say it, filled up from the reason, never in the past."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.book.calendar import step_months
from zax.core.errors import Problems, Refused
from zax.core.followup.returns import MONTHS_AHEAD, ReturnReason, checked_reason, due_day, ordered

TODAY = date(2026, 11, 24)
REASON = ReturnReason(
    id=3,
    words="Blood pressure check",
    by_when="4 weeks",
    for_whom="nurse",
    urgent=True,
    type_id=9,
    active=True,
)


def test_a_reason_alone_is_enough() -> None:
    order = ordered(REASON, "", "", TODAY)
    assert (order.words, order.note, order.due) == ("Blood pressure check", "", date(2026, 12, 22))
    assert (order.for_whom, order.urgent, order.type_id, order.reason_id) == ("nurse", True, 9, 3)


def test_words_alone_are_enough_and_words_beside_a_reason_are_its_note() -> None:
    order = ordered(None, "  look at the  sutures ", "10 days", TODAY)
    assert (order.words, order.note, order.due) == ("look at the sutures", "", date(2026, 12, 4))
    assert ordered(REASON, "new tablets", "dec 15", TODAY, for_whom="lab", urgent=False) == replace(
        ordered(REASON, "", "dec 15", TODAY), note="new tablets", for_whom="lab", urgent=False
    )
    long = ordered(None, "x" * 200, "3w", TODAY)
    assert len(long.words) == 80 and long.note == "x" * 200


@pytest.mark.parametrize(
    "by", ["", "today", "yesterday", "3 years", "soon", "9999999 days", "12/24/1999", "\x00"]
)
def test_a_day_that_cannot_be_is_said_beside_it(by: str) -> None:
    with pytest.raises(Refused) as wrong:
        due_day(by, TODAY)
    assert set(wrong.value.problems) == {"by"}


def test_everything_wrong_is_said_at_once() -> None:
    with pytest.raises(Problems) as wrong:
        ordered(None, " ", "never", TODAY, for_whom="the cat")
    assert set(wrong.value.problems) == {"words", "by", "for_whom"}


@given(st.text(max_size=12))
def test_whatever_is_typed_is_a_day_ahead_or_refused(by: str) -> None:
    try:
        day = due_day(by, TODAY)
    except Refused:
        return
    assert TODAY < day <= step_months(TODAY, MONTHS_AHEAD)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"words": " "}, "words"),
        ({"words": "x" * 81}, "words"),
        ({"by_when": "soon"}, "by"),
        ({"for_whom": ""}, "for_whom"),
    ],
)
def test_a_reason_that_cannot_be_kept_says_why(changes: dict[str, str], field: str) -> None:
    with pytest.raises(Problems) as wrong:
        checked_reason(replace(REASON, **changes), TODAY)  # type: ignore[arg-type]
    assert set(wrong.value.problems) == {field}
    assert checked_reason(replace(REASON, words="  a   b ", by_when=""), TODAY).words == "a b"

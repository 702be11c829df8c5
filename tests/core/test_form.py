"""Forms: what is typed becomes days, cents and numbers, or a message beside its field; never a 500."""

from datetime import date
from typing import Annotated

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import Field

from zax.core.errors import Problems, Refused
from zax.core.form import (
    Cents,
    CentsOrNone,
    Choice,
    Clock,
    Form,
    Minutes,
    OfVersion,
    Reference,
    ReferenceOrNone,
    References,
    Tick,
    a_day,
    a_day_or_none,
    a_number,
    a_number_or,
    one_of,
    some_text,
)


class Everything(Form):
    """One field of each kind."""

    words: Annotated[str, some_text("Write something.")]
    amount: Cents
    rest: CentsOrNone = None
    first: Annotated[date, a_day("Choose a day.")]
    last: Annotated[date | None, a_day_or_none("Choose a day.")] = None
    at: Clock
    minutes: Minutes = None
    count: Annotated[int, a_number(2, 60)]
    pieces: Annotated[int, a_number_or(1, 1, 99)] = 1
    every: Annotated[str, one_of(("week", "month"), "Choose how often.")]
    room_id: Reference = 0
    type_id: Choice = 0
    patient_id: ReferenceOrNone = None
    line: References = ()
    sooner: Tick = False


GOOD = {
    "words": "Paid today",
    "amount": "$1,234.5",
    "first": "2026-11-24",
    "at": "2 pm",
    "count": "6",
    "every": "month",
    "room_id": "3",
    "line": ["4", " 5 ", ""],
    "sooner": "yes",
}
FIELDS = sorted(Everything.model_fields)


def test_what_is_typed_has_its_shape() -> None:
    made = Everything(**GOOD)
    assert (made.amount, made.first, made.at, made.count) == (123_450, date(2026, 11, 24), 14 * 60, 6)
    assert (made.room_id, made.line, made.sooner) == (3, (4, 5), True)
    assert (made.rest, made.last, made.minutes, made.pieces, made.patient_id) == (None, None, None, 1, None)
    assert made.but(room_id=7).room_id == 7 and made.room_id == 3


def test_every_wrong_field_is_told_at_once_in_words_for_people() -> None:
    wrong = {
        "words": " ",
        "amount": "x",
        "first": "soon",
        "last": "2026-02-30",
        "at": "25:00",
        "minutes": "long",
        "count": "61",
        "pieces": "0",
        "every": "year",
        "room_id": "A",
        "patient_id": "x",
        "line": ["4", "five"],
    }
    with pytest.raises(Problems) as told:
        Everything(**wrong)
    assert set(told.value.problems) == set(wrong)
    assert told.value.problems["every"] == "Choose how often."
    assert told.value.problems["count"] == "Enter a whole number from 2 to 60."
    assert all("validation" not in words and "Input" not in words for words in told.value.problems.values())


@pytest.mark.parametrize("typed", ["", "0", "no"])
def test_a_box_that_is_not_ticked_is_no(typed: str) -> None:
    assert not Everything(**(GOOD | {"sooner": typed})).sooner


def test_what_our_own_code_puts_in_is_checked_by_its_type() -> None:
    made = Everything(**(GOOD | {"amount": 5, "first": date(2026, 1, 2), "at": 600, "line": (1, 2)}))
    assert (made.amount, made.at, made.line) == (5, 600, (1, 2))
    with pytest.raises(Problems):
        Everything(**(GOOD | {"amount": None}))


def test_a_form_says_which_version_it_was_filled_in_from() -> None:
    class Renamed(OfVersion):
        wait_id: Reference = Field(default=0, validation_alias="wait")

    assert Renamed(version="3", wait="4").but(version=None) == Renamed(wait_id=4)
    with pytest.raises(Refused, match="We don’t recognize this number"):
        Renamed(version="three")


ANYTHING = st.one_of(st.text(max_size=20), st.lists(st.text(max_size=8)))


@given(st.dictionaries(st.sampled_from(FIELDS), ANYTHING))
def test_anything_typed_is_a_form_or_a_message_beside_its_field(typed: dict[str, object]) -> None:
    """Whatever a browser sends in whatever field, there is a Form or Problems; each problem has a field and
    words.
    """
    try:
        made = Everything(**(GOOD | typed))
    except Problems as wrong:
        assert set(wrong.problems) <= set(FIELDS)
        assert all(wrong.problems.values())
        return
    assert made.amount > 0 and 0 <= made.at < 24 * 60 and 2 <= made.count <= 60
    assert all(number > 0 for number in made.line)

"""Ready-made notes: what may be kept, and what becomes of places that aren't known."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems
from zax.core.followup.ready_notes import BLANK, PLACES, ReadyNote, checked_note, filled

NOTE = ReadyNote(id=0, letters="lm", words="Left a message at {phone}, {me}")


def test_a_place_that_is_not_known_becomes_a_blank() -> None:
    assert filled(NOTE, {"me": "JP"}) == "Left a message at ___, JP"
    assert filled(NOTE, {"me": "JP", "phone": "(360) 555-0101"}).startswith("Left a message at (360)")


def test_a_name_with_a_brace_is_no_place() -> None:
    note = ReadyNote(id=0, letters="hi", words="Hi {first}")
    assert filled(note, {"first": "{me}", "me": "JP"}) == "Hi {me}"


@pytest.mark.parametrize(
    ("letters", "words", "field"),
    [
        ("l", "x", "letters"),
        ("left a", "x", "letters"),
        ("é!", "x", "letters"),
        ("na", "x", "letters"),
        ("lm", " ", "words"),
        ("lm", "x" * 301, "words"),
        ("lm", "Hi {frist}", "words"),
    ],
)
def test_what_may_not_be_kept_is_told_beside_its_field(letters: str, words: str, field: str) -> None:
    others = [ReadyNote(id=4, letters="na", words="No answer")]
    with pytest.raises(Problems) as wrong:
        checked_note(ReadyNote(id=0, letters=letters, words=words), others)
    assert set(wrong.value.problems) == {field}


def test_the_same_note_may_keep_its_letters() -> None:
    known = ReadyNote(id=4, letters="na", words="No answer")
    assert checked_note(ReadyNote(id=4, letters=" NA ", words="No  answer"), [known]) == known


@given(st.text(max_size=120), st.dictionaries(st.sampled_from(sorted(PLACES)), st.text(max_size=20)))
def test_no_place_is_ever_left_standing(words: str, known: dict[str, str]) -> None:
    said = filled(ReadyNote(id=0, letters="zz", words=words + "{first}"), known)
    for name in PLACES:
        if f"{{{name}}}" in said:
            assert any(f"{{{name}}}" in each for each in known.values()) or name not in PLACES
    assert known.get("first") or said.endswith(BLANK)

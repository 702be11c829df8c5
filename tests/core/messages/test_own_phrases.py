"""The clinic's own phrases: they add to what is understood and never turn it around."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.messages.test_reply import CASES
from zax.core.errors import Problems
from zax.core.messages.reply import Asked, Meaning, own_phrases, read_reply
from zax.core.messages.reply_words import ORDERS, OWN_SAYS, PHRASES, Says, with_own


def test_a_word_of_their_own_is_understood_from_then_on() -> None:
    phrases = with_own(own_phrases({Says.YES: "Órale pues, simon", Says.CANCEL: "scratch my slot"}))
    assert read_reply("orale pues!", Asked.REMINDER).meaning is Meaning.UNCLEAR
    assert read_reply("orale pues!", Asked.REMINDER, None, phrases).meaning is Meaning.CONFIRM
    assert read_reply("Simón", Asked.OFFER, None, phrases).meaning is Meaning.ACCEPT
    assert read_reply("scratch my slot please", Asked.REMINDER, None, phrases).meaning is Meaning.CANCEL


def test_what_is_kept_is_plain_and_once() -> None:
    assert own_phrases({Says.LATE: " Traffic!! ; traffic\nel bus "}) == {"late": ["traffic", "el bus"]}
    assert own_phrases({}) == {}


@pytest.mark.parametrize(
    ("says", "typed", "why"),
    [
        (Says.YES, "no", "understood already"),
        (Says.CANCEL, "ok", "understood already"),
        (Says.YES, "cancel it for good", "understood already"),
        (Says.NOTHING, "stop", "understood already"),
        (Says.YES, "alto", "understood already"),
        (Says.YES, "please", "say nothing by themselves"),
        (Says.YES, "4", "say nothing by themselves"),
        (Says.YES, "one two three zork five six seven", "6 words"),
    ],
)
def test_what_is_understood_cant_be_made_to_say_something_else(says: Says, typed: str, why: str) -> None:
    with pytest.raises(Problems) as refused:
        own_phrases({says: typed})
    assert why in refused.value.problems[says]


def test_one_phrase_says_one_thing() -> None:
    with pytest.raises(Problems) as refused:
        own_phrases({Says.YES: "zork", Says.CANCEL: "zork"})
    assert "twice" in refused.value.problems[Says.CANCEL]


@given(
    st.dictionaries(st.sampled_from(sorted(OWN_SAYS)), st.text("abcdefghij ,", max_size=40), max_size=4),
    st.sampled_from([" ".join(each) for each in PHRASES] + sorted(ORDERS)),
    st.sampled_from(list(Asked)),
)
def test_whatever_they_add_what_ships_reads_as_before(
    typed: dict[Says, str], said: str, asked: Asked
) -> None:
    try:
        phrases = with_own(own_phrases(typed))
    except Problems:
        return
    assert read_reply(said, asked, None, phrases) == read_reply(said, asked)


@given(st.sampled_from(CASES), st.text("abcdefghij ,", max_size=30))
def test_no_addition_cancels_what_was_no_cancel_unless_its_word_is_there(
    case: dict[str, str], typed: str
) -> None:
    try:
        own = own_phrases({Says.CANCEL: typed})
    except Problems:
        return
    asked = Asked(case["context"])
    read = read_reply(case["text"], asked, None, with_own(own)).meaning
    if read is Meaning.CANCEL and read_reply(case["text"], asked).meaning is not Meaning.CANCEL:
        words = set(case["text"].lower().split())
        assert any(set(phrase.split()) <= words for phrase in own.get("cancel", []))

"""What a reply means: no worked case is ever read in a way it must not be, and most are read as a careful
front desk would.
"""

from __future__ import annotations

import json
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.reply import Asked, Meaning, When, read_reply
from zax.core.messages.reply_words import PHRASES, Says

CASES = json.loads((Path(__file__).parents[2] / "cases" / "replies.json").read_text())["replies"]


def meaning(words: str, asked: Asked = Asked.OFFER) -> Meaning:
    return read_reply(words, asked).meaning


def in_context(case: dict[str, str]) -> Meaning:
    """The reminder of the cases is of Tue, Dec 1 at 2:30 pm."""
    asked = Asked(case["context"])
    when = When(date(2026, 12, 1), 14 * 60 + 30) if asked is Asked.REMINDER else None
    return read_reply(case["text"], asked, when).meaning


@pytest.mark.parametrize("case", CASES, ids=[each["id"] for each in CASES])
def test_never_read_in_a_way_it_must_not_be(case: dict[str, str]) -> None:
    assert in_context(case) not in case["never"]


def test_most_are_read_as_a_front_desk_would() -> None:
    def right(case: dict[str, str]) -> bool:
        found = in_context(case)
        return found == case["expected"] or found in case["also_ok"]

    offers = [case for case in CASES if case["context"] == "offer"]
    assert all(right(case) for case in offers) and len(offers) > 30
    assert sum(map(right, CASES)) >= 0.95 * len(CASES)


@pytest.mark.parametrize(
    ("words", "number"), [("YES 2", 2), ("yes, 1 please", 1), ("YES", 0), ("no 3", 3), ("yes 1 or 2", 0)]
)
def test_a_number_that_stands_alone(words: str, number: int) -> None:
    assert read_reply(words, Asked.OFFER).number == number


def test_pain_is_urgent_whatever_was_asked() -> None:
    for asked in Asked:
        read = read_reply("yes but the swelling is worse and I have a fever", asked)
        assert read.urgent and read.meaning is Meaning.UNCLEAR


@given(st.sampled_from(sorted(Asked)), st.text(max_size=60))
def test_a_yes_or_a_no_needs_a_word_that_says_so(asked: Asked, words: str) -> None:
    found = meaning(words, asked)
    assert found is not Meaning.CANCEL or "cancel" in words.lower() or "schedule" in words.lower()
    if asked is Asked.NOTHING:
        assert found not in {Meaning.ACCEPT, Meaning.CONFIRM, Meaning.DECLINE, Meaning.CANCEL}


_SAID = [" ".join(words) for words, says in PHRASES.items() if says in {Says.YES, Says.SOFT}]
_NO = [" ".join(words) for words, says in PHRASES.items() if says is Says.NO]
_TURNS = ["if", "unless", "not", "except", "only when my wife", "zzyx"]


@given(st.sampled_from(_SAID), st.sampled_from(_TURNS))
def test_a_yes_with_an_unknown_word_is_no_yes(yes: str, more: str) -> None:
    for words in (f"{yes} {more}", f"{more} {yes}"):
        assert meaning(words) is not Meaning.ACCEPT


@given(st.sampled_from(_SAID), st.sampled_from(_NO))
def test_a_yes_and_a_no_is_never_booked(yes: str, no: str) -> None:
    assert meaning(f"{yes} {no}") is not Meaning.ACCEPT
    assert meaning(f"{no}, {yes}") is not Meaning.ACCEPT


@given(st.sampled_from(["STOP", "Stop.", "stop!!", "UNSUBSCRIBE", "quit", "PARAR", "  end "]))
def test_stop_is_obeyed(words: str) -> None:
    assert all(meaning(words, asked) is Meaning.STOP for asked in Asked)


@pytest.mark.parametrize(
    ("words", "found"), [("yesss", "accept_offer"), ("Nooooo", "decline_offer"), ("siii", "accept_offer")]
)
def test_a_stretched_word_is_the_word(words: str, found: str) -> None:
    assert meaning(words) == found
    assert meaning(f"{words} zzyx") is Meaning.UNCLEAR

"""An offer's rules, which offer a reply is about, and what people are told."""

from __future__ import annotations

from datetime import date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems, Refused
from zax.core.followup.offer import Heard, Rules, check_rules, ends_at, meant, next_number
from zax.core.followup.offer_words import (
    Facts,
    invitation,
    likely_answer,
    likely_which,
    not_open,
    stopped,
    too_late,
    yours,
)
from zax.core.messages.language import Language, language_of
from zax.core.messages.length import Encoding, text_length
from zax.core.messages.reply import Asked, read_reply

NOW = datetime(2026, 11, 24, 18, 42)
DAY = date(2026, 11, 25)


def heard(number: int, minutes_ago: int = 10, open_: bool = True) -> Heard:
    return Heard(number * 10, number, NOW - timedelta(minutes=minutes_ago), open_, DAY, 560)


def test_it_ends_some_time_before_or_at_the_last_minute() -> None:
    begins = NOW + timedelta(hours=3)
    assert ends_at(begins, NOW, Rules()) == begins - timedelta(minutes=60)
    assert ends_at(NOW + timedelta(minutes=30), NOW, Rules()) == NOW + timedelta(minutes=30)
    with pytest.raises(Refused, match="begun"):
        ends_at(NOW, NOW, Rules())


def test_rules_out_of_bounds_are_told_beside_their_fields() -> None:
    check_rules(Rules())
    with pytest.raises(Problems) as wrong:
        check_rules(Rules(wave=0, minutes=5000))
    assert set(wrong.value.problems) == {"wave", "minutes"}


def test_a_reply_is_about_the_only_offer_or_the_one_it_numbers() -> None:
    assert meant([heard(1)], 0, NOW) == heard(1)
    assert meant([heard(1), heard(2)], 0, NOW) is None
    assert meant([heard(1), heard(2)], 2, NOW) == heard(2)
    assert meant([heard(1)], 2, NOW) is None
    later = heard(2, minutes_ago=-5)
    assert meant([heard(1), later], 0, NOW) == heard(1)
    assert meant([heard(1, open_=False), heard(2)], 0, NOW) is None
    old = 60 * 24 * 5
    assert meant([heard(1, minutes_ago=old, open_=False), heard(2)], 0, NOW) == heard(2)
    assert meant([heard(1, minutes_ago=old), heard(2)], 0, NOW) is None
    assert meant([], 0, NOW) is None


@given(st.lists(st.integers(1, 6), max_size=6))
def test_a_new_offer_has_a_number_of_its_own(taken: list[int]) -> None:
    known = [heard(number) for number in taken]
    number = next_number(known, NOW)
    assert number not in taken and number >= 1
    assert meant([*known, heard(number, minutes_ago=0)], number, NOW) == heard(number, minutes_ago=0)


def facts(language: Language = Language.ENGLISH, **more: object) -> Facts:
    known: dict[str, object] = {
        "first": "Ada",
        "language": language,
        "provider": "Dr. Wren",
        "day": DAY,
        "start": 14 * 60 + 20,
        "minutes": 40,
        "clinic": "Juniper Quay Clinic",
        "phone": "3605550100",
    }
    return Facts(**(known | more))  # type: ignore[arg-type]


def test_what_is_said() -> None:
    assert invitation(facts()) == (
        "Hi Ada, Dr. Wren has an opening Wed, Nov 25, 2:20 pm, 40 min. The first YES gets it."
        " Reply YES or NO. Juniper Quay Clinic, (360) 555-0100"
    )
    assert "YES 2" in invitation(facts(number=2)) and "NO 2" in invitation(facts(number=2))
    assert "instead of Tue, Dec 1" in yours(facts(leaves=date(2026, 12, 1)))
    assert "Someone was a little faster" in too_late(facts())
    assert "SI 2" in invitation(facts(Language.SPANISH, number=2))
    assert "mié 25 nov" in not_open(facts(Language.SPANISH))
    both = [facts(), facts(number=2, start=600)]
    assert "1: Wed, Nov 25, 2:20 pm / 2: Wed, Nov 25, 10 am" in likely_which(both).replace("10:00", "10")


@pytest.mark.parametrize("language", list(Language))
def test_no_text_is_longer_than_two_messages_or_leaves_the_plain_letters(language: Language) -> None:
    told = facts(language, leaves=date(2026, 12, 1), number=3, first="Bartholomew")
    for say in (invitation, yours, too_late, not_open):
        length = text_length(say(told).replace("é", "e").replace("á", "a"))
        assert length.encoding is Encoding.GSM and length.messages <= 2, say
    assert text_length(invitation(facts())).messages == 1
    assert text_length(stopped("Juniper Quay Clinic", "3605550100")).messages == 1


@pytest.mark.parametrize(
    ("said", "likely"),
    [
        ("how long would it take?", "40 minutes, out by 3:00 pm."),
        ("who would it be with", "With Dr. Wren."),
        ("yes no idk", "Would you like the opening Wed, Nov 25, 2:20 pm? Reply YES or NO."),
        ("my face is swollen", "Ada, please call us now: (360) 555-0100. Juniper Quay Clinic"),
    ],
)
def test_the_likely_answer_is_written(said: str, likely: str) -> None:
    assert likely_answer(read_reply(said, Asked.OFFER), said, facts()) == likely


@pytest.mark.parametrize(
    ("on_file", "language"),
    [
        ("Spanish", "es"),
        ("Español", "es"),
        ("English, Spanish", "en"),
        ("Spanish; English", "es"),
        ("", "en"),
    ],
)
def test_the_language_on_file(on_file: str, language: str) -> None:
    assert language_of(on_file) == language

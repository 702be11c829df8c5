"""What messages say: every shipped text can be filled, says nothing it shouldn't, and no value breaks out."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import Problems
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.messages.length import Encoding, text_length
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.originals import Variant, Words, original
from zax.core.notices.words import MessageFacts, VisitFacts, checked, filled

TAMSIN = VisitFacts(
    first="Tamsin",
    day=date(2026, 11, 25),
    start=14 * 60 + 15,
    minutes=60,
    provider="Petra Okwu",
    site="Quay Street",
    address="4 Quay Street, Marrow Harbor, WA 98201",
    map_link="https://www.openstreetmap.org/search?query=4+Quay+Street",
)


def facts(*visits: VisitFacts, first: str = "Tamsin", language: Language = Language.ENGLISH) -> MessageFacts:
    return MessageFacts(
        first=first,
        language=language,
        clinic="Juniper Quay Clinic",
        phone="(360) 555-0100",
        visits=visits or (TAMSIN,),
        day=date(2026, 11, 25),
    )


ALL = [
    (event, channel, language, variant)
    for event, kind in EVENTS.items()
    for channel in kind.by
    for language in Language
    for variant in Variant
    if original(event, channel, language, variant) is not None
]


def shipped(event: Event, channel: Channel, language: Language, variant: Variant) -> Words:
    found = original(event, channel, language, variant)
    assert found is not None
    return found


@pytest.mark.parametrize(("event", "channel", "language", "variant"), ALL)
def test_every_shipped_text_may_be_kept_and_leaves_no_brace(
    event: Event, channel: Channel, language: Language, variant: Variant
) -> None:
    words = shipped(event, channel, language, variant)
    assert checked(words, event, channel, variant) == words
    said = filled(words, facts(language=language))
    assert not set("{}") & set(said.body + said.subject)
    assert "$" not in said.body and "hygiene" not in said.body.lower()


@pytest.mark.parametrize("event", list(EVENTS))
def test_every_event_has_words_for_every_channel_and_language(event: Event) -> None:
    for channel in EVENTS[event].by:
        for language in Language:
            assert original(event, channel, language) is not None


@pytest.mark.parametrize(
    ("event", "language", "variant"), [(e, g, v) for e, c, g, v in ALL if c is Channel.TEXT]
)
def test_a_shipped_text_is_plain_letters_and_one_or_two_messages(
    event: Event, language: Language, variant: Variant
) -> None:
    length = text_length(
        filled(shipped(event, Channel.TEXT, language, variant), facts(language=language)).body
    )
    assert length.encoding is Encoding.GSM and length.messages <= 2


def test_several_visits_are_one_list_with_names_where_there_are_several_people() -> None:
    leo = VisitFacts(
        first="Leo",
        day=TAMSIN.day,
        start=15 * 60,
        minutes=30,
        provider="Dr. Wren",
        site=TAMSIN.site,
        address=TAMSIN.address,
        map_link=TAMSIN.map_link,
    )
    words = shipped(Event.REMINDER, Channel.TEXT, Language.ENGLISH, Variant.SEVERAL)
    said = filled(words, facts(TAMSIN, leo)).body
    assert "See you Wed, Nov 25: 2:15 pm Tamsin with Petra Okwu, 3:00 pm Leo with Dr. Wren." in said
    child = filled(words, replace(facts(leo), for_another=True)).body
    assert "3:00 pm Leo with Dr. Wren" in child
    spanish = shipped(Event.REMINDER, Channel.TEXT, Language.SPANISH, Variant.SEVERAL)
    assert (
        "mié 25 nov: 2:15 pm Tamsin con Petra Okwu"
        in filled(spanish, facts(TAMSIN, leo, language=Language.SPANISH)).body
    )


@pytest.mark.parametrize(
    ("words", "field", "why"),
    [
        (Words(""), "body", "empty"),
        (Words("   \n "), "body", "empty"),
        (Words("Hi {nickname}"), "body", "nickname"),
        (Words("Hi {first"), "body", "other half"),
        (Words("Hi first}"), "body", "other half"),
        (Words("Hi {}"), "body", "isn’t a place"),
        (Words("x" * 481), "body", "480"),
    ],
)
def test_words_that_cannot_go_are_refused_beside_the_field(words: Words, field: str, why: str) -> None:
    with pytest.raises(Problems) as wrong:
        checked(words, Event.REMINDER, Channel.TEXT, Variant.USUAL)
    assert why in wrong.value.problems[field]


def test_a_mail_needs_a_subject_and_its_places_are_looked_at_as_well() -> None:
    for subject, why in (("", "needs a subject"), ("Hi {amount}", "amount"), ("x" * 121, "120")):
        with pytest.raises(Problems) as wrong:
            checked(Words("Hi {first}", subject), Event.REMINDER, Channel.EMAIL, Variant.USUAL)
        assert why in wrong.value.problems["subject"]


@given(st.text(max_size=40), st.text(max_size=40))
def test_no_name_adds_a_line_a_place_or_a_header(first: str, provider: str) -> None:
    visit = VisitFacts(
        first=first,
        day=TAMSIN.day,
        start=600,
        minutes=30,
        provider=provider,
        site="{clinic}",
        address="a",
        map_link="m",
    )
    said = filled(Words("{first}|{provider}|{site}", "For {first}"), facts(visit, first=first))
    assert said.body.count("|") >= 2 and len(said.body.splitlines()) == 1
    assert said.body.endswith("|{clinic}")
    assert len(said.subject.splitlines()) == 1 and said.subject.startswith("For")

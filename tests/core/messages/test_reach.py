"""Who can be reached how: their wish first, then what is on file; a child through the guarantor."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.channel import Channel
from zax.core.messages.reach import Reachable, Way, text_or_call, way

DAY = date(2026, 11, 24)
HELEN = Reachable(
    birth=date(1980, 1, 1),
    status="active",
    phone="3605550111",
    texts_to="phone",
    home_phone="3605550122",
    work_phone="",
    email="helen@example.org",
    street="4 Quay Street",
    wishes={},
)
MIA = replace(HELEN, birth=date(2015, 1, 1), phone="", email="", guarantor=HELEN)


@pytest.mark.parametrize(
    ("person", "channel", "found"),
    [
        (HELEN, Channel.TEXT, Way("3605550111")),
        (HELEN, Channel.EMAIL, Way("helen@example.org")),
        (HELEN, Channel.LETTER, Way("4 Quay Street")),
        (replace(HELEN, phone=""), Channel.CALL, Way("3605550122")),
        (replace(HELEN, phone=""), Channel.TEXT, Way(why_not="no mobile phone")),
        (replace(HELEN, texts_to="home"), Channel.TEXT, Way("3605550122")),
        (replace(HELEN, texts_to="none"), Channel.TEXT, Way(why_not="wants no texts")),
        (replace(HELEN, wishes={"recalls": "none"}), Channel.CALL, Way(why_not="opted out of recalls")),
        (replace(HELEN, wishes={"recalls": "call"}), Channel.TEXT, Way(why_not="wants calls")),
        (replace(HELEN, wishes={"recalls": "post"}), Channel.LETTER, Way("4 Quay Street")),
        (replace(HELEN, wishes={"news": "none"}), Channel.TEXT, Way("3605550111")),
        (replace(HELEN, status="deceased"), Channel.LETTER, Way(why_not="deceased")),
        (MIA, Channel.TEXT, Way("3605550111")),
        (replace(MIA, guarantor=None), Channel.TEXT, Way(why_not="no mobile phone")),
        (replace(MIA, birth=date(2008, 11, 24)), Channel.TEXT, Way(why_not="no mobile phone")),
    ],
)
def test_the_way_or_the_reason_why_not(person: Reachable, channel: Channel, found: Way) -> None:
    assert way(person, channel, DAY) == found


@given(
    st.sampled_from(list(Channel)),
    st.sampled_from(["", "text", "email", "call", "post", "none"]),
    st.sampled_from(["active", "inactive", "deceased", "merged"]),
)
def test_nobody_is_reached_against_their_wish(channel: Channel, wish: str, status: str) -> None:
    found = way(replace(HELEN, wishes={"recalls": wish}, status=status), channel, DAY)
    assert bool(found.to) != bool(found.why_not)
    if wish == "none" or status != "active":
        assert not found.to


@pytest.mark.parametrize(
    ("person", "channel", "found"),
    [
        (HELEN, Channel.TEXT, Way("3605550111")),
        (MIA, Channel.TEXT, Way("3605550111")),
        (replace(HELEN, texts_to="none"), Channel.CALL, Way("3605550111")),
        (replace(HELEN, phone=""), Channel.CALL, Way("3605550122")),
        (replace(HELEN, wishes={"recalls": "call"}), Channel.CALL, Way("3605550111")),
        (replace(HELEN, wishes={"recalls": "email"}), Channel.CALL, Way(why_not="wants email")),
        (replace(HELEN, wishes={"recalls": "none"}), Channel.CALL, Way(why_not="opted out of recalls")),
        (replace(HELEN, status="deceased"), Channel.CALL, Way(why_not="deceased")),
        (replace(HELEN, phone="", home_phone=""), Channel.CALL, Way(why_not="no mobile phone")),
    ],
)
def test_by_text_and_by_a_call_only_for_who_cannot_be_texted(
    person: Reachable, channel: Channel, found: Way
) -> None:
    assert text_or_call(person, DAY) == (channel, found)

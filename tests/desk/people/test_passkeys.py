"""A passkey opens for its person, at our address, once a question; and every way around that is refused."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from tests.conftest import JUNO, RAVI, SAM, rows_of, scalar
from tests.soft_key import SoftKey
from zax.core.errors import NotFound, Refused
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.people.passkeys import (
    MOST,
    Address,
    add_passkey,
    begin_adding,
    begin_signing_in,
    remove_passkey,
    sign_in_by_passkey,
)
from zax.desk.people.second_factor import drop_second

HERE = Address("http://localhost", "localhost")


def added(desk: Desk, key: SoftKey, words: str = "My phone", address: Address = HERE) -> None:
    asked = begin_adding(desk, JUNO, address)
    add_passkey(desk, JUNO, address, asked.state, PASSWORD, words, key.adds(asked.asked))


def signed_in(desk: Desk, key: SoftKey, address: Address = HERE) -> int:
    asked = begin_signing_in(address)
    return sign_in_by_passkey(desk, address, asked.state, key.signs(asked.asked), "1.2.3.4")


@pytest.mark.parametrize("uses", [0, 7, None])
def test_a_key_that_was_added_opens_again_and_again(desk: Desk, uses: int | None) -> None:
    key = SoftKey(uses=uses)
    added(desk, key)
    assert [signed_in(desk, key), signed_in(desk, key)] == [JUNO.id, JUNO.id]
    (row,) = rows_of(desk, "SELECT words, uses, used_at FROM passkey")
    assert (
        row["words"] == "My phone" and row["uses"] == (uses + 2 if uses is not None else 0) and row["used_at"]
    )


def test_a_key_that_nobody_added_opens_nothing_and_is_on_record(desk: Desk) -> None:
    with pytest.raises(Refused, match="didn’t work"):
        signed_in(desk, SoftKey())
    assert scalar(desk, "SELECT detail FROM audit WHERE act = 'signed_in.refused'")


@pytest.mark.parametrize(
    "wrong",
    [
        lambda key: replace(key, private=SoftKey().private),  # another key under the same number
        lambda key: replace(key, origin="http://localhost.example.com"),  # a copied page handed it on
        lambda key: replace(key, origin="https://localhost"),
        lambda key: replace(key, name="example.com"),
        lambda key: replace(key, verified=False),  # found on the counter, and nobody opened it
        lambda key: replace(key, uses=-1),  # a copy that was used less often
    ],
)
def test_a_key_used_wrongly_opens_nothing(desk: Desk, wrong: Callable[[SoftKey], SoftKey]) -> None:
    key = SoftKey(uses=5)
    added(desk, key)
    with pytest.raises(Refused, match="didn’t work"):
        signed_in(desk, wrong(key))
    assert signed_in(desk, key) == JUNO.id


def test_an_answer_counts_once_and_for_its_own_question(desk: Desk) -> None:
    """Also by a key that does not count its uses: whoever kept cookie and answer gets nothing by both."""
    key = SoftKey(uses=None)
    added(desk, key)
    asked, other = begin_signing_in(HERE), begin_signing_in(HERE)
    answer = key.signs(asked.asked)
    with pytest.raises(Refused):
        sign_in_by_passkey(desk, HERE, other.state, answer, "1.2.3.4")
    assert sign_in_by_passkey(desk, HERE, asked.state, answer, "1.2.3.4") == JUNO.id
    with pytest.raises(Refused):
        sign_in_by_passkey(desk, HERE, asked.state, answer, "1.2.3.4")


def test_adding_wants_the_password_a_name_and_a_key_of_ones_own(desk: Desk) -> None:
    key = SoftKey()
    asked = begin_adding(desk, JUNO, HERE)
    for password, words, answer, beside in (
        ("guess", "My phone", key.adds(asked.asked), "passkey_password"),
        (PASSWORD, " ", key.adds(asked.asked), "words"),
        (PASSWORD, "My phone", "{}", "answer"),
        (PASSWORD, "My phone", replace(key, verified=False).adds(asked.asked), "answer"),
        (PASSWORD, "My phone", replace(key, origin="http://elsewhere.example").adds(asked.asked), "answer"),
    ):
        with pytest.raises(Refused) as refused:
            add_passkey(desk, JUNO, HERE, asked.state, password, words, answer)
        assert list(refused.value.problems) == [beside]
    assert scalar(desk, "SELECT COUNT(*) FROM passkey") == 0
    added(desk, key)
    again = begin_adding(desk, RAVI, HERE)  # somebody else's key does not become one's own
    with pytest.raises(Refused, match="on the list already"):
        add_passkey(desk, RAVI, HERE, again.state, PASSWORD, "Mine", key.adds(again.asked))
    for _ in range(MOST - 1):
        added(desk, SoftKey())
    with pytest.raises(Refused, match="as many as there can be"):
        begin_adding(desk, JUNO, HERE)


def test_a_removed_key_opens_nothing_and_only_its_person_removes_it(desk: Desk) -> None:
    key = SoftKey()
    added(desk, key)
    number = scalar(desk, "SELECT id FROM passkey")
    with pytest.raises(NotFound):
        remove_passkey(desk, RAVI, number, PASSWORD)
    with pytest.raises(Refused):
        remove_passkey(desk, JUNO, number, "guess")
    remove_passkey(desk, JUNO, number, PASSWORD)
    with pytest.raises(Refused):
        signed_in(desk, key)


def test_a_lost_phone_and_somebody_who_left_are_shut_out(desk: Desk) -> None:
    first, second = SoftKey(), SoftKey()
    added(desk, first)
    drop_second(desk, SAM, JUNO.id or 0)
    with pytest.raises(Refused):
        signed_in(desk, first)
    added(desk, second)
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE user SET active = 0 WHERE id = 1"))
    with pytest.raises(Refused):
        signed_in(desk, second)


@pytest.mark.parametrize("part", ["rawId", "clientDataJSON", "authenticatorData", "signature"])
def test_a_number_in_place_of_text_takes_no_room(desk: Desk, part: str) -> None:
    """So many bytes would be made room for: one answer would take all the memory there is."""
    key = SoftKey()
    added(desk, key)
    asked = begin_signing_in(HERE)
    sent = json.loads(key.signs(asked.asked))
    (sent if part in sent else sent["response"])[part] = 40_265_318_400
    with pytest.raises(Refused):
        sign_in_by_passkey(desk, HERE, asked.state, json.dumps(sent), "1.2.3.4")


JUNK = st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=40), st.lists(st.text(max_size=4)))


@given(st.data())
@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_is_sent_in_place_of_an_answer_is_refused(desk: Desk, data: st.DataObject) -> None:
    """Each part of a right answer put in place by something else: refused, never a defect."""
    key = SoftKey()
    with desk.engine.begin() as connection:
        connection.execute(text("DELETE FROM passkey"))
    added(desk, key)
    signing, adding = begin_signing_in(HERE), begin_adding(desk, JUNO, HERE)
    answer = data.draw(st.sampled_from([key.signs(signing.asked), SoftKey().adds(adding.asked)]))
    sent = json.loads(answer)
    where = data.draw(st.sampled_from(["rawId", "response", *sent["response"]]))
    within = sent["response"] if where in sent["response"] else sent
    within[where] = data.draw(JUNK)
    with pytest.raises(Refused):
        if "signature" in answer:
            sign_in_by_passkey(desk, HERE, signing.state, json.dumps(sent), "1.2.3.4")
        else:
            add_passkey(desk, JUNO, HERE, adding.state, PASSWORD, "My phone", json.dumps(sent))

"""Patients' texts: each is taken in once wherever a worker dies, and does what it says to the right offer;
what no rule is sure of reaches a person.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError

from tests.conftest import (
    JUNO,
    SAM,
    TODAY,
    add_patient,
    at,
    rows_of,
    scalar,
)
from tests.desk.followup.test_offers import OPENING, of, people, places, texts, waits
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict
from zax.core.followup.offer import Place, Rules, Stand
from zax.desk.acts.transaction import Desk
from zax.desk.followup import offers
from zax.desk.followup.offering import watch_offers
from zax.desk.followup.offers import make_offer
from zax.desk.inbox import replies
from zax.desk.inbox.replies import seen_to, take_replies
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.followup import offers as stored_offers
from zax.store.inbox.replies import ReplyRow, open_replies
from zax.web.money.documents import receipt_pdf


@pytest.fixture
def gateway(outside: Outside) -> FakeTexts:
    assert isinstance(outside.texts, FakeTexts)
    return outside.texts


def unread(desk: Desk) -> list[ReplyRow]:
    with desk.engine.connect() as connection:
        return open_replies(connection)


def test_a_yes_by_text_is_booked_by_the_worker(desk: Desk, outside: Outside, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    for _ in range(3):
        run_once(desk, outside, receipt_pdf)
    ((to, words),) = gateway.sent.values()
    assert to == "3605550101" and "an opening" in words
    gateway.reply(to, "Yes please")
    for _ in range(3):
        run_once(desk, outside, receipt_pdf)
    assert of(desk, offer).stand == Stand.TAKEN and gateway.waiting == {}
    assert any("It's yours, Ada" in words for _, words in gateway.sent.values())
    assert unread(desk) == []


def test_a_reply_to_two_offers_takes_the_one_it_numbers(desk: Desk, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    first = make_offer(desk, JUNO, OPENING)
    second = make_offer(desk, JUNO, replace(OPENING, start=15 * 60))
    assert "Reply YES 2 or NO 2" in texts(desk)[1][1]
    gateway.reply("3605550101", "yes 2")
    take_replies(desk, gateway)
    assert (of(desk, first).stand, of(desk, second).stand) == (Stand.OPEN, Stand.TAKEN)
    assert scalar(desk, "SELECT start_min FROM visit") == 15 * 60


def test_a_bare_yes_to_two_offers_books_nothing_and_asks_which(desk: Desk, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    first = make_offer(desk, JUNO, OPENING)
    second = make_offer(desk, JUNO, replace(OPENING, start=15 * 60))
    gateway.reply("3605550101", "YES")
    take_replies(desk, gateway)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0
    asked = people(desk, second)["Ada"]
    assert asked.place == Place.ASKS and places(desk, first)["Ada"] == Place.SENT
    assert asked.likely == (
        "Which time would you like? 1: Wed, Nov 25, 2:00 pm / 2: Wed, Nov 25, 3:00 pm. Reply YES and its"
        " number."
    )


def test_two_people_at_one_phone_are_told_apart_by_the_number(desk: Desk, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    first = make_offer(desk, JUNO, OPENING)
    child = waits(desk, "Tim", 1, kind="Hygiene")
    hygiene = replace(OPENING, provider_id=2, minutes=60)
    second = make_offer(desk, JUNO, hygiene)
    gateway.reply("3605550101", "Yes, 2")
    take_replies(desk, gateway)
    assert places(desk, second)["Tim"] == Place.YES and places(desk, first)["Ada"] == Place.SENT
    assert scalar(desk, "SELECT patient_id FROM visit") == child


def test_stop_ends_all_texts_to_the_phone_at_once(desk: Desk, gateway: FakeTexts) -> None:
    ada, bram = waits(desk, "Ada", 1), waits(desk, "Bram", 2)
    offer = make_offer(desk, JUNO, OPENING)
    gateway.reply("3605550101", "NO. Remove me from this")
    take_replies(desk, gateway)
    assert scalar(desk, f"SELECT texts_to FROM patient WHERE id = {ada}") == "none"
    assert scalar(desk, f"SELECT texts_to FROM patient WHERE id = {bram}") == "phone"
    assert places(desk, offer)["Ada"] == Place.NO
    waiting = rows_of(desk, "SELECT request_key FROM message WHERE state = 'waiting'")
    who = people(desk, offer)
    assert sorted(row["request_key"] for row in waiting) == sorted([f"offer-{who['Bram'].id}", "stop-1"])
    gateway.reply("3605550101", "START")
    take_replies(desk, gateway)
    assert scalar(desk, f"SELECT texts_to FROM patient WHERE id = {ada}") == "phone"


def test_a_wrong_number_reaches_a_person_and_is_offered_nothing(desk: Desk, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    gateway.reply("3605550101", "Wrong number but yes I could use a dentist haha")
    take_replies(desk, gateway)
    assert places(desk, offer)["Ada"] == Place.NO and scalar(desk, "SELECT COUNT(*) FROM visit") == 0
    (row,) = unread(desk)
    assert (row.meaning, row.name) == ("wrong_number", "Ada Vasquez")
    seen_to(desk, JUNO, row.id, "took the number off")
    assert unread(desk) == []
    with pytest.raises(Conflict):
        seen_to(desk, JUNO, row.id, "again")


@pytest.mark.parametrize("words", ["Yes", "", "cancel", "my tooth hurts", "\u202e🦷" * 400, "x" * 5000])
def test_what_answers_nothing_reaches_a_person(desk: Desk, gateway: FakeTexts, words: str) -> None:
    patient = add_patient(desk, phone="3605550123")
    for sender in ("3605550123", "0000000000", "+44 20 7946 0000 0000 0000"):
        gateway.reply(sender, words)
    take_replies(desk, gateway)
    assert [row.patient_id for row in unread(desk)] == [patient, None, None]
    assert gateway.waiting == {} and texts(desk) == []


def test_many_workers_take_each_text_in_once(desk: Desk, gateway: FakeTexts) -> None:
    offers.keep_rules(desk, SAM, Rules(wave=20))
    for number in range(20):
        waits(desk, f"P{number:02}", number)
    offer = make_offer(desk, JUNO, OPENING)
    for number in range(20):
        gateway.reply(f"36055501{number:02}", "YES")
    with ThreadPoolExecutor(6) as pool:
        list(pool.map(lambda _: take_replies(desk, gateway), range(6)))
    found = list(places(desk, offer).values())
    assert found.count(Place.YES) == 1 and found.count(Place.LATE) == 19
    assert scalar(desk, "SELECT COUNT(*) FROM text_reply") == 20 and gateway.waiting == {}
    assert len(texts(desk)) == 40


class Killed(BaseException):
    """The worker is gone."""


@pytest.mark.parametrize("when", ["before it is written", "after it is written"])
def test_a_worker_that_dies_takes_it_in_once_all_the_same(
    desk: Desk, gateway: FakeTexts, monkeypatch: pytest.MonkeyPatch, when: str
) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    gateway.reply("3605550101", "YES")

    def dies(*_: Any, **__: Any) -> None:
        raise Killed

    with monkeypatch.context() as dead:
        if when.startswith("before"):
            dead.setattr(replies, "_keep", dies)
        else:
            dead.setattr(gateway, "taken", dies)
        with pytest.raises(Killed):
            take_replies(desk, gateway)
    booked = scalar(desk, "SELECT COUNT(*) FROM visit")
    assert booked == (0 if when.startswith("before") else 1) and len(gateway.waiting) == 1
    take_replies(desk, gateway)
    take_replies(desk, gateway)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1 and of(desk, offer).stand == Stand.TAKEN
    assert sum(key.startswith("offer-yours") for key, _ in texts(desk)) == 1 and gateway.waiting == {}


def test_a_defect_hides_no_text(
    desk: Desk, gateway: FakeTexts, monkeypatch: pytest.MonkeyPatch, outside: Outside
) -> None:
    """Something of ours breaks on it: a person reads the text, and Day says that something failed."""
    waits(desk, "Ada", 1)
    make_offer(desk, JUNO, OPENING)

    def breaks(*_: Any, **__: Any) -> None:
        raise ZeroDivisionError

    gateway.reply("3605550101", "YES")
    with monkeypatch.context() as broken:
        broken.setattr(replies, "answered", breaks)
        run_once(desk, outside, receipt_pdf)
    (row,) = unread(desk)
    assert (row.words, row.meaning) == ("YES", "unclear")
    assert scalar(desk, "SELECT failures FROM beat WHERE name = 'text replies'") == 1


def test_a_yes_long_after_goes_to_a_person(desk: Desk, gateway: FakeTexts, clock: ShiftedClock) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    clock.set_to(at(10, 0, TODAY + timedelta(days=5)))
    watch_offers(desk)
    assert of(desk, offer).stand == Stand.OVER
    gateway.reply("3605550101", "YES")
    take_replies(desk, gateway)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0
    assert [row.words for row in unread(desk)] == ["YES"]


def test_a_question_after_the_offer_is_over_is_read_by_a_person(desk: Desk, gateway: FakeTexts) -> None:
    """Nobody watches a closed offer: what isn't a yes or a no stands among the texts to read."""
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    offers.stop_offering(desk, JUNO, offer)
    gateway.reply("3605550101", "what about friday?")
    gateway.reply("3605550101", "no thanks")
    take_replies(desk, gateway)
    assert [row.words for row in unread(desk)] == ["what about friday?"]
    assert places(desk, offer)["Ada"] == Place.NO


def test_whoever_took_it_and_says_no_keeps_it_until_a_person_has_read_it(
    desk: Desk, gateway: FakeTexts
) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    for words in ("YES", "no wait, I can't"):
        gateway.reply("3605550101", words)
    take_replies(desk, gateway)
    assert places(desk, offer)["Ada"] == Place.YES
    assert scalar(desk, "SELECT state FROM visit") == "booked"
    assert [row.words for row in unread(desk)] == ["no wait, I can't"]
    gateway.reply("3605550101", "STOP")
    take_replies(desk, gateway)
    assert places(desk, offer)["Ada"] == Place.YES and len(unread(desk)) == 1


def test_pain_is_read_by_a_person_whatever_was_offered(desk: Desk, gateway: FakeTexts) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    gateway.reply("3605550101", "yes but my face is swollen and I have a fever")
    take_replies(desk, gateway)
    assert places(desk, offer)["Ada"] == Place.ASKS and scalar(desk, "SELECT COUNT(*) FROM visit") == 0
    (row,) = unread(desk)
    assert "swollen" in row.words
    assert "please call us now" in people(desk, offer)["Ada"].likely


@pytest.mark.parametrize("at_call", [1, 2])
def test_a_database_that_goes_away_in_the_middle_leaves_nothing_half_done(
    desk: Desk, gateway: FakeTexts, monkeypatch: pytest.MonkeyPatch, at_call: int
) -> None:
    """It is gone right after the visit is booked, or after the answer is written."""
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    gateway.reply("3605550101", "YES")
    calls = 0
    real = stored_offers.change_person

    def gone(*args: Any, **more: Any) -> None:
        nonlocal calls
        calls += 1
        if calls == at_call:
            raise OperationalError("UPDATE", {}, Exception(2013, "lost connection"))
        real(*args, **more)

    with monkeypatch.context() as dead:
        dead.setattr(stored_offers, "change_person", gone)
        with pytest.raises(OperationalError):
            take_replies(desk, gateway)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0 and of(desk, offer).is_open
    assert len(texts(desk)) == 1 and len(gateway.waiting) == 1 and unread(desk) == []
    take_replies(desk, gateway)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1 and of(desk, offer).stand == Stand.TAKEN
    assert [key.rpartition("-")[0] for key, _ in texts(desk)] == ["offer", "offer-yours"]

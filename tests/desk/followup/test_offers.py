"""Offers against a real MariaDB: the first yes takes the time and nobody else, however many say it at once
and whatever the desk does meanwhile; no text goes out twice and none is lost, wherever a worker dies.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    RAVI,
    SAM,
    TODAY,
    add_patient,
    at,
    order,
    rows_of,
    scalar,
)
from tests.desk.followup.made import recall, recall_type
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, Refused, ZaxError
from zax.core.followup.offer import Place, Rules, Stand
from zax.core.messages.channel import Channel
from zax.core.messages.reply import Asked, read_reply
from zax.demo.world import TYPE_ID
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.waitlist import wait_for
from zax.desk.followup import offers
from zax.desk.followup.offer_answers import answered, no_answer, said_no, said_yes, write_back
from zax.desk.followup.offering import offer_canceled, watch_offers
from zax.desk.followup.offers import Opening, make_offer, stop_offering, text_next
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.followup import offers as stored
from zax.store.followup.offers import Offer, OfferPerson
from zax.web.money.documents import receipt_pdf

TOMORROW = TODAY + timedelta(days=1)
OPENING = Opening(site_id=1, provider_id=1, day=TOMORROW, start=14 * 60, minutes=40)


def waits(desk: Desk, first: str, number: int = 0, kind: str = "Filling", **more: Any) -> int:
    """Somebody who comes at short notice, with a phone of their own."""
    patient = add_patient(desk, first=first, phone=f"3605550{100 + number}", **more)
    wait_for(desk, JUNO, patient, "short", TYPE_ID[kind], 0, 1, "")
    return patient


def of(desk: Desk, offer_id: int) -> Offer:
    with desk.engine.connect() as connection:
        found = stored.one_offer(connection, offer_id)
    assert found is not None
    return found


def people(desk: Desk, offer_id: int) -> dict[str, OfferPerson]:
    with desk.engine.connect() as connection:
        return {each.first: each for each in stored.people_of(connection, offer_id)}


def places(desk: Desk, offer_id: int) -> dict[str, str]:
    return {name: each.place for name, each in people(desk, offer_id).items()}


def says(desk: Desk, person: OfferPerson, words: str) -> None:
    read = read_reply(words, Asked.OFFER)
    in_transaction(desk, WORKER, lambda tx: answered(tx, person.id, read, words))


def texts(desk: Desk) -> list[tuple[str, str]]:
    """Key and words of everything that goes out, in order."""
    rows = rows_of(desk, "SELECT request_key, words FROM message WHERE channel = 'text' ORDER BY id")
    return [(row["request_key"], row["words"]) for row in rows]


def at_one_moment(works: list[Callable[[], object]]) -> list[object]:
    def run(work: Callable[[], object]) -> object:
        try:
            return work()
        except ZaxError as error:
            return error

    with ThreadPoolExecutor(24) as pool:
        return list(pool.map(run, works))


def test_the_best_are_texted_first_and_the_next_after_the_wait(desk: Desk, clock: ShiftedClock) -> None:
    for number, name in enumerate(("Ada", "Bram", "Noor", "Priti", "Otto")):
        waits(desk, name, number)
    offer = make_offer(desk, JUNO, OPENING)
    assert sorted(places(desk, offer).values()) == ["sent"] * 3 + ["waiting"] * 2
    assert len(texts(desk)) == 3 and "an opening Wed, Nov 25, 2:00 pm, 40 min" in texts(desk)[0][1]
    watch_offers(desk)
    assert len(texts(desk)) == 3
    clock.set_to(at(10, 58))
    watch_offers(desk)
    watch_offers(desk)
    assert list(places(desk, offer).values()).count("sent") == 5 and len(texts(desk)) == 5
    assert of(desk, offer).next_at is None


def test_the_first_yes_is_booked_and_leaves_the_waitlist(desk: Desk) -> None:
    ada, bram = waits(desk, "Ada", 1), waits(desk, "Bram", 2)
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)
    says(desk, who["Bram"], "Yes please!")
    says(desk, who["Ada"], "YES")
    says(desk, who["Ada"], "yes!!")
    says(desk, who["Bram"], "yes")
    assert places(desk, offer) == {"Ada": Place.LATE, "Bram": Place.YES}
    assert of(desk, offer).stand == Stand.TAKEN
    visits = rows_of(desk, "SELECT patient_id, day, start_min, minutes, state FROM visit")
    assert [tuple(row.values()) for row in visits] == [(bram, TOMORROW, 14 * 60, 40, "booked")]
    assert scalar(desk, f"SELECT COUNT(*) FROM waiting WHERE patient_id = {bram} AND ended_at IS NULL") == 0
    assert scalar(desk, f"SELECT COUNT(*) FROM waiting WHERE patient_id = {ada} AND ended_at IS NULL") == 1
    said = dict(texts(desk))
    assert "It's yours, Bram" in said[f"offer-yours-{who['Bram'].id}"]
    assert "a little faster" in said[f"offer-late-{who['Ada'].id}"]
    assert len(said) == 4


def test_two_hundred_yeses_at_once_book_one_and_answer_all(desk: Desk) -> None:
    offers.keep_rules(desk, SAM, Rules(wave=20, minutes=1))
    for number in range(200):
        waits(desk, f"P{number:03}", number)
    offer = make_offer(desk, JUNO, OPENING)
    for _ in range(9):
        text_next(desk, JUNO, offer)
    who = [each for each in people(desk, offer).values() if each.place == Place.SENT]
    assert len(who) == 200
    at_one_moment([lambda each=each: says(desk, each, "YES") for each in who])
    found = list(places(desk, offer).values())
    assert found.count(Place.YES) == 1 and found.count(Place.LATE) == 199
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    keys = [key for key, _ in texts(desk)]
    assert len(keys) == len(set(keys)) == 400
    assert sum(key.startswith("offer-yours") for key in keys) == 1
    assert sum(key.startswith("offer-late") for key in keys) == 199


def test_the_desk_books_it_at_the_same_moment(desk: Desk) -> None:
    """Whoever comes first has it, and it is never booked twice."""
    for day in range(1, 7):
        opening = replace(OPENING, day=TODAY + timedelta(days=day + 5), start=14 * 60)
        if not _works(desk, opening):
            continue
        waits(desk, f"A{day}", day)
        other = add_patient(desk, first=f"Z{day}", phone="3605550900")
        offer = make_offer(desk, JUNO, opening)
        who = people(desk, offer)[f"A{day}"]
        wanted = order(other, 1, "14:20", "Filling", day=opening.day)
        at_one_moment([lambda who=who: says(desk, who, "yes"), lambda w=wanted: book_visit(desk, RAVI, w)])
        taken = rows_of(desk, f"SELECT patient_id FROM visit WHERE day = '{opening.day}'")
        place = people(desk, offer)[f"A{day}"].place
        assert len(taken) == 1
        assert (place == Place.YES) == (taken[0]["patient_id"] != other)
        assert place in {Place.YES, Place.LATE}
        assert of(desk, offer).stand == (Stand.TAKEN if place == Place.YES else Stand.GONE)


def _works(desk: Desk, opening: Opening) -> bool:
    with desk.engine.connect() as connection:
        try:
            offers.gap_of(connection, desk.clinic, opening, desk.clock.now())
        except Conflict:
            return False
    return True


def test_a_yes_moves_the_visit_they_would_leave_and_frees_its_time(desk: Desk) -> None:
    patient = add_patient(desk, first="Priti", phone="3605550104")
    later = TODAY + timedelta(days=7)
    visit = book_visit(desk, JUNO, order(patient, 1, "10:00", "Filling", day=later, sooner="on"))
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)["Priti"]
    assert who.why == "would leave Tue, Dec 1"
    says(desk, who, "yes")
    row = rows_of(desk, "SELECT id, day, start_min FROM visit")
    assert [tuple(each.values()) for each in row] == [(visit, TOMORROW, 14 * 60)]
    assert of(desk, offer).freed == {
        "site": 1,
        "provider": 1,
        "day": "2026-12-01",
        "start": 600,
        "minutes": 40,
    }
    assert "instead of Tue, Dec 1" in dict(texts(desk))[f"offer-yours-{who.id}"]


def test_when_the_desk_gives_the_time_away_all_are_told_once(desk: Desk) -> None:
    for number, name in enumerate(("Ada", "Bram", "Noor")):
        waits(desk, name, number)
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)
    says(desk, who["Noor"], "no thanks")
    book_visit(desk, JUNO, order(add_patient(desk), 1, "14:00", "Filling", day=TOMORROW))
    watch_offers(desk)
    watch_offers(desk)
    assert of(desk, offer).stand == Stand.GONE
    told = [key for key, _ in texts(desk) if key.startswith("offer-gone")]
    assert sorted(told) == sorted(f"offer-gone-{who[name].id}" for name in ("Ada", "Bram"))
    says(desk, who["Ada"], "YES")
    assert "no longer free" in dict(texts(desk))[f"offer-late-{who['Ada'].id}"]


def test_it_ends_before_the_time_and_when_it_is_stopped(desk: Desk, clock: ShiftedClock) -> None:
    waits(desk, "Ada", 1)
    offer = make_offer(desk, JUNO, OPENING)
    clock.set_to(at(13, 0, TOMORROW))
    watch_offers(desk)
    assert of(desk, offer).stand == Stand.OVER
    again = make_offer(desk, JUNO, replace(OPENING, start=15 * 60, day=TODAY + timedelta(days=6)))
    stop_offering(desk, JUNO, again)
    assert of(desk, again).stand == Stand.STOPPED
    with pytest.raises(Conflict):
        stop_offering(desk, JUNO, again)
    assert sum(key.startswith("offer-gone") for key, _ in texts(desk)) == 2


def test_what_they_ask_waits_for_a_person_and_keeps_the_chance(desk: Desk) -> None:
    waits(desk, "Noor", 1)
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)["Noor"]
    says(desk, who, "how long would it take?")
    asked = people(desk, offer)["Noor"]
    assert (asked.place, asked.likely) == (Place.ASKS, "40 minutes, out by 2:40 pm.")
    with pytest.raises(Refused, match="Write"):
        write_back(desk, JUNO, who.id, "  ")
    with pytest.raises(Refused, match="messages"):
        write_back(desk, JUNO, who.id, "ü" * 600)
    write_back(desk, JUNO, who.id, asked.likely)
    assert texts(desk)[-1][1].count("out by 2:40 pm") == 1
    says(desk, who, "ok then yes")
    assert of(desk, offer).stand == Stand.TAKEN


def test_a_yes_that_cannot_be_booked_reaches_a_person(desk: Desk) -> None:
    """Somebody who has another visit at that minute by now; the offer goes on for the others."""
    patient, _ = waits(desk, "Ada", 1), waits(desk, "Bram", 2)
    offer = make_offer(desk, JUNO, OPENING)
    book_visit(desk, JUNO, order(patient, 5, "14:00", "Sick visit", day=TOMORROW))
    who = people(desk, offer)
    says(desk, who["Ada"], "yes")
    asked = people(desk, offer)["Ada"]
    assert asked.place == Place.ASKS and "has a visit with Dr. Hollis Abernathy" in asked.skipped_why
    assert of(desk, offer).is_open and scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    says(desk, who["Bram"], "yes")
    assert of(desk, offer).stand == Stand.TAKEN


def test_those_who_want_calls_are_called(desk: Desk) -> None:
    waits(desk, "Otto", 1, texts_to="none")
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)["Otto"]
    assert (who.by_way, who.place, texts(desk)) == ("call", Place.SENT, [])
    no_answer(desk, JUNO, who.id)
    visit = said_yes(desk, JUNO, who.id)
    assert scalar(desk, f"SELECT patient_id FROM visit WHERE id = {visit}") == who.patient_id
    with pytest.raises(Conflict, match="gone"):
        said_yes(desk, RAVI, who.id)
    with pytest.raises(Conflict, match="answered"):
        said_no(desk, RAVI, who.id)
    assert texts(desk) == []


def test_of_two_callers_with_a_yes_one_books(desk: Desk) -> None:
    for number, name in enumerate(("Ada", "Bram")):
        waits(desk, name, number, texts_to="none")
    offer = make_offer(desk, JUNO, OPENING)
    ids = [each.id for each in people(desk, offer).values()]
    found = at_one_moment([lambda n=n: said_yes(desk, JUNO, n) for n in ids * 4])
    assert sum(isinstance(each, int) for each in found) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1


def test_skipped_are_named_and_can_be_put_in(desk: Desk) -> None:
    waits(desk, "Ada", 1)
    patient = waits(desk, "Sunniva", 2)
    book_visit(desk, JUNO, order(patient, 5, "09:00", "Sick visit", day=TOMORROW))
    offer = make_offer(desk, JUNO, OPENING)
    who = people(desk, offer)["Sunniva"]
    assert (who.place, who.skipped_why) == (Place.SKIPPED, "has a visit Wed, Nov 25 already")
    offers.let_join(desk, JUNO, who.id)
    assert places(desk, offer)["Sunniva"] == Place.WAITING
    offers.pass_over(desk, JUNO, who.id)
    assert people(desk, offer)["Sunniva"].skipped_why == "skipped by JP"
    with pytest.raises(Conflict, match="asked already"):
        offers.pass_over(desk, JUNO, people(desk, offer)["Ada"].id)


def test_nobody_is_offered_more_than_twice_a_week(desk: Desk) -> None:
    waits(desk, "Ada", 1)
    for start in (8 * 60 + 40, 15 * 60):
        make_offer(desk, JUNO, replace(OPENING, start=start))
    with pytest.raises(Refused, match="No one to offer it to"):
        make_offer(desk, JUNO, OPENING)


def test_a_time_is_offered_once(desk: Desk) -> None:
    waits(desk, "Ada", 1)
    found = at_one_moment([lambda: make_offer(desk, JUNO, OPENING)] * 8)
    assert sum(isinstance(each, int) for each in found) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM offer") == 1 and len(texts(desk)) == 1


def test_recalls_in_time_are_offered_with_whom_they_saw(desk: Desk) -> None:
    kind = recall_type(desk, "Hygiene")
    due = add_patient(desk, first="Marit", phone="3605550105")
    recall(desk, due, kind, TODAY - timedelta(days=20))
    far = add_patient(desk, first="Far", phone="3605550106")
    recall(desk, far, kind, TODAY + timedelta(days=200))
    hygiene = Opening(site_id=1, provider_id=2, day=TOMORROW, start=14 * 60)
    offer = make_offer(desk, JUNO, hygiene)
    who = people(desk, offer)
    assert list(who) == ["Marit"] and who["Marit"].why == "due Nov 4"
    says(desk, who["Marit"], "yes")
    assert scalar(desk, "SELECT patient_id FROM visit") == due


def test_quiet_hours_hold_for_waves_and_for_a_person(desk: Desk, clock: ShiftedClock) -> None:
    for number in range(5):
        waits(desk, f"P{number}", number)
    clock.set_to(at(19, 50))
    offer = make_offer(desk, JUNO, replace(OPENING, day=TODAY + timedelta(days=6)))
    assert len(texts(desk)) == 3
    clock.set_to(at(20, 5))
    watch_offers(desk)
    assert len(texts(desk)) == 3 and of(desk, offer).next_at == at(8, 0, TOMORROW)
    with pytest.raises(Refused, match="quiet hours"):
        text_next(desk, JUNO, offer)
    clock.set_to(at(8, 0, TOMORROW))
    watch_offers(desk)
    assert len(texts(desk)) == 5


@pytest.mark.parametrize("eve", [date(2027, 3, 13), date(2026, 10, 31)])
def test_on_the_night_the_clocks_change_the_next_wave_waits_for_eight(
    desk: Desk, clock: ShiftedClock, eve: date
) -> None:
    for number in range(4):
        waits(desk, f"P{number}", number)
    clock.set_to(at(19, 50, eve))
    monday = eve + timedelta(days=3)
    offer = make_offer(desk, JUNO, replace(OPENING, day=monday))
    clock.set_to(at(20, 5, eve))
    watch_offers(desk)
    assert of(desk, offer).next_at == at(8, 0, eve + timedelta(days=1))


def test_a_canceled_visit_is_offered_by_itself_where_the_clinic_wants_it(desk: Desk) -> None:
    waits(desk, "Ada", 1)
    gone = add_patient(desk, first="Hugo", phone="3605550199")
    visit = book_visit(desk, JUNO, order(gone, 1, "14:00", "Filling", day=TOMORROW))
    take_off(desk, JUNO, visit, "wants", "has a cold")
    assert offer_canceled(desk) == 0
    offers.keep_rules(desk, SAM, Rules(within_days=2))
    at_one_moment([lambda: offer_canceled(desk)] * 4)
    rows = rows_of(desk, "SELECT id, from_visit_id, start_min, minutes, made_by FROM offer")
    assert [(row["from_visit_id"], row["start_min"], row["minutes"]) for row in rows] == [(visit, 840, 40)]
    assert rows[0]["made_by"] is None and len(texts(desk)) == 1
    assert people(desk, rows[0]["id"])["Hugo"].skipped_why == "canceled this very time"
    assert offer_canceled(desk) == 0


def test_with_nobody_to_offer_it_to_that_is_written_once(desk: Desk) -> None:
    offers.keep_rules(desk, SAM, Rules(within_days=2))
    visit = book_visit(desk, JUNO, order(add_patient(desk), 1, "14:00", "Filling", day=TOMORROW))
    take_off(desk, JUNO, visit, "declined", "went elsewhere")
    offer_canceled(desk)
    offer_canceled(desk)
    assert rows_of(desk, "SELECT stand FROM offer") == [{"stand": Stand.OVER}]


class Killed(BaseException):
    """The worker is gone, in the middle of what it did."""


@pytest.mark.parametrize("after", range(1, 9))
def test_a_worker_killed_anywhere_texts_nobody_twice_and_forgets_nobody(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch, after: int
) -> None:
    """It dies at each of its calls to the outside and to the database's own writes, and another goes on."""
    for number in range(4):
        waits(desk, f"P{number}", number)
    offers.keep_rules(desk, SAM, Rules(wave=2, minutes=1))
    offer = make_offer(desk, JUNO, OPENING)
    sent = outside.texts
    assert isinstance(sent, FakeTexts)
    calls = 0
    real_send, real_change, real_finish = sent.send, stored.change_person, stored.change_offer

    def dying(real: Callable[..., None]) -> Callable[..., None]:
        def run(*args: Any, **more: Any) -> None:
            nonlocal calls
            calls += 1
            if calls == after:
                real(*args, **more)
                raise Killed
            real(*args, **more)

        return run

    with monkeypatch.context() as dead:
        dead.setattr(sent, "send", dying(real_send))
        dead.setattr(stored, "change_person", dying(real_change))
        dead.setattr(stored, "change_offer", dying(real_finish))
        clock.set_to(at(10, 50))
        try:
            for _ in range(6):
                run_once(desk, outside, receipt_pdf)
        except Killed:
            pass
    for minutes in (0, 1, 2, 3, 4):
        clock.set_to(at(11, minutes))
        for _ in range(8):
            run_once(desk, outside, receipt_pdf)
    who = people(desk, offer)
    assert all(each.place == Place.SENT for each in who.values())
    invited = [key for key in sent.sent if key.startswith("offer-")]
    assert sorted(invited) == sorted(f"offer-{each.id}" for each in who.values())


def test_offering_needs_the_right_to_book_and_a_free_time(desk: Desk) -> None:
    waits(desk, "Ada", 1)
    taken = book_visit(desk, JUNO, order(add_patient(desk), 1, "14:20", "Filling", day=TOMORROW))
    with pytest.raises(Conflict, match="isn’t free"):
        make_offer(desk, JUNO, OPENING)
    take_off(desk, JUNO, taken, "declined", "x")
    with pytest.raises(ZaxError):
        make_offer(desk, JUNO, replace(OPENING, day=TODAY - timedelta(days=1)))
    assert make_offer(desk, JUNO, OPENING)


def test_who_opted_out_of_recalls_is_not_offered_one(desk: Desk) -> None:
    kind = recall_type(desk, "Hygiene")
    patient = add_patient(
        desk, first="Quiet", phone="3605550107", reach={"recalls": {"by": "none", "since": "2026-01-01"}}
    )
    recall(desk, patient, kind, TODAY - timedelta(days=3))
    other = add_patient(desk, first="Open", phone="3605550108")
    recall(desk, other, kind, TODAY - timedelta(days=3))
    offer = make_offer(desk, JUNO, Opening(site_id=1, provider_id=2, day=TOMORROW, start=14 * 60))
    assert people(desk, offer)["Quiet"].skipped_why == "opted out of recalls"
    assert people(desk, offer)["Open"].by_way == Channel.TEXT


def test_a_visit_that_nobody_could_help_with_is_not_offered(desk: Desk) -> None:
    """Hygiene needs a dentist for the exam at a certain minute: with both taken it can't stand there."""
    waits(desk, "Marit", 5, kind="Hygiene")
    due = add_patient(desk, first="Due", phone="3605550166")
    recall(desk, due, recall_type(desk, "Hygiene"), TODAY - timedelta(days=20))
    waits(desk, "Gum", 7, kind="Gum care")
    hygiene = Opening(site_id=1, provider_id=2, day=TOMORROW, start=14 * 60, minutes=60)
    for dentist in (1, 3):
        someone = add_patient(desk, first=f"T{dentist}", phone=f"360555091{dentist}")
        wanted = order(someone, dentist, "14:00", "Extraction", day=TOMORROW, minutes="60")
        book_visit(desk, JUNO, wanted)
    offer = make_offer(desk, JUNO, hygiene)
    who = people(desk, offer)
    assert set(who) == {"Gum", "Marit"} and who["Gum"].place == Place.SENT
    assert who["Marit"].place == Place.SKIPPED and who["Marit"].skipped_why.startswith("hygiene: ")


def test_who_changed_meanwhile_is_reached_as_they_are_now(desk: Desk, clock: ShiftedClock) -> None:
    """A new phone is texted, an opted out one is not, somebody booked that day isn't asked."""
    ids = {name: waits(desk, name, n) for n, name in enumerate(("A", "B", "C", "Moved", "Stopped", "Busy"))}
    offer = make_offer(desk, JUNO, OPENING)
    later = [each for each in people(desk, offer).values() if each.place == Place.WAITING]
    assert {each.first for each in later} == {"Moved", "Stopped", "Busy"}
    with desk.engine.begin() as connection:
        connection.exec_driver_sql(f"UPDATE patient SET phone = '3605550888' WHERE id = {ids['Moved']}")
        connection.exec_driver_sql(f"UPDATE patient SET texts_to = 'none' WHERE id = {ids['Stopped']}")
    book_visit(desk, JUNO, order(ids["Busy"], 5, "09:00", "Sick visit", day=TOMORROW))
    clock.set_to(at(10, 58))
    watch_offers(desk)
    who = people(desk, offer)
    assert (who["Moved"].place, who["Moved"].phone) == (Place.SENT, "3605550888")
    assert who["Stopped"].skipped_why == "wants no texts"
    assert who["Busy"].skipped_why == "has a visit that day by now"
    to = scalar(desk, "SELECT address FROM message ORDER BY id DESC LIMIT 1")
    assert to == "3605550888" and of(desk, offer).next_at is None

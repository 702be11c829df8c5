"""The worker plans and sends what the rules say: on time, once, to the right phone, with the words as they
are when it goes; and says why somebody gets none.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    SAM,
    TODAY,
    add_patient,
    at,
    order,
    rows_of,
    scalar,
)
from tests.desk.moving.bringing import bring
from tests.desk.notices.made import log, only, read, told
from tests.fakes import FakeCalls, FakeMail, FakeTexts
from zax.clock import ShiftedClock
from zax.core.messages.channel import Channel
from zax.core.messages.quiet import Awake, Quiet
from zax.core.notices.events import Event
from zax.core.notices.rule import Rule, RuleKey
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.moving import MoveOrder, move_visit
from zax.desk.book.track import confirm
from zax.desk.messages.quiet_hours import keep_quiet_hours
from zax.desk.notices import rules
from zax.desk.notices.planning import plan_messages
from zax.desk.patients.details import set_reach, set_status
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, OutsideTrouble

DAY = TODAY + timedelta(days=7)
TEXT, EMAIL, CALL = Channel.TEXT, Channel.EMAIL, Channel.CALL
REMINDER = (Event.REMINDER, TEXT, "2 days before at 4:00 pm")


def works(desk: Desk, outside: Outside, rounds: int = 3) -> None:
    for _ in range(rounds):
        run_once(desk, outside, None)  # type: ignore[arg-type]


def texts(outside: Outside) -> list[tuple[str, str]]:
    assert isinstance(outside.texts, FakeTexts)
    return list(outside.texts.sent.values())


def visit(desk: Desk, patient: int, start: str = "14:00", day: date = DAY, **more: Any) -> int:
    return book_visit(desk, JUNO, order(patient, 1, start, "Filling", day=day, **more))


def move_to(desk: Desk, visit_id: int, day: date, start: str) -> None:
    move_visit(desk, JUNO, visit_id, MoveOrder(site_id=1, day=day, at=start, provider_id=1))


def test_nothing_goes_out_before_somebody_says_so(desk: Desk, clock: ShiftedClock, outside: Outside) -> None:
    visit(desk, add_patient(desk))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    assert texts(outside) == [] and log(desk) == []


def test_a_reminder_goes_two_days_before_at_four_and_once(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    visit(desk, add_patient(desk, first="Tamsin"))
    clock.set_to(at(15, 59, DAY - timedelta(days=2)))
    works(desk, outside)
    assert texts(outside) == []
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    ((to, words),) = texts(outside)
    assert to == "3605550148"
    assert words == (
        "Hi Tamsin, this is Juniper Quay Clinic. See you Tue, Dec 1, 2:00 pm with Dr. Calloway at Quay"
        " Street. Reply YES"
        " to confirm. To change it call (360) 555-0100."
    )
    for later in (timedelta(minutes=1), timedelta(hours=1), timedelta(days=1)):
        clock.set_to(at(16, 0, DAY - timedelta(days=2)) + later)
        works(desk, outside)
    (row,) = log(desk)
    assert (row["state"], row["parts"], row["why"]) == ("sent", 1, "Reminder: 2 days before at 4:00 pm")


def test_the_second_try_goes_only_to_who_has_not_confirmed(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, (*REMINDER, "1 day before at 10:00 am"))
    said_yes = visit(desk, add_patient(desk, first="Ada", phone="3605550101"))
    visit(desk, add_patient(desk, first="Bram", phone="3605550102"), "15:00")
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    clock.set_to(at(16, 1, DAY - timedelta(days=2)))
    works(desk, outside)
    assert len(texts(outside)) == 2
    confirm(desk, JUNO, said_yes)
    clock.set_to(at(10, 0, DAY - timedelta(days=1)))
    works(desk, outside)
    assert [words for _, words in texts(outside)[2:]] == [
        "Bram, is Tue, Dec 1 at 3:00 pm still good? Reply YES to confirm. Juniper Quay Clinic, (360) 555-0100"
    ]


def test_one_person_with_three_visits_that_day_gets_one_message(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    patient = add_patient(desk, first="Ada")
    for start in ("9:00", "11:00", "14:00"):
        visit(desk, patient, start)
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    ((_, words),) = texts(outside)
    assert "9:00 am with Dr. Calloway, 11:00 am with Dr. Calloway, 2:00 pm with Dr. Calloway" in words
    assert len(told(desk)) == 3


def test_a_household_at_one_phone_gets_one_and_a_child_through_the_guarantor(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    ada = add_patient(desk, first="Ada", phone="3605550101")
    household = scalar(desk, f"SELECT household_id FROM patient WHERE id = {ada}")
    tim = add_patient(desk, first="Tim", phone="", birth=date(2018, 5, 1))
    with desk.engine.begin() as connection:
        connection.exec_driver_sql(
            f"UPDATE patient SET guarantor = 0, household_id = {household} WHERE id = {tim}"
        )
    visit(desk, ada, "9:00")
    visit(desk, tim, "10:00")
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    ((to, words),) = texts(outside)
    assert to == "3605550101"
    assert "9:00 am Ada with Dr. Calloway, 10:00 am Tim with Dr. Calloway" in words


def test_a_visit_moved_between_planning_and_sending_gets_the_right_words_or_none(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    moved = visit(desk, add_patient(desk, first="Ada", phone="3605550101"))
    gone = visit(desk, add_patient(desk, first="Bram", phone="3605550102"), "15:00")
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    plan_messages(desk)
    move_to(desk, moved, DAY + timedelta(days=7), "9:00")
    take_off(desk, JUNO, gone, "wants", "has a cold")
    clock.set_to(at(16, 1, DAY - timedelta(days=2)))
    works(desk, outside)
    assert texts(outside) == []
    assert sorted(row["state_words"] for row in log(desk)) == [
        "the visit was canceled before this went",
        "the visit was moved or confirmed before this went",
    ]
    clock.set_to(at(16, 0, DAY + timedelta(days=5)))
    works(desk, outside)
    ((_, words),) = texts(outside)
    assert "Tue, Dec 8, 9:00 am" in words


def test_a_gateway_away_for_hours_loses_nothing_and_nobody_is_reminded_of_a_visit_that_has_begun(
    desk: Desk, clock: ShiftedClock, outside: Outside, monkeypatch: pytest.MonkeyPatch
) -> None:
    only(desk, (Event.REMINDER, TEXT, "3 hours before"))
    visit(desk, add_patient(desk, first="Ada", phone="3605550101"), "10:00")
    visit(desk, add_patient(desk, first="Bram", phone="3605550102"), "15:00")
    real = FakeTexts.send

    def away(self: FakeTexts, key: str, to: str, words: str) -> None:
        raise OutsideTrouble("The text gateway can’t be reached.")

    monkeypatch.setattr(FakeTexts, "send", away)
    clock.set_to(at(8, 0, DAY))
    works(desk, outside)
    clock.set_to(at(12, 0, DAY))
    works(desk, outside)
    monkeypatch.setattr(FakeTexts, "send", real)
    clock.set_to(at(12, 20, DAY))
    works(desk, outside)
    assert [words.split(",")[0] for _, words in texts(outside)] == ["Hi Bram"]
    assert [row["state_words"] for row in log(desk) if row["state"] == "skipped"] == ["the visit had begun"]


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"texts_to": "none"}, "wants no texts"),
        ({"phone": ""}, "no mobile phone"),
        ({"reach": {"reminders": {"by": "email", "since": "2026-01-01"}}}, "wants email"),
        ({"reach": {"reminders": {"by": "none", "since": "2026-01-01"}}}, "opted out of reminders"),
        ({"status": "inactive"}, "inactive"),
        ({"status": "deceased"}, "deceased"),
    ],
)
def test_who_gets_none_is_told_apart_with_the_reason(
    desk: Desk, clock: ShiftedClock, outside: Outside, change: dict[str, Any], why: str
) -> None:
    only(desk, REMINDER)
    patient = add_patient(desk)
    visit(desk, patient)
    with desk.engine.begin() as connection:
        from zax.store.schema import patient as table

        connection.execute(table.update().where(table.c.id == patient).values(**change))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    assert texts(outside) == [] and told(desk) == [("reminder", why)]


def test_a_wish_or_a_death_after_planning_still_counts(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    ada, bram = (
        add_patient(desk, first=name, phone=f"36055501{n}") for name, n in (("Ada", "01"), ("Bram", "02"))
    )
    visit(desk, ada)
    visit(desk, bram, "15:00")
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    plan_messages(desk)
    set_reach(desk, JUNO, ada, {"reminders": "none"}, 1)
    set_status(desk, JUNO, bram, "deceased", "the family called", "11/20/2026", 1, 1)
    works(desk, outside)
    assert texts(outside) == []
    assert {row["state"] for row in log(desk)} == {"skipped", "withdrawn"}


def test_quiet_hours_wait_for_the_morning(desk: Desk, clock: ShiftedClock, outside: Outside) -> None:
    only(desk, (Event.REMINDER, TEXT, "1 day before at 9:30 pm"))
    visit(desk, add_patient(desk))
    clock.set_to(at(21, 30, DAY - timedelta(days=1)))
    works(desk, outside)
    assert texts(outside) == []
    clock.set_to(at(8, 0, DAY))
    works(desk, outside)
    assert len(texts(outside)) == 1


def test_hours_that_became_quiet_after_planning_count(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    visit(desk, add_patient(desk))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    plan_messages(desk)
    keep_quiet_hours(desk, SAM, Quiet(Awake(9 * 60, 15 * 60), Awake(9 * 60, 15 * 60), Awake(9 * 60, 15 * 60)))
    works(desk, outside)
    assert texts(outside) == []
    clock.set_to(at(9, 0, DAY - timedelta(days=1)))
    works(desk, outside)
    assert len(texts(outside)) == 1


def test_a_rule_changed_at_noon_affects_only_what_is_not_sent(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, (Event.REMINDER, TEXT, "2 days before at 10:00 am"))
    visit(desk, add_patient(desk, first="Ada", phone="3605550101"), day=DAY)
    visit(desk, add_patient(desk, first="Bram", phone="3605550102"), "15:00", DAY + timedelta(days=1))
    clock.set_to(at(10, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    with desk.engine.connect() as connection:
        rule = rules.rules_of(connection).general(Event.REMINDER, TEXT)
    rules.keep_rule(desk, SAM, replace(rule, lead=read("3 days before at 12:00 pm")))
    clock.set_to(at(12, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    assert [words.split(",")[0] for _, words in texts(outside)] == ["Hi Ada", "Hi Bram"]


def test_a_rule_switched_off_before_it_goes_sends_nothing(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    visit(desk, add_patient(desk))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    plan_messages(desk)
    only(desk)
    works(desk, outside)
    assert (
        texts(outside) == [] and log(desk)[0]["state_words"] == "this message was switched off before it went"
    )


def test_a_visit_type_may_have_its_own_lead_or_none(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    filling = scalar(desk, "SELECT id FROM visit_type WHERE name = 'Filling'")
    hygiene = scalar(desk, "SELECT id FROM visit_type WHERE name = 'Hygiene'")
    rules.keep_rule(
        desk,
        SAM,
        Rule(key=RuleKey("reminder", "text", filling), runs=True, lead=read("4 days before at 9:00 am")),
    )
    rules.keep_rule(
        desk, SAM, Rule(key=RuleKey("reminder", "text", hygiene), runs=False, lead=read("1 day before"))
    )
    visit(desk, add_patient(desk, first="Ada", phone="3605550101"))
    book_visit(
        desk, JUNO, order(add_patient(desk, first="Bram", phone="3605550102"), 2, "9:00", "Hygiene", day=DAY)
    )
    clock.set_to(at(9, 0, DAY - timedelta(days=4)))
    works(desk, outside)
    assert len(texts(outside)) == 1
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    assert len(texts(outside)) == 1


def test_who_is_booked_after_it_was_due_is_not_reminded_at_once(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    clock.set_to(at(9, 0, DAY - timedelta(days=1)))
    visit(desk, add_patient(desk))
    works(desk, outside)
    assert texts(outside) == [] and told(desk) == [("reminder", "booked or moved after this was due")]


AT_ONCE = "at once"


def test_booked_is_told_after_second_thoughts_with_the_time_there_is_by_then(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, (Event.BOOKED, TEXT, AT_ONCE), (Event.MOVED, TEXT, AT_ONCE), (Event.CANCELED, TEXT, AT_ONCE))
    booked = visit(desk, add_patient(desk, first="Ada"))
    works(desk, outside)
    assert texts(outside) == []
    move_to(desk, booked, DAY, "15:00")
    clock.set_to(at(10, 45))
    works(desk, outside)
    clock.set_to(at(10, 50))
    works(desk, outside)
    ((_, words),) = texts(outside)
    assert words.startswith("Hi Ada, you're booked: Tue, Dec 1, 3:00 pm with Dr. Calloway")
    assert ("moved", "knows this time already") in told(desk)


def test_who_was_booked_elsewhere_and_came_by_a_list_is_not_told_so(
    desk: Desk, clock: ShiftedClock, outside: Outside, tmp_path: Path
) -> None:
    only(desk, (Event.BOOKED, TEXT, AT_ONCE))
    add_patient(desk, first="Ada", chart="A-1", phone="3605550101")
    listed = f"chart,date,time,provider,type\nA-1,{DAY:%m/%d/%Y},1:30 pm,Dr. Wren,Filling\n"
    assert bring(desk, tmp_path, "visits", listed).made == 1
    visit(desk, add_patient(desk, first="Bram", phone="3605550102"))
    clock.set_to(at(10, 50))
    works(desk, outside)
    assert [words[:8] for _, words in texts(outside)] == ["Hi Bram,"]


def test_moved_and_canceled_are_told_each_time_and_a_mistake_never(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, (Event.BOOKED, TEXT, AT_ONCE), (Event.MOVED, TEXT, AT_ONCE), (Event.CANCELED, TEXT, AT_ONCE))
    booked = visit(desk, add_patient(desk, first="Ada", phone="3605550101"))
    clock.set_to(at(11, 0))
    works(desk, outside)
    for minute, start in ((0, "15:00"), (10, "14:00")):
        clock.set_to(at(12, minute))
        move_visit(desk, JUNO, booked, MoveOrder(site_id=1, day=DAY, at=start, provider_id=1))
        clock.set_to(at(12, minute + 5))
        works(desk, outside)
    clock.set_to(at(13, 0))
    take_off(desk, JUNO, booked, "wants", "has a cold")
    clock.set_to(at(13, 5))
    works(desk, outside)
    said = [words for _, words in texts(outside)]
    assert ["3:00 pm" in said[1], "2:00 pm" in said[2], "is canceled" in said[3]] == [True] * 3 and len(
        said
    ) == 4
    wrong = visit(desk, add_patient(desk, first="Bram", phone="3605550102"))
    take_off(desk, JUNO, wrong, "mistake", "")
    clock.set_to(at(13, 30))
    works(desk, outside)
    assert len(texts(outside)) == 4


def test_what_happened_before_it_was_switched_on_is_not_told(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    visit(desk, add_patient(desk))
    clock.set_to(at(10, 50))
    only(desk, (Event.BOOKED, TEXT, AT_ONCE))
    clock.set_to(at(11, 0))
    works(desk, outside)
    assert texts(outside) == [] and log(desk) == []


def test_a_mail_is_plain_with_headers_and_a_call_is_placed(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(
        desk,
        (Event.REMINDER, EMAIL, "2 days before at 4:00 pm"),
        (Event.REMINDER, CALL, "2 days before at 4:00 pm"),
    )
    visit(desk, add_patient(desk, first="Ada"))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    assert isinstance(outside.mail, FakeMail) and isinstance(outside.calls, FakeCalls)
    (mail,) = outside.mail.sent
    assert mail["Subject"] == "See you on Tue, Dec 1" and mail["To"] == "helen@example.org"
    assert mail["Message-ID"].startswith("<reminder-email-") and "unsubscribe" in mail["List-Unsubscribe"]
    plain = mail.get_body(("plain",))
    assert plain is not None and "https://www.openstreetmap.org/" in plain.get_content()
    (calendar,) = mail.iter_attachments()
    assert (
        calendar.get_content_type() == "text/calendar"
        and calendar["Content-Type"].params["method"] == "REQUEST"
    )
    ((to, words),) = outside.calls.placed.values()
    assert to == "3605550148" and "press 1" in words


def test_planning_from_many_workers_tells_everybody_once(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    keep = replace(rules.habits_of(desk.clinic), texts_a_minute=6_000)
    rules.keep_habits(desk, SAM, keep)
    for number in range(12):
        visit(
            desk,
            add_patient(desk, first=f"P{number}", phone=f"36055501{number:02}"),
            f"{[8, 9, 10, 11, 14, 15][number % 6]}:00",
            DAY + timedelta(days=number // 6),
        )
    clock.set_to(at(16, 0, DAY - timedelta(days=1)))
    with ThreadPoolExecutor(4) as pool:
        assert sum(pool.map(lambda _: plan_messages(desk), range(4))) == scalar(
            desk, "SELECT COUNT(*) FROM message"
        )
    clock.set_to(at(16, 1, DAY - timedelta(days=1)))
    works(desk, outside, 4)
    assert (
        len(texts(outside))
        == len({to for to, _ in texts(outside)})
        == scalar(desk, "SELECT COUNT(*) FROM visit")
    )


def test_recalls_are_spread_so_that_the_desk_can_answer(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    from tests.desk.followup.made import recall, recall_type

    only(desk, (Event.RECALL, TEXT, "that day at 10:00 am"))
    kind = recall_type(desk)
    for number in range(4):
        recall(desk, add_patient(desk, first=f"P{number}", phone=f"36055501{number:02}"), kind, TODAY)
    works(desk, outside)
    assert len(texts(outside)) == 1
    due = [row["due_at"] for row in log(desk)]
    assert [(later - due[0]).seconds for later in due] == [0, 180, 360, 540]
    rows = rows_of(desk, "SELECT id FROM recall ORDER BY id")
    with desk.engine.begin() as connection:
        connection.exec_driver_sql(f"UPDATE recall SET ended_at = NOW() WHERE id = {rows[-1]['id']}")
    clock.set_to(at(12, 0))
    works(desk, outside)
    assert len(texts(outside)) == 3
    assert log(desk)[-1]["state_words"] == "it was settled before this went"


def test_strangers_with_one_number_on_file_never_read_of_each_other(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    only(desk, REMINDER)
    for name, start in (("Ada", "9:00"), ("Bram", "10:00")):
        visit(desk, add_patient(desk, first=name, phone="3605550101"), start)
    for minute in (0, 1):
        clock.set_to(at(16, minute, DAY - timedelta(days=2)))
        works(desk, outside)
    said = sorted(words for _, words in texts(outside))
    assert [("Ada" in words, "Bram" in words) for words in said] == [(True, False), (False, True)]

"""What answers do by themselves: confirm, cancel where the clinic lets them, say how late; never on a guess,
only while the visit stands as our message said, and always so that it can be taken back.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import (
    JUNO,
    SAM,
    add_patient,
    at,
    rows_of,
    scalar,
)
from tests.desk.followup.test_offers import OPENING, places, waits
from tests.desk.notices.made import log, only
from tests.desk.notices.test_planning import DAY, move_to, texts, visit, works
from tests.fakes import FakeCalls, FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict
from zax.core.messages.channel import Channel
from zax.core.messages.news import News, What
from zax.core.messages.reply import Asked, Meaning, When, read_reply
from zax.core.notices.events import Event
from zax.desk.acts.transaction import Desk
from zax.desk.book.track import confirm
from zax.desk.followup.offers import make_offer
from zax.desk.inbox.answers import take_back
from zax.desk.inbox.news import take_news
from zax.desk.inbox.replies import take_replies
from zax.desk.notices import rules
from zax.outside.doors import Outside

TEXT, CALL = Channel.TEXT, Channel.CALL
ADA = "3605550101"


@pytest.fixture
def gateway(outside: Outside) -> FakeTexts:
    assert isinstance(outside.texts, FakeTexts)
    return outside.texts


@pytest.fixture
def reminded(desk: Desk, clock: ShiftedClock, outside: Outside) -> int:
    """Ada's visit, of which she was reminded two days before."""
    only(desk, (Event.REMINDER, TEXT, "2 days before at 4:00 pm"))
    found = visit(desk, add_patient(desk, first="Ada", phone=ADA))
    clock.set_to(at(16, 0, DAY - timedelta(days=2)))
    works(desk, outside)
    return found


def says(desk: Desk, gateway: FakeTexts, words: str, phone: str = ADA) -> dict[str, Any]:
    gateway.reply(phone, words)
    take_replies(desk, gateway)
    return rows_of(desk, "SELECT * FROM text_reply ORDER BY id DESC LIMIT 1")[0]


def state(desk: Desk, visit_id: int) -> Any:
    return scalar(desk, f"SELECT state FROM visit WHERE id = {visit_id}")


@pytest.mark.parametrize(
    "words", ["YES", "yes!!", "Sí", "👍", "ok see you then", "Yes I confirm for Tuesday at 2"]
)
def test_a_yes_confirms_and_is_thanked(
    desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside, words: str
) -> None:
    row = says(desk, gateway, words)
    assert state(desk, reminded) == "confirmed" and row["done_words"] == "confirmed"
    works(desk, outside)
    assert texts(outside)[-1] == (
        ADA,
        "Thank you, you're confirmed for Tue, Dec 1, 2:00 pm. Juniper Quay Clinic",
    )
    moved = rows_of(desk, "SELECT reason, by_id FROM track_move WHERE to_stop = 'confirmed'")
    assert moved == [{"reason": f"by text: “{words}”", "by_id": None}]


@pytest.mark.parametrize(
    "words",
    [
        "Yes I confirm for Wednesday at 2",
        "yes but can we do 4 instead?",
        "can we do 4 instead?",
        "who is this?",
        "no",
        "maybe",
        "yes if it's with Dr. Wren",
        "my tooth is bleeding, see you",
        "Please don't cancel?",
    ],
)
def test_what_is_no_clear_yes_changes_nothing_and_waits_for_a_person(
    desk: Desk, reminded: int, gateway: FakeTexts, words: str
) -> None:
    row = says(desk, gateway, words)
    assert state(desk, reminded) == "booked" and row["done_at"] is None and row["message_id"] is not None


@pytest.mark.parametrize("words", ["Thanks!", "Thank you so much 🙏", "gracias", "Muchas gracias!"])
def test_a_thank_you_alone_waits_for_nobody_and_confirms_nothing(
    desk: Desk, reminded: int, gateway: FakeTexts, words: str
) -> None:
    row = says(desk, gateway, words)
    assert row["done_words"] == "said thanks" and state(desk, reminded) == "booked"


def test_an_ok_to_a_booking_is_noted_and_confirms_nothing(
    desk: Desk, clock: ShiftedClock, outside: Outside, gateway: FakeTexts
) -> None:
    only(desk, (Event.BOOKED, TEXT, "at once"))
    booked = visit(desk, add_patient(desk, first="Ada", phone=ADA))
    clock.set_to(at(11, 0))
    works(desk, outside)
    assert says(desk, gateway, "ok great")["done_words"] == "glad about the time"
    assert state(desk, booked) == "booked"
    assert says(desk, gateway, "cancel")["done_words"] == "canceled"


def test_a_yes_to_a_time_that_has_moved_since_confirms_nothing(
    desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    move_to(desk, reminded, DAY + timedelta(days=1), "9:00")
    row = says(desk, gateway, "YES")
    assert state(desk, reminded) == "booked" and row["done_at"] is None


def test_a_yes_after_the_visit_confirms_nothing(
    desk: Desk, reminded: int, gateway: FakeTexts, clock: ShiftedClock
) -> None:
    clock.set_to(at(9, 0, DAY + timedelta(days=1)))
    assert says(desk, gateway, "YES")["done_at"] is None and state(desk, reminded) == "booked"


def test_a_second_yes_and_the_same_reply_twice_change_nothing(
    desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside
) -> None:
    says(desk, gateway, "YES")
    assert says(desk, gateway, "yes")["done_words"] == "confirmed before"
    assert scalar(desk, "SELECT COUNT(*) FROM track_move WHERE to_stop = 'confirmed'") == 1


def test_a_cancel_takes_it_off_where_the_clinic_lets_it_and_asks_on(
    desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside
) -> None:
    row = says(desk, gateway, "Please cancel")
    assert state(desk, reminded) == "canceled" and row["done_words"] == "canceled"
    works(desk, outside)
    assert "is canceled. For another time just reply" in texts(outside)[-1][1]
    assert scalar(desk, "SELECT COUNT(*) FROM waiting WHERE ended_at IS NULL") == 1


@pytest.mark.parametrize(
    ("hours", "kind_hours", "gone"),
    [(24, None, True), (72, None, False), (-1, None, False), (24, -1, False), (-1, 0, True)],
)
def test_how_long_before_a_reply_may_cancel_is_the_clinics_by_type(
    desk: Desk, reminded: int, gateway: FakeTexts, hours: int, kind_hours: int | None, gone: bool
) -> None:
    kind = scalar(desk, f"SELECT type_id FROM visit WHERE id = {reminded}")
    own = {} if kind_hours is None else {str(kind): kind_hours}
    rules.keep_habits(
        desk, SAM, replace(rules.habits_of(desk.clinic), cancel_hours=hours, cancel_by_type=own)
    )
    row = says(desk, gateway, "cancel")
    assert (state(desk, reminded) == "canceled") is gone and (row["done_at"] is None) is not gone


def test_running_late_tells_day(desk: Desk, reminded: int, gateway: FakeTexts, clock: ShiftedClock) -> None:
    assert says(desk, gateway, "running 10 min late")["done_at"] is None
    clock.set_to(at(13, 50, DAY))
    row = says(desk, gateway, "so sorry, running 15 mins late")
    assert row["done_words"] == "15 min late, told Day"
    assert scalar(desk, f"SELECT late_min FROM visit WHERE id = {reminded}") == 15
    assert says(desk, gateway, "running late")["done_at"] is None


def test_a_yes_and_a_late_are_taken_back(
    desk: Desk, reminded: int, gateway: FakeTexts, clock: ShiftedClock
) -> None:
    row = says(desk, gateway, "YES")
    take_back(desk, JUNO, row["id"])
    assert state(desk, reminded) == "booked"
    assert scalar(desk, f"SELECT done_at IS NULL FROM text_reply WHERE id = {row['id']}") == 1
    with pytest.raises(Conflict, match="already"):
        take_back(desk, JUNO, row["id"])
    clock.set_to(at(13, 50, DAY))
    late = says(desk, gateway, "15 min late")
    take_back(desk, JUNO, late["id"])
    assert scalar(desk, f"SELECT late_min FROM visit WHERE id = {reminded}") == 0


def test_a_cancel_is_taken_back_unless_the_time_is_gone(
    desk: Desk, reminded: int, gateway: FakeTexts
) -> None:
    row = says(desk, gateway, "cancel")
    other = visit(desk, add_patient(desk, first="Bram", phone="3605550102"))
    with pytest.raises(Conflict):
        take_back(desk, JUNO, row["id"])
    move_to(desk, other, DAY, "9:00")
    take_back(desk, JUNO, row["id"])
    assert state(desk, reminded) == "booked"
    assert scalar(desk, "SELECT COUNT(*) FROM waiting WHERE ended_at IS NULL") == 0


def test_a_visit_that_moved_on_is_not_taken_back(desk: Desk, reminded: int, gateway: FakeTexts) -> None:
    row = says(desk, gateway, "YES")
    move_to(desk, reminded, DAY, "9:00")
    with pytest.raises(Conflict, match="moved on"):
        take_back(desk, JUNO, row["id"])


def test_a_yes_that_an_offer_and_a_reminder_would_both_take_goes_to_a_person(
    desk: Desk, reminded: int, gateway: FakeTexts, outside: Outside, clock: ShiftedClock
) -> None:
    waits(desk, "Ada", 1)
    clock.set_to(at(8, 30, DAY - timedelta(days=1)))
    offer = make_offer(desk, JUNO, replace(OPENING, day=DAY + timedelta(days=1)))
    row = says(desk, gateway, "YES")
    assert row["done_at"] is None and state(desk, reminded) == "booked"
    assert places(desk, offer)["Ada"] == "sent"
    assert says(desk, gateway, "no thanks")["done_at"] is None or places(desk, offer)["Ada"] == "no"


def test_help_says_who_we_are(desk: Desk, gateway: FakeTexts, outside: Outside) -> None:
    says(desk, gateway, "HELP")
    works(desk, outside)
    assert texts(outside) == [
        (ADA, "Juniper Quay Clinic. Questions? Call (360) 555-0100. Reply STOP to get no more texts.")
    ]


def test_stop_after_a_reminder_is_obeyed(desk: Desk, reminded: int, gateway: FakeTexts) -> None:
    says(desk, gateway, "QUIT")
    assert scalar(desk, "SELECT texts_to FROM patient WHERE first = 'Ada'") == "none"
    assert state(desk, reminded) == "booked"


def called(desk: Desk, clock: ShiftedClock, outside: Outside) -> tuple[int, str]:
    only(desk, (Event.REMINDER, CALL, "1 day before at 5:30 pm"))
    found = visit(desk, add_patient(desk, first="Ada", phone=ADA))
    clock.set_to(at(17, 30, DAY - timedelta(days=1)))
    works(desk, outside)
    (row,) = log(desk)
    return found, row["request_key"]


def test_pressing_1_confirms_and_2_asks_to_be_called(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    found, key = called(desk, clock, outside)
    for _ in range(2):
        assert take_news(desk, News(key, What.PRESSED, pressed="1"))
    assert state(desk, found) == "confirmed" and log(desk)[0]["state"] == "answered"
    assert rows_of(desk, "SELECT reason FROM track_move WHERE to_stop = 'confirmed'") == [
        {"reason": "by call: “pressed 1”"}
    ]


def test_2_asks_to_be_called(desk: Desk, clock: ShiftedClock, outside: Outside) -> None:
    found, key = called(desk, clock, outside)
    take_news(desk, News(key, What.PRESSED, pressed="2"))
    take_news(desk, News(key, What.PRESSED, pressed="1"))
    assert state(desk, found) == "booked" and log(desk)[0]["asks"] == "call_back"


def test_a_call_nobody_takes_is_made_again_and_then_a_person_calls(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    _, key = called(desk, clock, outside)
    for _ in range(2):
        take_news(desk, News(key, What.NO_ANSWER))
    clock.set_to(at(17, 55, DAY - timedelta(days=1)))
    works(desk, outside)
    assert isinstance(outside.calls, FakeCalls) and len(outside.calls.placed) == 1
    clock.set_to(at(18, 1, DAY - timedelta(days=1)))
    works(desk, outside)
    assert len(outside.calls.placed) == 2
    take_news(desk, News(key + "+", What.MACHINE))
    assert [(row["state"], row["asks"]) for row in log(desk)] == [("no_answer", ""), ("machine", "no_one")]


def test_who_confirms_between_two_calls_is_not_called_again(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    found, key = called(desk, clock, outside)
    take_news(desk, News(key, What.NO_ANSWER))
    confirm(desk, JUNO, found)
    clock.set_to(at(18, 1, DAY - timedelta(days=1)))
    works(desk, outside)
    assert isinstance(outside.calls, FakeCalls) and len(outside.calls.placed) == 1


def test_a_number_that_fails_gets_nothing_more_and_a_landline_no_texts(
    desk: Desk, reminded: int, outside: Outside, clock: ShiftedClock
) -> None:
    (row,) = log(desk)
    take_news(desk, News(row["request_key"], What.LANDLINE))
    assert scalar(desk, f"SELECT kind FROM address WHERE address = '{ADA}'") == "landline"
    assert log(desk)[0]["asks"] == "bounced"
    visit(desk, scalar(desk, "SELECT id FROM patient WHERE first = 'Ada'"), day=DAY + timedelta(days=7))
    clock.set_to(at(16, 0, DAY + timedelta(days=5)))
    works(desk, outside)
    assert len(texts(outside)) == 1
    assert "a landline takes no texts" in [
        row["why_not"] for row in rows_of(desk, "SELECT why_not FROM notice_told")
    ]


@given(st.lists(st.sampled_from(list(What)), max_size=8))
@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_news_in_any_order_never_goes_back(desk: Desk, reminded: int, news: list[What]) -> None:
    (first, *_) = log(desk)
    rank = {"sent": 0, "no_answer": 1, "machine": 1, "failed": 1, "delivered": 2, "answered": 3}
    seen = [first["state"]]
    for what in news:
        take_news(desk, News(first["request_key"], what))
        seen.append(log(desk)[0]["state"])
    heights = [rank[each] for each in seen]
    assert heights == sorted(heights)
    assert take_news(desk, News("no-such-key", What.DELIVERED)) is False


SAID = (
    "yes no ok cancel late see you then tuesday wednesday at 2 4 pm but can we please thanks not dont keep my"
    " appointment move instead sorry"
)
MIXED = SAID.split()
DENIALS = [
    "don't",
    "do not",
    "no",
    "never",
    "please don't",
    "not",
    "why would I",
    "did you",
    "yes but",
    "unless you",
]


@given(
    st.sampled_from(DENIALS),
    st.sampled_from(["cancel", "cancel it", "cancel my appointment", "cancele", "cancelen"]),
    st.sampled_from(["", "?", " thanks", " please", " see you then", " 👍"]),
)
def test_a_cancel_that_something_turns_around_never_cancels(denial: str, cancel: str, after: str) -> None:
    when = When(DAY, 14 * 60)
    assert read_reply(f"{denial} {cancel}{after}", Asked.REMINDER, when).meaning is not Meaning.CANCEL


@given(st.lists(st.sampled_from(MIXED), max_size=7).map(" ".join))
def test_no_mix_of_words_cancels_beside_a_yes_a_but_or_a_no_before_it(words: str) -> None:
    read = read_reply(words, Asked.REMINDER, When(DAY, 14 * 60))
    if read.meaning is Meaning.CANCEL:
        said = words.split()
        assert "cancel" in said and not {"yes", "but", "keep", "move", "instead", "dont", "can"} & set(said)
        assert said.index("cancel") == 0 or said[said.index("cancel") - 1] not in {"no", "not", "dont"}

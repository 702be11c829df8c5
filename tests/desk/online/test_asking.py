"""Asking for a time online: a code proves the phone, the Book's rules hold, and nobody learns who is on
file.
"""

from __future__ import annotations

import re
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta

import pytest

from tests.conftest import JUNO, SAM, TODAY, TYPE_ID, add_patient, known_patient, order, rows_of, scalar
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Problems, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.web_requests import accept_requests, decline_requests
from zax.desk.online.asking import Typed, ask, asked, cancel_asked, confirm, move_asked
from zax.desk.online.codes import Browser, Purpose, text_again
from zax.desk.online.habits import OnlineHabits, keep_online_habits, types_shown
from zax.desk.online.times import Wanted, week_of
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside

PHONE = Browser((b"a secret of the server",), "a secret of the browser", "192.0.2.7")
DAY = TODAY + timedelta(days=7)
HELD = Typed(
    type_id=TYPE_ID["Sick visit"],
    site_id=1,
    provider_id=5,
    day=DAY,
    start=14 * 60,
    been_here=True,
    first="Tamsin",
    last="Ellery",
    birth="3/14/1988",
    phone="(360) 555-0137",
    message="It  hurts\nwhen I run",
    language="en",
)


@pytest.fixture(autouse=True)
def runs(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))


def code(desk: Desk) -> str:
    """The newest that was texted."""
    words = scalar(desk, "SELECT words FROM message WHERE event = 'code' ORDER BY id DESC LIMIT 1")
    found = re.match(r"(\d{3})-(\d{3}) ", words)
    assert found is not None
    return found[1] + found[2]


def asks(desk: Desk, typed: Typed = HELD) -> str:
    """All the way; the link."""
    return confirm(desk, PHONE, ask(desk, PHONE, typed), code(desk))


def visits(desk: Desk) -> list[tuple[str, int]]:
    return [(row["state"], row["patient_id"]) for row in rows_of(desk, "SELECT * FROM visit ORDER BY id")]


def test_a_time_is_held_for_the_desk_and_the_phone_is_told(desk: Desk, outside: Outside) -> None:
    link = asks(desk)
    ((state, patient),) = visits(desk)
    assert state == "held" and scalar(desk, "SELECT status FROM patient") == "asked"
    row = rows_of(desk, "SELECT web_message, held_until, start_min FROM visit")[0]
    assert (row["web_message"], row["start_min"]) == ("It hurts when I run", 14 * 60)
    assert row["held_until"] is not None
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert isinstance(outside.texts, FakeTexts)
    told = [words for to, words in outside.texts.sent.values() if to == "3605550137"]
    assert any(words.startswith("Hi Tamsin, you asked for Tue, Dec 1, 2:00 pm.") for words in told)
    assert asked(desk, link).visit.patient_id == patient and asked(desk, link).may_cancel


def test_accepted_they_are_a_patient_and_declined_they_stay_out_of_every_list(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    asks(desk)
    asks(desk, replace(HELD, first="Otto", phone="3605550138", start=15 * 60))
    one, two = [row["id"] for row in rows_of(desk, "SELECT id FROM visit ORDER BY id")]
    accept_requests(desk, JUNO, [one])
    decline_requests(desk, JUNO, [two])
    assert [row["status"] for row in rows_of(desk, "SELECT status FROM patient ORDER BY id")] == [
        "active",
        "asked",
    ]
    clock.set_to(clock.now() + timedelta(minutes=3))
    run_once(desk, outside, None)  # type: ignore[arg-type]
    told = rows_of(desk, "SELECT address, words FROM message WHERE request_key LIKE 'request-%' ORDER BY id")
    assert [row["address"] for row in told] == ["3605550137", "3605550138"]
    assert "look forward" in told[0]["words"] and "can’t offer" in told[1]["words"]


def test_somebody_known_is_recognized_by_name_birth_date_and_phone_alone(desk: Desk) -> None:
    known = add_patient(desk, first="Tamsin", last="Ellery", birth=date(1988, 3, 14), phone="3605550137")
    asks(desk)
    assert visits(desk) == [("held", known)]
    for number, other in enumerate(
        (
            replace(HELD, first="Tamson"),
            replace(HELD, birth="3/15/1988"),
            replace(HELD, phone="3605550139"),
        )
    ):
        asks(desk, replace(other, start=(8 + number) * 60, phone=f"36055501{40 + number}"))
    assert [each[1] for each in visits(desk)].count(known) == 1


def test_nothing_is_looked_up_before_the_code_and_every_answer_is_the_same(desk: Desk) -> None:
    """Kills: a page by which somebody finds out whether a name or a number is on file."""
    add_patient(desk, first="Tamsin", last="Ellery", birth=date(1988, 3, 14), phone="3605550137")
    unknown = replace(HELD, first="Nobody", last="Known", phone="3605550188")
    other = replace(PHONE, device="other")
    numbers = [ask(desk, PHONE, HELD), ask(desk, other, unknown)]
    texts = rows_of(desk, "SELECT words, patient_id FROM message ORDER BY id")
    assert len({re.sub(r"\d", "0", row["words"]) for row in texts}) == 1
    assert {row["patient_id"] for row in texts} == {None}
    for number, browser in zip(numbers, (PHONE, other), strict=True):
        with pytest.raises(Refused) as refused:
            confirm(desk, browser, number, "000000")
        assert refused.value.problems == {"code": refused.value.message}
    assert visits(desk) == []


def test_a_code_counts_once_in_its_own_browser_for_a_while(desk: Desk, clock: ShiftedClock) -> None:
    number = ask(desk, PHONE, HELD)
    right = code(desk)
    with pytest.raises(NotFound):
        confirm(desk, replace(PHONE, device="another"), number, right)
    text_again(desk, PHONE, Purpose.ASK, number)
    if code(desk) != right:
        with pytest.raises(Refused):
            confirm(desk, PHONE, number, right)
    confirm(desk, PHONE, number, code(desk))
    with pytest.raises(NotFound):
        confirm(desk, PHONE, number, code(desk))
    late = ask(desk, PHONE, replace(HELD, start=15 * 60))
    clock.set_to(clock.now() + timedelta(minutes=11))
    with pytest.raises(Refused, match="or it’s over"):
        confirm(desk, PHONE, late, code(desk))


def test_guessing_ends_after_five_also_by_many_at_once(desk: Desk) -> None:
    number = ask(desk, PHONE, HELD)
    right = code(desk)

    def guess(at: int) -> str:
        try:
            return confirm(desk, PHONE, number, f"{(int(right) + at) % 1_000_000:06d}")
        except Refused as error:
            return str(error)

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(guess, range(1, 30)))
    assert scalar(desk, "SELECT tries FROM online_code") == 5
    with pytest.raises(Refused):
        confirm(desk, PHONE, number, right)
    assert visits(desk) == []


@pytest.mark.parametrize(
    ("change", "most"),
    [
        (lambda n: {"phone": f"36055502{n:02}", "address": "192.0.2.7"}, 20),
        (lambda n: {"phone": "3605550137", "address": f"192.0.2.{n}"}, 3),
    ],
)
def test_who_tries_too_often_is_told_to_call(desk: Desk, change: object, most: int) -> None:

    def tries(number: int) -> None:
        changes = change(number)  # type: ignore[operator]
        at = replace(PHONE, address=changes["address"])
        ask(desk, at, replace(HELD, phone=changes["phone"]))

    for number in range(most):
        tries(number)
    with pytest.raises(Refused, match="too many tries"):
        tries(most)
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE event = 'code'") == most
    kept = " ".join(row["who"] for row in rows_of(desk, "SELECT who FROM online_try"))
    assert "3605550137" not in kept and "192.0.2" not in kept


def test_two_who_want_one_time_and_the_desk_get_it_once(desk: Desk) -> None:
    numbers, codes = [], []

    def browser(n: int) -> Browser:
        return replace(PHONE, device=f"d{n}", address=f"192.0.2.{n}")

    for n in range(3):
        typed = replace(HELD, first=f"P{'abc'[n]}", phone=f"360555013{n}")
        numbers.append(ask(desk, browser(n), typed))
        codes.append(code(desk))

    def go(n: int) -> str:
        try:
            if n == 3:
                book_visit(desk, JUNO, order(add_patient(desk), 5, "14:00", day=DAY))
                return "got it"
            confirm(desk, browser(n), numbers[n], codes[n])
            return "got it"
        except Exception as error:  # noqa: BLE001
            return type(error).__name__

    with ThreadPoolExecutor(4) as pool:
        said = list(pool.map(go, range(4)))
    assert said.count("got it") == 1, said
    assert scalar(desk, "SELECT COUNT(*) FROM visit WHERE state IN ('held', 'booked')") == 1


def test_a_firm_type_is_booked_at_once_under_every_rule(desk: Desk) -> None:
    firm = replace(HELD, type_id=TYPE_ID["Vaccines"])
    asks(desk, firm)
    assert [state for state, _ in visits(desk)] == ["booked"]
    assert scalar(desk, "SELECT status FROM patient") == "active"
    with pytest.raises(Refused, match="gone"):
        asks(desk, replace(HELD, first="Otto", phone="3605550138"))
    with pytest.raises(Refused):
        asks(desk, replace(firm, first="Otto", phone="3605550138", start=3 * 60))


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"first": ""}, "first"),
        ({"last": "9"}, "last"),
        ({"birth": "tomorrow"}, "birth"),
        ({"birth": "1/1/2090"}, "birth"),
        ({"phone": "555-0137"}, "phone"),
        ({"phone": ""}, "phone"),
    ],
)
def test_what_is_wrong_stands_beside_its_field_and_nothing_is_kept(
    desk: Desk, changes: dict[str, str], field: str
) -> None:
    with pytest.raises(Problems) as refused:
        ask(desk, PHONE, replace(HELD, **changes))  # type: ignore[arg-type]
    assert set(refused.value.problems) == {field}
    assert scalar(desk, "SELECT COUNT(*) FROM online_request") == 0


@pytest.mark.parametrize(
    "changes",
    [
        {"type_id": TYPE_ID["Root canal"]},
        {"type_id": 999},
        {"day": TODAY + timedelta(days=61)},
        {"day": TODAY - timedelta(days=1)},
        {"day": TODAY, "start": 11 * 60},
    ],
)
def test_what_isnt_shown_cant_be_asked_for(desk: Desk, changes: dict[str, object]) -> None:
    with pytest.raises(Refused):
        ask(desk, PHONE, replace(HELD, **changes))  # type: ignore[arg-type]


def test_switched_off_nothing_goes(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=False))
    with pytest.raises(Refused, match="switched off"):
        ask(desk, PHONE, HELD)
    with pytest.raises(Problems):
        keep_online_habits(desk, SAM, OnlineHabits(days_ahead=0))


def test_only_so_many_times_a_day_are_seen_and_none_too_soon(desk: Desk) -> None:
    wanted = Wanted(type_id=HELD.type_id, site_id=1, first=TODAY)
    with desk.engine.connect() as connection:
        week = week_of(connection, desk.clinic, wanted, desk.clock.now())
        last = week_of(
            connection, desk.clinic, replace(wanted, first=TODAY + timedelta(days=58)), desk.clock.now()
        )
        morning = week_of(connection, desk.clinic, replace(wanted, part="mornings"), desk.clock.now())
    assert len(week.days) == 7 and all(len(found) <= 4 for found in week.days.values())
    assert all(each.start >= 14 * 60 + 42 for each in week.days[TODAY])
    assert max(last.days) == TODAY + timedelta(days=60)
    assert week.soonest is not None and week.soonest.day == TODAY
    assert all(each.start < 12 * 60 for found in morning.days.values() for each in found)
    assert {kind.name for kind in types_shown(desk.clinic, True)} >= {"Hygiene", "Sick visit", "Vaccines"}


def test_it_is_canceled_on_its_page_within_the_clinics_hours(desk: Desk, clock: ShiftedClock) -> None:
    known_patient(desk)
    link = asks(desk, replace(HELD, type_id=TYPE_ID["Vaccines"]))
    other = asks(
        desk, replace(HELD, type_id=TYPE_ID["Vaccines"], start=16 * 60, first="Otto", phone="3605550138")
    )
    cancel_asked(desk, link)
    assert asked(desk, link).visit.state == "canceled" and not asked(desk, link).may_cancel
    clock.set_to(clock.now() + timedelta(days=6, hours=10))
    with pytest.raises(Refused, match="too close"):
        cancel_asked(desk, other)
    for wrong in ("", "x", "y" * 24, "z" * 300):
        with pytest.raises(NotFound):
            asked(desk, wrong)


def test_it_is_moved_on_its_page_to_a_free_time_alone(desk: Desk, clock: ShiftedClock) -> None:
    link = asks(desk)
    book_visit(desk, JUNO, order(add_patient(desk), 5, "15:00", day=DAY))
    with pytest.raises(Conflict):
        move_asked(desk, link, 1, DAY, 15 * 60, 5)
    with pytest.raises(Refused, match="gone"):
        move_asked(desk, link, 1, TODAY + timedelta(days=90), 15 * 60, 5)
    move_asked(desk, link, 1, DAY, 16 * 60, 5)
    row = rows_of(desk, "SELECT state, start_min FROM visit ORDER BY id")[0]
    assert row == {"state": "held", "start_min": 16 * 60}
    told = rows_of(desk, "SELECT words FROM message WHERE request_key LIKE 'moved-online%'")
    assert told[0]["words"].startswith("Hi Tamsin, it's moved: Tue, Dec 1, 4:00 pm.")
    clock.set_to(clock.now() + timedelta(days=7))
    with pytest.raises(Refused, match="too close"):
        move_asked(desk, link, 1, DAY + timedelta(days=1), 16 * 60, 5)


def test_who_wants_no_texts_and_has_no_mail_is_left_to_a_call(desk: Desk) -> None:
    add_patient(
        desk,
        first="Tamsin",
        last="Ellery",
        birth=date(1988, 3, 14),
        phone="3605550137",
        email="",
        texts_to="none",
    )
    asks(desk)
    accept_requests(desk, JUNO, [scalar(desk, "SELECT id FROM visit")])
    assert rows_of(desk, "SELECT id FROM message WHERE request_key LIKE 'request-%'") == []


def test_the_worker_forgets_who_tried(desk: Desk, outside: Outside, clock: ShiftedClock) -> None:
    ask(desk, PHONE, HELD)
    assert scalar(desk, "SELECT COUNT(*) FROM online_try") == 3
    clock.set_to(clock.now() + timedelta(hours=25))
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert scalar(desk, "SELECT COUNT(*) FROM online_try") == 0

"""Changing the Book, against a real MariaDB: move, shelve, cancel, a day off, undo, and many
desks at once.
"""

import random
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta

import pytest
from sqlalchemy import insert

from tests.conftest import INES, JUNO, RAVI, SAM, TODAY, add_patient, at, order, scalar, state_of
from tests.desk.acting import ROOMS, TOMORROW, booked, row, to, undo, waiting
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Refused, Stale, ZaxError
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import did_not_come, left_unseen, take_day_off, take_off
from zax.desk.book.moving import MoveOrder, move_visit, replace_patient
from zax.desk.book.planned import drop_planned, plan_service
from zax.desk.book.shelf import put_back, share, shelve
from zax.desk.book.track import confirm, take_to_room
from zax.desk.book.undo import last_act, undo_act
from zax.desk.book.waitlist import wait_for
from zax.desk.charges.charges import add_line, remove_line
from zax.desk.charges.finishing import ready_for_checkout
from zax.store import schema
from zax.store.book.planned import planned_for
from zax.store.book.shelf import on_shelf
from zax.store.money import queries as money
from zax.store.patients.attendance import attendance_of


# --- moving
def test_a_visit_moves_with_everything_about_it_and_is_no_longer_confirmed(desk: Desk) -> None:
    visit_id = booked(desk, "13:30", 2, "Hygiene", note="nervous")
    confirm(desk, JUNO, visit_id)
    move_visit(desk, JUNO, visit_id, to("9:00", 4, TOMORROW))
    moved = row(desk, visit_id)
    assert (moved.day, moved.start_min, moved.provider_id, moved.state, moved.note) == (
        TOMORROW,
        540,
        4,
        "booked",
        "nervous",
    )
    assert (
        scalar(
            desk, "SELECT COUNT(*) FROM staff_slot WHERE visit_id = :v AND day = :d", v=visit_id, d=TOMORROW
        )
        == 2
    )
    with desk.engine.connect() as connection:
        assert {line.provider_id for line in money.visit_lines(connection, visit_id)} >= {4}
    assert booked(desk, "13:30", 2, "Hygiene")


def test_a_longer_visit_stays_confirmed_and_never_runs_into_the_next(desk: Desk) -> None:
    visit_id, _ = booked(desk, "14:00"), booked(desk, "14:45", first="Next")
    confirm(desk, JUNO, visit_id)
    move_visit(desk, JUNO, visit_id, to("14:00", minutes="45"))
    assert (row(desk, visit_id).minutes, state_of(desk, visit_id)) == (45, "confirmed")
    with pytest.raises(Conflict, match="taken 2:45 to 3:15 pm by Next"):
        move_visit(desk, JUNO, visit_id, to("14:00", minutes="50"))


@pytest.mark.parametrize(
    ("order_", "says"),
    [
        (lambda: to("9:00"), "has passed"),
        (lambda: to("14:00", 1), "does not do"),
        (lambda: to("12:30"), "does not work"),
        (lambda: to("14:02"), "steps of 5"),
        (lambda: to("x"), "isn’t a time"),
        (lambda: to("14:00", minutes="7"), "steps of 5"),
        (lambda: to("14:00", day=TODAY - timedelta(days=1)), "has passed"),
        (lambda: to("14:00", day=date(2026, 11, 26)), "Thanksgiving"),
        (lambda: to("14:00", room=1), "not equipped"),
    ],
)
def test_where_a_visit_cannot_go(desk: Desk, order_: Callable[[], MoveOrder], says: str) -> None:
    visit_id = booked(desk)
    with pytest.raises(ZaxError) as refused:
        move_visit(desk, JUNO, visit_id, order_())
    assert any(says in words for words in refused.value.problems.values())
    assert row(desk, visit_id).version == 1


def test_who_is_here_can_be_given_more_time_but_not_moved(desk: Desk) -> None:
    visit_id = booked(desk, "11:00")
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    move_visit(desk, JUNO, visit_id, to("11:00", minutes="40"))
    with pytest.raises(Refused, match="already here"):
        move_visit(desk, JUNO, visit_id, to("11:30"))


def test_a_stale_move_says_who_moved_it(desk: Desk) -> None:
    visit_id = booked(desk)
    move_visit(desk, RAVI, visit_id, to("15:00"), 1)
    with pytest.raises(Stale, match="Ravi Teller moved it to Nov 24, 3:00 pm, Dr. Abernathy just now"):
        move_visit(desk, JUNO, visit_id, to("16:00"), 1)
    with pytest.raises(NotFound):
        move_visit(desk, JUNO, 10**8, to("16:00"))


def test_past_days_stay_as_they_were_but_for_the_track(desk: Desk, clock: ShiftedClock) -> None:
    visit_id, other = booked(desk, "11:00"), booked(desk, "15:00")
    clock.set_to(at(10, day=TOMORROW))
    for refused in (
        lambda: move_visit(desk, JUNO, visit_id, to("11:00", day=TOMORROW)),
        lambda: take_off(desk, JUNO, visit_id, "declined"),
        lambda: shelve(desk, JUNO, [visit_id]),
        lambda: replace_patient(desk, JUNO, visit_id, 1),
    ):
        with pytest.raises(Refused, match="That day is over"):
            refused()
    with pytest.raises(Refused, match="Say briefly why"):
        did_not_come(desk, JUNO, visit_id)
    did_not_come(desk, JUNO, visit_id, reason="never showed up, forgotten yesterday")
    with pytest.raises(Refused):
        check_in(desk, JUNO, other)
    check_in(desk, JUNO, other, reason="was here, forgotten yesterday")
    assert (state_of(desk, visit_id), state_of(desk, other)) == ("missed", "here")


def test_whoever_was_expected_in_a_room_taken_by_another_gets_a_free_one(desk: Desk) -> None:
    ctx, expected = booked(desk, "11:00", 5), booked(desk, "11:10", 6)
    room = row(desk, expected).room_id
    assert row(desk, ctx).room_id != room
    check_in(desk, JUNO, ctx)
    take_to_room(desk, JUNO, ctx, room)
    assert row(desk, ctx).room_id == room and row(desk, expected).room_id not in {room}
    assert scalar(desk, ROOMS) == 0


# --- double booking
def test_double_booking_where_provider_and_types_allow_it_and_never_a_third_or_a_room(desk: Desk) -> None:
    first, second = booked(desk, "15:00", 6, "Follow-up"), booked(desk, "15:00", 6, "Vaccines")
    assert row(desk, first).room_id != row(desk, second).room_id
    with pytest.raises(Conflict):
        booked(desk, "15:10", 6, "Follow-up")
    with pytest.raises(Conflict):
        booked(desk, "15:00", 5, "Follow-up"), booked(desk, "15:00", 5, "Follow-up")
    booked(desk, "16:00", 6, "Sick visit")
    with pytest.raises(Conflict):
        booked(desk, "16:00", 6, "Follow-up")


def test_nobody_is_in_two_chairs_at_once(desk: Desk) -> None:
    patient = add_patient(desk)
    book_visit(desk, JUNO, order(patient, 5, "14:00"))
    with pytest.raises(Conflict) as twice:
        book_visit(desk, JUNO, order(patient, 6, "14:15"))
    assert "from 2:00 to 2:30 pm" in twice.value.problems["patient"]


# --- shelf
def test_the_shelf_frees_the_time_and_says_who_put_what_when(desk: Desk) -> None:
    mine, shared = booked(desk, "14:00"), booked(desk, "15:00")
    shelve(desk, JUNO, [mine], "car trouble", version=1)
    shelve(desk, RAVI, [shared], "", True)
    with desk.engine.connect() as connection:
        assert [(each.visit_id, each.who, each.words) for each in on_shelf(connection, JUNO.id)] == [
            (mine, "Juno Park", "car trouble"),
            (shared, "Ravi Teller", ""),
        ]
        assert [each.visit_id for each in on_shelf(connection, SAM.id)] == [shared]
    taker = booked(desk, "14:00", first="Taker")
    with pytest.raises(Conflict, match="now has Taker"):
        put_back(desk, JUNO, mine)
    move_visit(desk, JUNO, mine, to("16:00"))
    share(desk, RAVI, shared, False)
    put_back(desk, RAVI, shared)
    assert [state_of(desk, v) for v in (mine, shared, taker)] == ["booked"] * 3
    assert scalar(desk, "SELECT COUNT(*) FROM shelf") == 0
    with pytest.raises(Refused):
        share(desk, JUNO, mine, True)


def test_a_shelved_visit_whose_day_is_over_can_still_be_placed_or_taken_off(
    desk: Desk, clock: ShiftedClock
) -> None:
    placed, gone = booked(desk, "14:00"), booked(desk, "15:00")
    shelve(desk, JUNO, [placed, gone])
    clock.set_to(at(10, day=TOMORROW))
    with pytest.raises(Refused, match="Place the visit on a later day"):
        put_back(desk, JUNO, placed)
    move_visit(desk, JUNO, placed, to("14:00", day=TOMORROW))
    take_off(desk, JUNO, gone, "wants")
    assert (state_of(desk, placed), state_of(desk, gone)) == ("booked", "canceled")


def test_put_back_keeps_a_confirmation(desk: Desk) -> None:
    visit_id = booked(desk)
    confirm(desk, JUNO, visit_id)
    shelve(desk, JUNO, [visit_id])
    put_back(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "confirmed"
    check_in(desk, JUNO, visit_id)
    with pytest.raises(Refused, match="isn’t expected anymore"):
        shelve(desk, JUNO, [visit_id])


# --- canceling
@pytest.mark.parametrize(
    ("why", "words", "waits"),
    [
        ("wants", "no visits yet, canceled 1", True),
        ("declined", "no visits yet, canceled 1", False),
        ("clinic", "no visits yet", True),
        ("mistake", "no visits yet", False),
    ],
)
def test_why_a_visit_is_taken_off_decides_what_follows(desk: Desk, why: str, words: str, waits: bool) -> None:
    patient = add_patient(desk)
    visit_id = book_visit(desk, JUNO, order(patient))
    take_off(desk, JUNO, visit_id, why, "a note")
    with desk.engine.connect() as connection:
        assert attendance_of(connection, patient).words == words
    assert waiting(desk) == ([("Helen Vasquez", "lost")] if waits else [])
    assert scalar(
        desk, "SELECT reason FROM track_move WHERE visit_id = :v AND to_stop = 'canceled'", v=visit_id
    ).endswith("a note")


def test_attendance_counts_every_visit(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    for start in ("11:00", "11:30"):
        check_in(desk, JUNO, book_visit(desk, JUNO, order(patient, start=start)))
    for start in ("13:15", "13:45"):
        take_off(desk, JUNO, book_visit(desk, JUNO, order(patient, start=start)), "declined")
    missed = [book_visit(desk, JUNO, order(patient, start=start)) for start in ("14:30", "15:00", "15:30")]
    clock.set_to(at(16))
    for visit_id in missed:
        did_not_come(desk, JUNO, visit_id)
    with desk.engine.connect() as connection:
        assert attendance_of(connection, patient).words == "missed 3 of 5, canceled 2"


def test_planned_work_goes_back_to_planned_and_is_offered_again(desk: Desk) -> None:
    patient = add_patient(desk)
    plan_service(desk, INES, patient, SERVICE_ID["D2392"], "14", "MO")
    with desk.engine.connect() as connection:
        planned = planned_for(connection, patient)
    visit_id = book_visit(desk, JUNO, order(patient, 1, "14:00", "Filling", planned=(planned[0].id,)))
    add_line(desk, INES, visit_id, SERVICE_ID["D9230"])
    with desk.engine.connect() as connection:
        lines = money.visit_lines(connection, visit_id)
        assert [(line.service_id, line.tooth) for line in lines] == [
            (SERVICE_ID["D2392"], "14"),
            (SERVICE_ID["D9230"], ""),
        ]
        assert planned_for(connection, patient) == []
    with pytest.raises(Refused, match="A visit is booked"):
        drop_planned(desk, INES, planned[0].id)
    remove_line(desk, INES, visit_id, lines[0].id)
    with desk.engine.connect() as connection:
        assert len(planned_for(connection, patient)) == 1
    take_off(desk, JUNO, visit_id, "declined")
    with desk.engine.connect() as connection:
        assert {each.service_id for each in planned_for(connection, patient)} == {
            SERVICE_ID["D2392"],
            SERVICE_ID["D9230"],
        }
    assert drop_planned(desk, INES, planned[0].id) == patient


def test_planned_work_that_was_done_is_not_offered_again(desk: Desk) -> None:
    patient = add_patient(desk)
    plan_service(desk, INES, patient, SERVICE_ID["36415"], "", "")
    with desk.engine.connect() as connection:
        planned = planned_for(connection, patient)
    visit_id = book_visit(desk, JUNO, order(patient, 5, "11:00", "Follow-up", planned=(planned[0].id,)))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    with desk.engine.begin() as connection:
        connection.execute(insert(schema.visit_diagnosis).values(visit_id=visit_id, position=1, code="I10"))
    ready_for_checkout(desk, JUNO, visit_id)
    assert scalar(desk, "SELECT done_at IS NOT NULL FROM planned_service") == 1


def test_who_comes_after_all_gets_their_time_only_if_nobody_else_has_it(
    desk: Desk, clock: ShiftedClock
) -> None:
    visit_id = booked(desk, "11:00")
    clock.set_to(at(11, 5))
    did_not_come(desk, JUNO, visit_id)
    taker = booked(desk, "11:10", first="Taker")
    with pytest.raises(Conflict, match="now has Taker"):
        check_in(desk, JUNO, visit_id)
    take_off(desk, JUNO, taker, "mistake")
    check_in(desk, JUNO, visit_id)
    assert waiting(desk) == []


def test_a_whole_day_off_in_one_act_and_back(desk: Desk) -> None:
    own, hygiene = (
        booked(desk, "16:00", 1, "Filling", first="Own"),
        booked(desk, "13:30", 2, "Hygiene", first="Exam"),
    )
    assert (
        scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene)
        == 1
    )
    check_in_me = booked(desk, "11:00", 1, "Toothache", first="Here")
    check_in(desk, JUNO, check_in_me)
    with pytest.raises(Refused):
        take_day_off(desk, JUNO, 1, TODAY, " ")
    done = take_day_off(desk, JUNO, 1, TODAY, "ill")
    assert (done["off"], done["others"], done["stay"]) == (
        ["4:00 pm Own Vasquez"],
        ["1:30 pm Exam Vasquez"],
        ["11:00 am Here Vasquez"],
    )
    assert (
        scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene)
        == 3
    )
    assert waiting(desk) == [("Own Vasquez", "lost")]
    assert (
        scalar(desk, "SELECT note FROM waiting") == "ill"
        and scalar(desk, "SELECT value_cents FROM waiting") == 28600
    )
    with pytest.raises(Refused, match="ill"):
        booked(desk, "15:00", 1, "Filling")
    assert undo(desk) == "took Dr. Calloway’s Nov 24 off, 1 visits to the waitlist"
    assert (state_of(desk, own), waiting(desk)) == ("booked", [])
    assert (
        scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene)
        == 1
    )
    assert booked(desk, "15:00", 1, "Filling")


# --- undo
def test_undo_puts_everything_back_until_something_else_happened(desk: Desk) -> None:
    visit_id = booked(desk, "14:00", first="Ana")
    confirm(desk, JUNO, visit_id)
    before = replace(row(desk, visit_id), version=0)
    move_visit(desk, JUNO, visit_id, to("15:00", 6))
    assert undo(desk) == "moved Ana Vasquez to Nov 24, 3:00 pm, N. Ferro"
    assert replace(row(desk, visit_id), version=0) == before
    shelve(desk, JUNO, [visit_id])
    undo(desk)
    take_off(desk, JUNO, visit_id, "wants")
    undo(desk)
    assert (state_of(desk, visit_id), waiting(desk)) == ("confirmed", [])
    move_visit(desk, JUNO, visit_id, to("15:00"))
    confirm(desk, RAVI, visit_id)
    with pytest.raises(Conflict, match="Ravi Teller has changed the visit of Ana Vasquez since"):
        undo(desk)


def test_an_undone_booking_leaves_no_trace_in_the_way(desk: Desk) -> None:
    patient = add_patient(desk)
    wait_for(desk, JUNO, patient, "short", TYPE_ID["Sick visit"], 0, 1, "")
    visit_id = book_visit(desk, JUNO, order(patient, sooner=True))
    assert waiting(desk) == [("Helen Vasquez", "sooner")]
    undo(desk)
    assert (state_of(desk, visit_id), waiting(desk)) == ("canceled", [("Helen Vasquez", "short")])
    with desk.engine.connect() as connection:
        assert last_act(connection, JUNO.id, desk.clock.now()) is None
        assert attendance_of(connection, patient).canceled == 0
    assert booked(desk, "14:00")


def test_undo_is_refused_when_the_time_is_gone_twice_and_by_others(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = booked(desk, "14:00", first="Ana")
    move_visit(desk, JUNO, visit_id, to("15:00"))
    book_visit(desk, RAVI, order(add_patient(desk, first="Ben"), 5, "14:00"))
    with pytest.raises(Conflict, match="now has Ben Vasquez at 2:00 pm"):
        undo(desk)
    act_id = scalar(desk, "SELECT MAX(id) FROM book_act WHERE by_id = 1")
    with pytest.raises(NotFound):
        undo_act(desk, RAVI, act_id)
    clock.set_to(at(23, 59))
    with pytest.raises(Refused, match="too long ago"):
        undo_act(desk, JUNO, act_id)


def test_services_added_since_keep_an_act_from_being_undone(desk: Desk) -> None:
    visit_id = booked(desk)
    move_visit(desk, JUNO, visit_id, to("15:00"))
    add_line(desk, RAVI, visit_id, SERVICE_ID["36415"])
    with pytest.raises(Conflict, match="Ravi Teller has changed"):
        undo(desk)


# --- the wrong patient
def test_a_wrongly_picked_patient_is_replaced_in_place(desk: Desk) -> None:
    wrong, right = add_patient(desk, first="Wrong"), add_patient(desk, first="Right")
    visit_id = book_visit(desk, JUNO, order(wrong))
    book_visit(desk, JUNO, order(right, 6, "15:00"))
    replace_patient(desk, JUNO, visit_id, right, 1)
    assert row(desk, visit_id).patient_id == right
    clash = book_visit(desk, JUNO, order(wrong, 5, "15:00"))
    with pytest.raises(Conflict):
        replace_patient(desk, JUNO, clash, right)
    with pytest.raises(Refused):
        replace_patient(desk, JUNO, visit_id, None)


# --- many desks at once
DOUBLES = """
SELECT COUNT(*) FROM staff_slot a JOIN staff_slot b
ON a.provider_id = b.provider_id AND a.day = b.day AND a.id < b.id AND a.visit_id <> b.visit_id
AND a.start_min < b.end_min AND b.start_min < a.end_min
JOIN visit v ON v.id = a.visit_id JOIN visit w ON w.id = b.visit_id
WHERE v.state NOT IN ('missed', 'canceled', 'shelf') AND w.state NOT IN ('missed', 'canceled', 'shelf')
AND a.provider_id <> 6
"""


def test_many_desks_at_once_lose_no_visit_and_book_nobody_twice(desk: Desk) -> None:
    patients = [add_patient(desk, first=f"P{n}") for n in range(24)]
    actors = [JUNO, RAVI, SAM]

    def one(number: int) -> int:
        dice, actor, made = random.Random(number), actors[number % 3], 0
        mine: list[int] = []
        for _ in range(9):
            start, provider = dice.choice(range(780, 960, 10)), dice.choice((1, 2, 3, 4))
            clock = f"{start // 60}:{start % 60:02d}"
            try:
                what = dice.random()
                if what < 0.45 or not mine:
                    kind = "Hygiene" if provider in {2, 4} else "Filling"
                    mine.append(
                        book_visit(desk, actor, order(patients[number * 2 + made % 2], provider, clock, kind))
                    )
                    made += 1
                elif what < 0.65:
                    move_visit(
                        desk, actor, dice.choice(mine), to(clock, provider, dice.choice((TODAY, TOMORROW)))
                    )
                elif what < 0.75:
                    shelve(desk, actor, [dice.choice(mine)])
                elif what < 0.82:
                    put_back(desk, actor, dice.choice(mine))
                elif what < 0.9:
                    take_off(desk, actor, dice.choice(mine), "wants")
                else:
                    undo(desk, actor)
            except (ZaxError, AssertionError):
                continue
        return made

    with ThreadPoolExecutor(12) as pool:
        made = sum(pool.map(one, range(12)))
    assert made >= 6  # enough got through at once to say something; how many is a matter of timing
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == made
    assert (scalar(desk, DOUBLES), scalar(desk, ROOMS)) == (0, 0)
    assert (
        scalar(
            desk,
            "SELECT COUNT(*) FROM visit v WHERE v.state = 'shelf' AND NOT EXISTS (SELECT 1 FROM shelf s WHERE"
            " s.visit_id = v.id)",
        )
        == 0
    )
    assert (
        scalar(
            desk, "SELECT COUNT(*) FROM shelf s JOIN visit v ON v.id = s.visit_id WHERE v.state <> 'shelf'"
        )
        == 0
    )


@pytest.mark.parametrize("in_room", [False, True])
def test_who_leaves_without_being_seen_is_counted_and_not_billed(desk: Desk, in_room: bool) -> None:
    """Kills: an end that reads as canceled by the patient, a charge of it, a room that stays taken."""
    patient = add_patient(desk)
    visit_id = book_visit(desk, JUNO, order(patient, 5, "11:00"))
    with pytest.raises(Conflict, match="Only someone who is here"):
        left_unseen(desk, JUNO, visit_id)
    check_in(desk, JUNO, visit_id)
    if in_room:
        take_to_room(desk, JUNO, visit_id)
    left_unseen(desk, JUNO, visit_id, "waited too long")
    assert state_of(desk, visit_id) == "canceled"
    reason = "SELECT reason FROM track_move WHERE visit_id = :v AND to_stop = 'canceled'"
    assert scalar(desk, reason, v=visit_id) == "Left without being seen: waited too long"
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == 0 == scalar(desk, "SELECT COUNT(*) FROM claim")
    assert [name for name, _ in waiting(desk)] == ["Helen Vasquez"]
    with desk.engine.connect() as connection:
        kept = attendance_of(connection, patient)
    assert (kept.unseen, kept.canceled, kept.missed, kept.kept) == (1, 0, 0, 0)
    assert undo(desk) == "marked Helen Vasquez as left without being seen"
    assert state_of(desk, visit_id) == ("room" if in_room else "here") and waiting(desk) == []
    left_unseen(desk, JUNO, visit_id)
    assert booked(desk, "11:00", 5)  # the time is free again

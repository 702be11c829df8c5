"""What the desk does on the Book, against a real MariaDB: move, shelve, take off, a day off, the waitlist, web requests, series, undo."""

import random
from concurrent.futures import ThreadPoolExecutor
from datetime import date, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import insert, text, update

from tests.conftest import INES, JUNO, RAVI, SAM, TODAY, add_patient, at, order, scalar, state_of
from zax.clock import ShiftedClock
from zax.core.book.waitlist import best_for, stale_first
from zax.core.errors import Conflict, NotAllowed, NotFound, Refused, Stale, ZaxError
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.book import book_many, book_visit
from zax.desk.charges import add_line, ready_for_checkout, remove_line
from zax.desk.clinic import load
from zax.desk.held import accept_requests, decline_requests, release_held
from zax.desk.move import MoveOrder, move_visit, replace_patient
from zax.desk.off import did_not_come, take_day_off, take_off
from zax.desk.openings import Part, Request, Target, find_openings, places_for
from zax.desk.planned import drop_planned, household_of, plan_service, planned_for, set_wishes
from zax.desk.series import Member, plan_household, plan_series
from zax.desk.shelf import on_shelf, put_back, share, shelve
from zax.desk.tally import tally_of
from zax.desk.track import check_in, confirm, take_to_room
from zax.desk.undo import last_act, undo_act
from zax.desk.unit import Desk
from zax.desk.waitlist import chosen, entries, leave_waitlist, note_try, open_times, still_waits, wait_for
from zax.desk.worker import run_once
from zax.outside.doors import Outside
from zax.store import money, schema, visits

TOMORROW = TODAY + timedelta(days=1)
NOON = (TODAY.isoformat(), 10 * 60 + 42)


def booked(desk: Desk, start: str = "14:00", provider: int = 5, kind: str = "Sick visit", **more: Any) -> int:
    name = more.pop("first", f"P{random.randrange(10**6)}")
    return book_visit(desk, JUNO, order(add_patient(desk, first=name), provider, start, kind, **more))


def row(desk: Desk, visit_id: int) -> Any:
    with desk.engine.connect() as connection:
        return visits.one_visit(connection, visit_id)


def to(
    start: str, provider: int = 5, day: date = TODAY, minutes: str = "", site: int = 1, room: int = 0
) -> MoveOrder:
    return MoveOrder(site, day, start, provider, minutes, room)


def undo(desk: Desk, actor: Any = JUNO) -> str:
    with desk.engine.connect() as connection:
        found = last_act(connection, actor.id, desk.clock.now())
    assert found is not None
    return undo_act(desk, actor, found.id)


def waiting(desk: Desk) -> list[tuple[str, str]]:
    with desk.engine.connect() as connection:
        return [(e.name, "+".join(r.why for r in e.reasons)) for e in entries(connection, desk.clinic, 1)]


# --- moving --------------------------------------------------------------------------------------------------------
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
        scalar(desk, "SELECT COUNT(*) FROM staff_slot WHERE visit_id = :v AND day = :d", v=visit_id, d=TOMORROW) == 2
    )
    with desk.engine.connect() as connection:
        assert {line.provider_id for line in money.visit_lines(connection, visit_id)} >= {4}
    assert booked(desk, "13:30", 2, "Hygiene")


def test_a_longer_visit_stays_confirmed_and_never_runs_into_the_next(desk: Desk) -> None:
    visit_id, _ = booked(desk, "14:00"), booked(desk, "14:45", first="Next")
    confirm(desk, JUNO, visit_id)
    move_visit(desk, JUNO, visit_id, to("14:00", minutes="45"))
    assert (row(desk, visit_id).minutes, state_of(desk, visit_id)) == (45, "confirmed")
    with pytest.raises(Conflict, match="taken 14:45 to 15:15 by Next"):
        move_visit(desk, JUNO, visit_id, to("14:00", minutes="50"))


@pytest.mark.parametrize(
    ("order_", "says"),
    [
        (to("9:00"), "has passed"), (to("14:00", 1), "does not do"), (to("12:30"), "does not work"), (to("14:02"), "steps of 5"), (to("x"), "not a time"),
        (to("14:00", minutes="7"), "steps of 5"), (to("14:00", day=TODAY - timedelta(days=1)), "has passed"), (to("14:00", day=date(2026, 11, 26)), "Thanksgiving"),
        (to("14:00", room=1), "not equipped"),
    ],
)  # fmt: skip
def test_where_a_visit_cannot_go(desk: Desk, order_: MoveOrder, says: str) -> None:
    visit_id = booked(desk)
    with pytest.raises(ZaxError) as refused:
        move_visit(desk, JUNO, visit_id, order_)
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
    with pytest.raises(Stale, match="Ravi Teller moved it to 24 Nov 15:00, Dr. Abernathy just now"):
        move_visit(desk, JUNO, visit_id, to("16:00"), 1)
    with pytest.raises(NotFound):
        move_visit(desk, JUNO, 10**8, to("16:00"))


def test_past_days_stay_as_they_were_but_for_the_track(desk: Desk, clock: ShiftedClock) -> None:
    visit_id, other = booked(desk, "11:00"), booked(desk, "15:00")
    clock.set_to(at(10, day=TOMORROW))
    for refused in (
        lambda: move_visit(desk, JUNO, visit_id, to("11:00", day=TOMORROW)), lambda: take_off(desk, JUNO, visit_id, "declined"),
        lambda: shelve(desk, JUNO, [visit_id]), lambda: replace_patient(desk, JUNO, visit_id, 1),
    ):  # fmt: skip
        with pytest.raises(Refused, match="That day is over"):
            refused()
    with pytest.raises(Refused, match="Say in a few words why"):
        did_not_come(desk, JUNO, visit_id)
    did_not_come(desk, JUNO, visit_id, reason="never showed up, forgotten yesterday")
    with pytest.raises(Refused):
        check_in(desk, JUNO, other)
    check_in(desk, JUNO, other, reason="was here, forgotten yesterday")
    assert (state_of(desk, visit_id), state_of(desk, other)) == ("missed", "here")


def test_whoever_was_expected_in_a_room_taken_by_another_gets_a_free_one(desk: Desk) -> None:
    here, expected = booked(desk, "11:00", 5), booked(desk, "11:10", 6)
    room = row(desk, expected).room_id
    assert row(desk, here).room_id != room
    check_in(desk, JUNO, here)
    take_to_room(desk, JUNO, here, room)
    assert row(desk, here).room_id == room and row(desk, expected).room_id not in {room}
    assert scalar(desk, ROOMS) == 0


# --- double booking ------------------------------------------------------------------------------------------------
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
    assert "from 14:00 to 14:30" in twice.value.problems["patient"]


# --- shelf ---------------------------------------------------------------------------------------------------------
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


def test_a_shelved_visit_whose_day_is_over_can_still_be_placed_or_taken_off(desk: Desk, clock: ShiftedClock) -> None:
    placed, gone = booked(desk, "14:00"), booked(desk, "15:00")
    shelve(desk, JUNO, [placed, gone])
    clock.set_to(at(10, day=TOMORROW))
    with pytest.raises(Refused, match="Place the visit on a day to come"):
        put_back(desk, JUNO, placed)
    move_visit(desk, JUNO, placed, to("14:00", day=TOMORROW))
    take_off(desk, JUNO, gone, "wants")
    assert (state_of(desk, placed), state_of(desk, gone)) == ("booked", "cancelled")


def test_put_back_keeps_a_confirmation(desk: Desk) -> None:
    visit_id = booked(desk)
    confirm(desk, JUNO, visit_id)
    shelve(desk, JUNO, [visit_id])
    put_back(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "confirmed"
    check_in(desk, JUNO, visit_id)
    with pytest.raises(Refused, match="not expected any more"):
        shelve(desk, JUNO, [visit_id])


# --- taking off ----------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("why", "tally", "waits"),
    [("wants", "no visit yet, cancelled 1", True), ("declined", "no visit yet, cancelled 1", False), ("clinic", "no visit yet", True), ("mistake", "no visit yet", False)],
)  # fmt: skip
def test_why_a_visit_is_taken_off_decides_what_follows(desk: Desk, why: str, tally: str, waits: bool) -> None:
    patient = add_patient(desk)
    visit_id = book_visit(desk, JUNO, order(patient))
    take_off(desk, JUNO, visit_id, why, "a note")
    with desk.engine.connect() as connection:
        assert tally_of(connection, patient).words == tally
    assert waiting(desk) == ([("Helen Vasquez", "lost")] if waits else [])
    assert scalar(
        desk, "SELECT reason FROM track_move WHERE visit_id = :v AND to_stop = 'cancelled'", v=visit_id
    ).endswith("a note")


def test_a_tally_counts_every_visit(desk: Desk, clock: ShiftedClock) -> None:
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
        assert tally_of(connection, patient).words == "missed 3 of 5, cancelled 2"


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


def test_who_comes_after_all_gets_their_time_only_if_nobody_else_has_it(desk: Desk, clock: ShiftedClock) -> None:
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
    own, hygiene = booked(desk, "16:00", 1, "Filling", first="Own"), booked(desk, "13:30", 2, "Hygiene", first="Exam")
    assert scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene) == 1
    check_in_me = booked(desk, "11:00", 1, "Toothache", first="Here")
    check_in(desk, JUNO, check_in_me)
    with pytest.raises(Refused):
        take_day_off(desk, JUNO, 1, TODAY, " ")
    done = take_day_off(desk, JUNO, 1, TODAY, "ill")
    assert (done["off"], done["others"], done["stay"]) == (
        ["16:00 Own Vasquez"],
        ["13:30 Exam Vasquez"],
        ["11:00 Here Vasquez"],
    )
    assert scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene) == 3
    assert waiting(desk) == [("Own Vasquez", "lost")]
    assert (
        scalar(desk, "SELECT note FROM waiting") == "ill" and scalar(desk, "SELECT value_cents FROM waiting") == 28600
    )
    with pytest.raises(Refused, match="ill"):
        booked(desk, "15:00", 1, "Filling")
    assert undo(desk) == "took Dr. Calloway’s 24 Nov off, 1 visits to the waitlist"
    assert (state_of(desk, own), waiting(desk)) == ("booked", [])
    assert scalar(desk, "SELECT provider_id FROM staff_slot WHERE visit_id = :v AND words = 'exam'", v=hygiene) == 1
    assert booked(desk, "15:00", 1, "Filling")


# --- undo ----------------------------------------------------------------------------------------------------------
def test_undo_puts_everything_back_until_something_else_happened(desk: Desk) -> None:
    visit_id = booked(desk, "14:00", first="Ana")
    confirm(desk, JUNO, visit_id)
    before = {k: v for k, v in row(desk, visit_id)._mapping.items() if k != "version"}
    move_visit(desk, JUNO, visit_id, to("15:00", 6))
    assert undo(desk) == "moved Ana Vasquez to 24 Nov 15:00, N. Ferro"
    assert {k: v for k, v in row(desk, visit_id)._mapping.items() if k != "version"} == before
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
    assert (state_of(desk, visit_id), waiting(desk)) == ("cancelled", [("Helen Vasquez", "short")])
    with desk.engine.connect() as connection:
        assert last_act(connection, JUNO.id, desk.clock.now()) is None
        assert tally_of(connection, patient).cancelled == 0
    assert booked(desk, "14:00")


def test_undo_is_refused_when_the_time_is_gone_twice_and_by_others(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = booked(desk, "14:00", first="Ana")
    move_visit(desk, JUNO, visit_id, to("15:00"))
    book_visit(desk, RAVI, order(add_patient(desk, first="Ben"), 5, "14:00"))
    with pytest.raises(Conflict, match="now has Ben Vasquez at 14:00"):
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


# --- the wrong patient ---------------------------------------------------------------------------------------------
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


# --- the waitlist --------------------------------------------------------------------------------------------------
def test_a_person_is_on_the_waitlist_once_with_all_reasons_until_booked(desk: Desk) -> None:
    patient = add_patient(desk)
    visit_id = book_visit(
        desk, JUNO, order(patient, 1, "14:00", "Filling", day=TODAY + timedelta(days=20), sooner=True, short=True)
    )
    with pytest.raises(Refused, match="already"):
        wait_for(desk, JUNO, patient, "short", TYPE_ID["Filling"], 0, 1, "")
    assert waiting(desk) == [("Helen Vasquez", "sooner+short")]
    move_visit(desk, JUNO, visit_id, to("14:00", 1))
    assert waiting(desk) == []
    take_off(desk, JUNO, visit_id, "wants")
    take_off(desk, JUNO, booked(desk), "clinic", "storm")
    book_visit(desk, JUNO, order(patient, 3, "15:30", "Filling"))
    assert "Helen Vasquez" not in dict(waiting(desk)) and len(waiting(desk)) == 1


def test_nobody_leaves_silently_and_the_stale_surface(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk)
    wait_for(desk, JUNO, patient, "short", TYPE_ID["Toothache"], 0, 1, "hurts")
    clock.set_to(at(9, day=TODAY + timedelta(days=8)))

    def stale() -> list[int]:
        with desk.engine.connect() as connection:
            return [w.id for _, w in stale_first(entries(connection, desk.clinic, 1), TODAY + timedelta(days=8))]

    (wait_id,) = stale()
    still_waits(desk, JUNO, wait_id)
    assert stale() == []
    with pytest.raises(Refused):
        note_try(desk, JUNO, wait_id, " ")
    note_try(desk, JUNO, wait_id, "left word")
    with desk.engine.connect() as connection:
        assert entries(connection, desk.clinic, 1)[0].last_try == "Wed 2 Dec: left word (JP)"
    with pytest.raises(Refused):
        leave_waitlist(desk, JUNO, wait_id, "")
    leave_waitlist(desk, JUNO, wait_id, "done elsewhere")
    assert waiting(desk) == [] and scalar(desk, "SELECT ended_why FROM waiting") == "done elsewhere"
    with pytest.raises(Refused, match="done elsewhere"):
        still_waits(desk, JUNO, wait_id)
    with pytest.raises(NotAllowed):
        still_waits(desk, INES, wait_id)


def test_gaps_and_who_fits_them(desk: Desk) -> None:
    with desk.engine.connect() as connection:
        whole = [
            each
            for each in open_times(connection, desk.clinic, 1, [TODAY], desk.clock.now())
            if each.gap.provider_id == 3
        ]
    assert [(each.gap.start, each.gap.minutes, each.room) for each in whole] == [
        (645, 95, "Chair 2"),
        (780, 240, "Chair 2"),
    ]
    booked(desk, "13:40", 3, "Crown prep", minutes="200")
    ada = add_patient(desk, first="Ada")
    set_wishes(desk, JUNO, ada, [3], [])
    wait_for(desk, JUNO, ada, "lost", TYPE_ID["Filling"], 3, 1, "")
    wait_for(desk, JUNO, add_patient(desk, first="Ben"), "short", TYPE_ID["Extraction"], 0, 1, "")
    with desk.engine.connect() as connection:
        found = entries(connection, desk.clinic, 1)
        gap = next(
            e.gap
            for e in open_times(connection, desk.clinic, 1, [TODAY], desk.clock.now())
            if e.gap.provider_id == 3 and e.gap.start == 780
        )
    fits = best_for(found, gap, TODAY)
    assert [(fit.entry.name, fit.words) for fit in fits] == [
        ("Ada Vasquez", "fills it"),
        ("Ben Vasquez", "20 too long"),
    ]
    assert [e.name for e in chosen(found, type_id=TYPE_ID["Extraction"])] == ["Ben Vasquez"]
    assert [e.name for e in chosen(found, why="lost")] == ["Ada Vasquez"]
    assert [e.name for e in chosen(found, order="wait")] == ["Ada Vasquez", "Ben Vasquez"] and chosen(
        found, since=TODAY - timedelta(days=1)
    ) == []


# --- requests from the web -----------------------------------------------------------------------------------------
def held(desk: Desk, start: str, first: str, until: datetime | None = None) -> int:
    return booked(desk, start, first=first, held_until=until or at(12), web_message="my throat hurts")


def test_several_requests_are_accepted_at_once_and_the_patients_told(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    asked = [held(desk, "14:00", "Ana"), held(desk, "15:00", "Ben")]
    with pytest.raises(Conflict):
        booked(desk, "14:00")
    with pytest.raises(Conflict):
        confirm(desk, JUNO, asked[0])
    assert accept_requests(desk, JUNO, asked) == 2
    assert [state_of(desk, v) for v in asked] == ["booked"] * 2
    with pytest.raises(Conflict, match="answered already"):
        accept_requests(desk, RAVI, asked)
    receipt = lambda desk, visit_id: b""  # noqa: E731
    run_once(desk, outside, receipt)
    assert outside.mail.sent == []  # type: ignore[attr-defined]
    undo(desk)
    assert [state_of(desk, v) for v in asked] == ["held"] * 2
    assert decline_requests(desk, JUNO, asked[:1], "The doctor is away.") == 1
    clock.set_to(at(10, 50))
    run_once(desk, outside, receipt)
    (mail,) = outside.mail.sent  # type: ignore[attr-defined]
    assert (
        mail["To"] == "helen@example.org"
        and "The doctor is away." in mail.get_content()
        and "throat" not in mail.get_content()
    )
    assert state_of(desk, asked[0]) == "cancelled"
    with pytest.raises(Refused):
        accept_requests(desk, JUNO, [])


def test_a_request_nobody_answers_in_time_frees_its_slot(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = held(desk, "14:00", "Ana", at(10, 45))
    assert release_held(desk) == 0
    clock.set_to(at(10, 46))
    assert release_held(desk) == 1
    assert state_of(desk, visit_id) == "cancelled" and booked(desk, "14:00")
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'patient_mail'") == 1


# --- series and households -----------------------------------------------------------------------------------------
def test_a_series_shows_its_conflicts_before_and_is_booked_whole_or_not_at_all(desk: Desk) -> None:
    booked(desk, "14:00", day=TODAY + timedelta(days=14), first="Ben")
    wanted = order(add_patient(desk), key="series")
    with desk.engine.connect() as connection:
        rows = plan_series(connection, desk.clinic, NOON, wanted, "Helen", 1, "weeks", 4)
    assert [each.order.day for each in rows] == [TODAY + timedelta(days=7 * n) for n in range(4)]
    assert [bool(each.why) for each in rows] == [False, False, True, False]
    assert "by Ben Vasquez" in rows[2].why and rows[2].instead[0] == ("2026-12-08", "14:00", 6, "N. Ferro")
    with pytest.raises(Conflict):
        book_many(desk, JUNO, [each.order for each in rows])
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    made = book_many(desk, JUNO, [each.order for each in rows if not each.why])
    assert len(made) == 3 and book_many(desk, JUNO, [each.order for each in rows if not each.why]) == made
    undo(desk)
    assert {state_of(desk, v) for v in made} == {"cancelled"}


def test_a_household_back_to_back_or_side_by_side(desk: Desk) -> None:
    helen, rafa = add_patient(desk), add_patient(desk, first="Rafael")
    with desk.engine.begin() as connection:
        house = connection.execute(
            text("SELECT household_id FROM patient WHERE id = :id"), {"id": helen}
        ).scalar_one()
        connection.execute(update(schema.patient).where(schema.patient.c.id == rafa).values(household_id=house))
        assert [each.first for each in household_of(connection, helen)] == ["Rafael"]
    members = [Member(helen, "Helen", TYPE_ID["Hygiene"], 2), Member(rafa, "Rafael", TYPE_ID["Hygiene"], 4)]
    wanted = order(helen, 2, "13:15", "Hygiene", key="house")
    with desk.engine.connect() as connection:
        after = plan_household(
            connection, desk.clinic, NOON, wanted, [members[0], Member(rafa, "Rafael", TYPE_ID["Hygiene"], 2)], False
        )
        beside = plan_household(connection, desk.clinic, NOON, wanted, members, True)
        clash = plan_household(
            connection, desk.clinic, NOON, wanted, [members[0], Member(rafa, "Rafael", TYPE_ID["Hygiene"], 2)], True
        )
    assert [each.start for each in after] == [795, 855] and [each.start for each in beside] == [795, 795]
    assert not any(each.why for each in (*after, *beside)) and "is with Helen" in clash[1].why
    made = book_many(desk, JUNO, [each.order for each in beside])
    assert {row(desk, v).start_min for v in made} == {795}
    exams = scalar(
        desk, "SELECT COUNT(DISTINCT CONCAT(provider_id, '-', start_min)) FROM staff_slot WHERE words = 'exam'"
    )
    assert exams == 2


def test_types_for_new_or_known_patients_their_hours_and_their_daily_limit(desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE visit_type SET for_whom = 'known' WHERE id = :id"), {"id": TYPE_ID["Follow-up"]}
        )
        connection.execute(
            text(
                'UPDATE visit_type SET most_a_day = 1, hours = \'[{"weekdays": [1], "start": 840, "end": 960}]\' WHERE id = :id'
            ),
            {"id": TYPE_ID["Physical"]},
        )
        desk.clinic = load(connection)
    try:
        with pytest.raises(Refused) as unknown:
            booked(desk, "14:00", 5, "Follow-up")
        assert "type_id" in unknown.value.problems
        with pytest.raises(Refused, match="14:00 to 16:00 only"):
            booked(desk, "13:30", 5, "Physical")
        booked(desk, "14:00", 5, "Physical")
        with pytest.raises(Conflict, match="already 1 visits"):
            booked(desk, "15:00", 5, "Physical")
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE visit_type SET for_whom = 'all', most_a_day = 0, hours = '[]'"))
            connection.execute(
                text("UPDATE visit_type SET most_a_day = 6 WHERE id = :id"), {"id": TYPE_ID["Extraction"]}
            )


# --- openings ------------------------------------------------------------------------------------------------------
def test_what_the_finder_offers_can_be_booked_and_says_why(desk: Desk) -> None:
    patient = add_patient(desk)
    set_wishes(desk, JUNO, patient, [6], [])
    booked(desk, "13:15", 2, "Hygiene")
    request = Request(
        (Part(TYPE_ID["Hygiene"]),),
        (1,),
        TODAY,
        TODAY + timedelta(days=30),
        frozenset({1, 3}),
        8 * 60,
        17 * 60,
        patient_id=patient,
    )
    with desk.engine.connect() as connection:
        found = find_openings(connection, desk.clinic, desk.clock.now(), request)
    assert len(found) == 20 and {o.day.weekday() for o in found} <= {1, 3}
    assert any("as they like it" in words for o in found for words in o.reasons)
    best = found[0]
    visit_id = book_visit(
        desk, JUNO, order(patient, best.lead, f"{best.start // 60}:{best.start % 60:02d}", "Hygiene", day=best.day)
    )
    assert row(desk, visit_id).room_id == best.room
    with desk.engine.connect() as connection:
        again = find_openings(connection, desk.clinic, desk.clock.now(), request)
    assert (best.day, best.start, best.lead) not in {(o.day, o.start, o.lead) for o in again}
    with desk.engine.connect() as connection, pytest.raises(Refused):
        find_openings(
            connection,
            desk.clinic,
            desk.clock.now(),
            Request((Part(TYPE_ID["Hygiene"], 0, 5),), (1,), TODAY, TOMORROW),
        )


def test_two_visits_of_one_day_in_order(desk: Desk) -> None:
    request = Request((Part(TYPE_ID["Hygiene"]), Part(TYPE_ID["Filling"])), (1,), TOMORROW, TOMORROW, limit=5)
    with desk.engine.connect() as connection:
        found = find_openings(connection, desk.clinic, desk.clock.now(), request)
    assert found and all(0 <= o.then[0].start - o.start - 60 <= 30 for o in found)


def test_a_carried_visit_is_told_where_it_can_go_exactly(desk: Desk) -> None:
    visit_id = booked(desk, "14:00", 5, "Sick visit")
    booked(desk, "15:00", 6, "Sick visit")
    moving = row(desk, visit_id)
    targets = [
        Target("p5", 1, TODAY, 5),
        Target("p6", 1, TODAY, 6),
        Target("p1", 1, TODAY, 1),
        Target("r1", 1, TODAY, 5, 1),
        Target("r6", 1, TODAY, 5, 6),
    ]
    with desk.engine.connect() as connection:
        places = places_for(connection, desk.clinic, desk.clock.now(), targets, moving)
    assert places["p1"][0] == "does not do sick visit" and places["r1"][0].startswith("not equipped")
    assert 14 * 60 in places["p5"][1] and 15 * 60 not in places["p6"][1] and 9 * 60 not in places["p5"][1]
    for start in random.sample(range(640, 1080, 5), 12):
        try:
            move_visit(desk, JUNO, visit_id, to(f"{start // 60}:{start % 60:02d}", 6))
            taken = True
            undo(desk)
        except ZaxError:
            taken = False
        assert taken == (start in places["p6"][1]), start


# --- two sites, two zones ------------------------------------------------------------------------------------------
def test_a_person_at_two_sites_in_two_zones_is_booked_once(desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE site SET timezone = 'America/Denver' WHERE id = 2"))
        connection.execute(text("UPDATE provider_hours SET start_min = 480, end_min = 1200 WHERE site_id = 2"))
        desk.clinic = load(connection)
    try:
        booked(desk, "15:00", 5, "Sick visit")
        with pytest.raises(Conflict, match="16:00 to 16:30"):
            booked(desk, "16:15", 5, "Sick visit", site_id=2)
        visit_id = booked(desk, "15:30", 5, "Sick visit", site_id=2)
        with pytest.raises(Conflict, match="14:30 to 15:00"):
            booked(desk, "14:30", 5, "Sick visit")
        request = Request((Part(TYPE_ID["Sick visit"], 0, 5),), (1,), TODAY, TODAY, frozenset(), 14 * 60, 16 * 60)
        with desk.engine.connect() as connection:
            assert {o.start for o in find_openings(connection, desk.clinic, desk.clock.now(), request)} <= {840, 930}
        move_visit(desk, JUNO, visit_id, to("17:30", 5, site=2))
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE site SET timezone = 'America/Los_Angeles' WHERE id = 2"))
            connection.execute(text("UPDATE provider_hours SET start_min = 1020, end_min = 1110 WHERE site_id = 2"))


# --- many desks at once --------------------------------------------------------------------------------------------
DOUBLES = """
SELECT COUNT(*) FROM staff_slot a JOIN staff_slot b ON a.provider_id = b.provider_id AND a.day = b.day AND a.id < b.id AND a.visit_id <> b.visit_id
AND a.start_min < b.end_min AND b.start_min < a.end_min JOIN visit v ON v.id = a.visit_id JOIN visit w ON w.id = b.visit_id
WHERE v.state NOT IN ('missed', 'cancelled', 'shelf') AND w.state NOT IN ('missed', 'cancelled', 'shelf') AND a.provider_id <> 6
"""
ROOMS = """
SELECT COUNT(*) FROM visit v JOIN visit w ON v.room_id = w.room_id AND v.day = w.day AND v.id < w.id AND v.start_min < w.start_min + w.minutes
AND w.start_min < v.start_min + v.minutes WHERE v.state NOT IN ('missed', 'cancelled', 'shelf') AND w.state NOT IN ('missed', 'cancelled', 'shelf')
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
                    move_visit(desk, actor, dice.choice(mine), to(clock, provider, dice.choice((TODAY, TOMORROW))))
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
    assert made > 12
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == made
    assert (scalar(desk, DOUBLES), scalar(desk, ROOMS)) == (0, 0)
    assert (
        scalar(
            desk,
            "SELECT COUNT(*) FROM visit v WHERE v.state = 'shelf' AND NOT EXISTS (SELECT 1 FROM shelf s WHERE s.visit_id = v.id)",
        )
        == 0
    )
    assert (
        scalar(desk, "SELECT COUNT(*) FROM shelf s JOIN visit v ON v.id = s.visit_id WHERE v.state <> 'shelf'") == 0
    )

"""Booking and the track against a real MariaDB: refusals, races, versions, undo."""

from concurrent.futures import ThreadPoolExecutor
from datetime import date, timedelta

import pytest
from sqlalchemy import text

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    RAVI,
    TODAY,
    add_patient,
    at,
    known_patient,
    order,
    scalar,
    state_of,
)
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, Stale, ZaxError
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import did_not_come, take_off
from zax.desk.book.track import confirm, step_back, take_to_room
from zax.desk.day.live_day import day_view, desk_lists
from zax.desk.day.visit_sheet import sheet_of
from zax.store.book import queries as visits


def test_a_booked_visit_brings_its_services_people_and_room(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(known_patient(desk), 2, "13:30", "Hygiene"))
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
    assert [desk.clinic.services[line.service_id].code for line in sheet.bill.lines] == ["D1110", "D0120"]
    assert sheet.room.name == "Chair 3"
    dentist, starts, words = sheet.helpers[0]
    assert (dentist.role, starts, words) == ("dentist", 13 * 60 + 30 + 30, "exam")
    assert sheet.bill.lines[1].provider_id == dentist.id
    assert (
        scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'visit.booked' AND visit_id = :id", id=visit_id)
        == 1
    )


def test_a_new_patient_is_made_on_the_spot(desk: Desk) -> None:
    visit_id = book_visit(
        desk, JUNO, order(None, first="Ana", last="Ortiz", birth="5/3/1984", phone="360 555 0177")
    )
    assert (
        scalar(
            desk,
            "SELECT p.last FROM visit v JOIN patient p ON p.id = v.patient_id WHERE v.id = :id",
            id=visit_id,
        )
        == "Ortiz"
    )


def test_the_same_key_books_once(desk: Desk) -> None:
    wanted = order(add_patient(desk))
    assert book_visit(desk, JUNO, wanted) == book_visit(desk, JUNO, wanted)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1


def test_a_key_of_any_length_books_once(desk: Desk) -> None:
    wanted = order(add_patient(desk)).but(key="k" * 300)
    assert book_visit(desk, JUNO, wanted) == book_visit(desk, JUNO, wanted)


@pytest.mark.parametrize(
    ("changes", "field", "says"),
    [
        ({"at": "9:00"}, "at", "has passed"),
        ({"at": "18:00"}, "at", "does not work"),
        ({"at": "lunch"}, "at", "isn’t a time"),
        ({"at": "25:00"}, "at", "time of day"),
        ({"at": "14:03"}, "at", "steps of 5"),
        ({"minutes": "7"}, "minutes", "steps"),
        ({"minutes": "9000"}, "minutes", "8 hours"),
        ({"type_id": "1"}, "type_id", "does not do"),
        ({"type_id": "x"}, "type_id", "Choose"),
        ({"patient_id": None}, "patient", "Find the patient"),
        ({"patient_id": 999_999}, "patient", "can’t be booked"),
        ({"note": "x" * 501}, "note", "characters; the limit is 500"),
        ({"day": date(2026, 11, 26)}, "at", "Thanksgiving"),
        ({"day": date(2026, 11, 28)}, "at", "does not work at Quay Street that day"),
        ({"at": "12:30"}, "at", "Nearest free"),
    ],
)
def test_what_cannot_be_booked_is_said_beside_its_field(
    desk: Desk, changes: dict[str, object], field: str, says: str
) -> None:
    usual = order(add_patient(desk))
    with pytest.raises(ZaxError) as error:
        book_visit(desk, JUNO, usual.but(**changes))
    assert says in error.value.problems[field]
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0


def test_a_wrong_new_patient_names_every_field_and_books_nothing(desk: Desk) -> None:
    with pytest.raises(Problems) as wrong:
        book_visit(desk, JUNO, order(None, first="Ana", last="", birth="11/25/2026", phone="12"))
    assert set(wrong.value.problems) == {"last", "birth", "phone"}
    assert scalar(desk, "SELECT COUNT(*) FROM patient") == 0


def test_a_collision_names_who_and_offers_the_nearest_time(desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk), start="14:00"))
    with pytest.raises(Conflict) as conflict:
        book_visit(desk, RAVI, order(add_patient(desk, first="Ben"), start="14:15"))
    assert "2:00 to 2:30 pm by Helen Vasquez. Nearest free: 2:30 pm." in conflict.value.problems["at"]


def test_a_dentist_is_taken_by_an_exam_in_the_middle_of_a_hygienists_visit(desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk), 2, "13:30", "Hygiene"))
    with pytest.raises(Conflict, match="taken 2:00 to 2:10 pm by Helen Vasquez"):
        book_visit(desk, JUNO, order(add_patient(desk, first="Ben"), 1, "13:50", "Filling"))


def test_without_a_free_dentist_there_is_no_exam(desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk), 1, "13:15", "Filling", minutes="120"))
    book_visit(desk, JUNO, order(add_patient(desk, first="Ben"), 3, "13:15", "Filling", minutes="120"))
    with pytest.raises(Conflict, match="No one is free for the exam"):
        book_visit(desk, JUNO, order(add_patient(desk, first="Cy"), 2, "13:20", "Hygiene"))


def test_twenty_desks_on_one_slot_make_one_visit_and_nineteen_clear_refusals(desk: Desk) -> None:
    people = [add_patient(desk, first=f"P{n:02d}") for n in range(20)]

    def try_it(patient_id: int) -> str:
        try:
            book_visit(desk, JUNO, order(patient_id, 2, "14:00", "Hygiene"))
        except Conflict as conflict:
            return conflict.message
        return "booked"

    with ThreadPoolExecutor(20) as pool:
        answers = list(pool.map(try_it, people))
    assert answers.count("booked") == 1
    assert all(
        "Maren Sollis RDH is taken 2:00 to 3:00 pm by P" in answer for answer in answers if answer != "booked"
    )
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    assert scalar(desk, "SELECT COUNT(*) FROM staff_slot") == 2
    assert scalar(desk, "SELECT version FROM provider_day WHERE provider_id = 2") >= 1


def test_many_desks_on_many_slots_never_overlap(desk: Desk) -> None:
    people = [add_patient(desk, first=f"P{n:02d}") for n in range(24)]

    def try_it(number: int) -> None:
        hygiene = number % 2 == 0
        wanted = order(
            people[number],
            2 if hygiene else 1,
            f"{13 + number % 3}:{(number * 5) % 60:02d}",
            "Hygiene" if hygiene else "Filling",
        )
        try:
            book_visit(desk, JUNO, wanted)
        except ZaxError:
            return  # a refusal is a right answer here; overlaps are looked for below

    with ThreadPoolExecutor(12) as pool:
        list(pool.map(try_it, range(24)))
    overlaps = scalar(
        desk,
        "SELECT COUNT(*) FROM staff_slot a JOIN staff_slot b ON a.provider_id = b.provider_id AND a.day ="
        " b.day AND a.id < b.id WHERE a.start_min < b.end_min AND b.start_min < a.end_min",
    )
    rooms = scalar(
        desk,
        "SELECT COUNT(*) FROM visit a JOIN visit b ON a.room_id = b.room_id AND a.day = b.day AND a.id < b.id"
        " WHERE a.start_min < b.start_min + b.minutes AND b.start_min < a.start_min + a.minutes",
    )
    assert (overlaps, rooms) == (0, 0)
    assert scalar(desk, "SELECT COUNT(*) FROM visit") >= 2


def test_the_day_from_expected_to_in_room(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk), start="11:00"))
    confirm(desk, JUNO, visit_id)
    check_in(desk, JUNO, visit_id)
    clock.set_to(at(10, 56) + timedelta(seconds=30))
    with desk.engine.connect() as connection:
        view = day_view(connection, desk.clinic, clock.now(), 1, TODAY)
        lists = desk_lists(connection, desk.clinic, view)
    assert [(bar.last, bar.since) for bar in lists.waiting] == [("Vasquez", 14)]
    take_to_room(desk, JUNO, visit_id)
    clock.set_to(at(11, 36) + timedelta(seconds=30))
    with desk.engine.connect() as connection:
        day_column = next(
            day_column
            for day_column in day_view(connection, desk.clinic, clock.now(), 1, TODAY).day_columns
            if day_column.provider.id == 5
        )
    assert day_column.behind == 6
    assert [row.to_stop for row in _track(desk, visit_id)] == ["booked", "confirmed", "here", "room"]


def _track(desk: Desk, visit_id: int):  # type: ignore[no-untyped-def]
    with desk.engine.connect() as connection:
        return visits.track(connection, visit_id)


def test_an_occupied_room_is_refused_with_the_free_ones(desk: Desk) -> None:
    first = book_visit(desk, JUNO, order(add_patient(desk), start="11:00"))
    second = book_visit(desk, JUNO, order(add_patient(desk, first="Ben"), start="11:30"))
    for visit_id in (first, second):
        check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, first)
    with pytest.raises(Conflict, match="Helen Vasquez is in Exam A. Free now: Exam B, Exam C"):
        take_to_room(desk, JUNO, second)
    take_to_room(desk, JUNO, second, room_id=6)
    assert state_of(desk, second) == "room"
    with pytest.raises(Refused):
        take_to_room(desk, JUNO, second, room_id=99)


def test_two_people_check_in_one_patient_and_the_second_is_told(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    check_in(desk, JUNO, visit_id, version=1)
    with pytest.raises(Stale, match="Juno Park moved it to “here” just now"):
        check_in(desk, RAVI, visit_id, version=1)
    with pytest.raises(Conflict, match="already “here”"):
        check_in(desk, RAVI, visit_id)


def test_a_wrong_step_is_taken_back_with_a_reason(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk), start="11:00"))
    confirm(desk, JUNO, visit_id)
    check_in(desk, JUNO, visit_id)
    with pytest.raises(Refused) as refused:
        step_back(desk, JUNO, visit_id, "")
    assert "reason" in refused.value.problems
    step_back(desk, JUNO, visit_id, "wrong Helen")
    assert state_of(desk, visit_id) == "confirmed"
    with pytest.raises(Refused):
        step_back(desk, JUNO, visit_id, "again")


def test_back_from_room_and_then_from_here_leads_to_where_the_patient_came_from(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk), start="11:00"))
    confirm(desk, JUNO, visit_id)
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    for expected in ("here", "confirmed"):
        step_back(desk, JUNO, visit_id, "wrong patient")
        assert state_of(desk, visit_id) == expected


def test_who_did_not_come_can_still_turn_up(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk), start="11:00"))
    with pytest.raises(Refused, match="The visit hasn’t started yet, so"):
        did_not_come(desk, JUNO, visit_id)
    clock.set_to(at(11, 20))
    did_not_come(desk, JUNO, visit_id)
    check_in(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "here"


def test_a_canceled_visit_frees_its_time(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    take_off(desk, JUNO, visit_id, "declined", "patient is ill")
    again = book_visit(desk, JUNO, order(add_patient(desk, first="Ben")))
    assert again != visit_id
    with pytest.raises(Conflict):
        confirm(desk, JUNO, visit_id)


def test_rights_unknown_ids_and_other_days(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk), day=TODAY + timedelta(days=1)))
    with pytest.raises(NotAllowed):
        book_visit(desk, INES, order(1))
    with pytest.raises(NotAllowed):
        check_in(desk, ODILE, visit_id)
    with pytest.raises(NotFound):
        check_in(desk, JUNO, 10**8)
    with pytest.raises(Refused, match="This visit isn’t today, so it"):
        check_in(desk, JUNO, visit_id)


def test_what_changed_is_in_the_feed_in_the_same_transaction(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    with desk.engine.connect() as connection:
        rows = connection.execute(
            text("SELECT what, site_id, day FROM feed WHERE visit_id = :id"), {"id": visit_id}
        ).all()
    assert [(row.what, row.site_id, row.day) for row in rows] == [("visit", 1, TODAY)]

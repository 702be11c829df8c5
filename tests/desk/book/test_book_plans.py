"""What leads to the Book, against a real MariaDB: the waitlist, web requests, series and households,
openings, two zones.
"""

import random
from dataclasses import replace
from datetime import datetime, timedelta

import pytest
from sqlalchemy import text, update

from tests.conftest import INES, JUNO, RAVI, TODAY, add_patient, at, order, scalar, state_of
from tests.desk.acting import NOON, TOMORROW, booked, row, to, undo, waiting
from zax.clock import ShiftedClock
from zax.core.book.waitlist import best_for, chosen, stale_first
from zax.core.errors import Conflict, NotAllowed, Refused, ZaxError
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.arrivals.check_in import check_in
from zax.desk.arrivals.facts import Asking, known_of
from zax.desk.book.booking import book_many, book_visit, check_for_whom
from zax.desk.book.cancellation import take_off
from zax.desk.book.moving import move_visit
from zax.desk.book.openings import Part, Request, Target, find_openings, places_for
from zax.desk.book.planned import set_wishes
from zax.desk.book.series import Member, plan_household, plan_series
from zax.desk.book.track import confirm
from zax.desk.book.waitlist import entries, leave_waitlist, note_try, open_times, still_waits, wait_for
from zax.desk.book.web_requests import accept_requests, decline_requests, release_held
from zax.desk.clinic.clinic import load
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store import schema
from zax.store.book.planned import relatives_of as household_of


# --- the waitlist
def test_a_person_is_on_the_waitlist_once_with_all_reasons_until_booked(desk: Desk) -> None:
    patient = add_patient(desk)
    visit_id = book_visit(
        desk,
        JUNO,
        order(patient, 1, "14:00", "Filling", day=TODAY + timedelta(days=20), sooner=True, short=True),
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
            return [
                w.id for _, w in stale_first(entries(connection, desk.clinic, 1), TODAY + timedelta(days=8))
            ]

    (wait_id,) = stale()
    still_waits(desk, JUNO, wait_id)
    assert stale() == []
    with pytest.raises(Refused):
        note_try(desk, JUNO, wait_id, " ")
    note_try(desk, JUNO, wait_id, "left word")
    with desk.engine.connect() as connection:
        assert entries(connection, desk.clinic, 1)[0].last_try == "Wed, Dec 2: left word (JP)"
    with pytest.raises(Refused):
        leave_waitlist(desk, JUNO, wait_id, "")
    leave_waitlist(desk, JUNO, wait_id, "went elsewhere")
    assert waiting(desk) == [] and scalar(desk, "SELECT ended_why FROM waiting") == "went elsewhere"
    with pytest.raises(Refused, match="went elsewhere"):
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


# --- requests from the web
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
    with pytest.raises(Conflict, match="already answered"):
        accept_requests(desk, RAVI, asked)

    def receipt(desk: Desk, visit_id: int) -> bytes:
        return b""

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
    assert state_of(desk, asked[0]) == "canceled"
    with pytest.raises(Refused):
        accept_requests(desk, JUNO, [])


def test_a_request_nobody_answers_in_time_frees_its_slot(desk: Desk, clock: ShiftedClock) -> None:
    visit_id = held(desk, "14:00", "Ana", at(10, 45))
    assert release_held(desk) == 0
    clock.set_to(at(10, 46))
    assert release_held(desk) == 1
    assert state_of(desk, visit_id) == "canceled" and booked(desk, "14:00")
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE channel = 'email'") == 1


# --- series and households
def test_a_series_shows_its_conflicts_before_and_is_booked_whole_or_not_at_all(desk: Desk) -> None:
    booked(desk, "14:00", day=TODAY + timedelta(days=14), first="Ben")
    wanted = order(add_patient(desk), key="series")
    with desk.engine.connect() as connection:
        rows = plan_series(connection, desk.clinic, NOON, wanted, "Helen", 1, "weeks", 4)
    assert [each.order.day for each in rows] == [TODAY + timedelta(days=7 * n) for n in range(4)]
    assert [bool(each.why) for each in rows] == [False, False, True, False]
    assert "by Ben Vasquez" in rows[2].why and rows[2].instead[0] == ("2026-12-08", 14 * 60, 6, "N. Ferro")
    with pytest.raises(Conflict):
        book_many(desk, JUNO, [each.order for each in rows])
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 1
    made = book_many(desk, JUNO, [each.order for each in rows if not each.why])
    assert len(made) == 3 and book_many(desk, JUNO, [each.order for each in rows if not each.why]) == made
    undo(desk)
    assert {state_of(desk, v) for v in made} == {"canceled"}


def test_a_household_back_to_back_or_side_by_side(desk: Desk) -> None:
    helen, rafa = add_patient(desk), add_patient(desk, first="Rafael")
    with desk.engine.begin() as connection:
        house = connection.execute(
            text("SELECT household_id FROM patient WHERE id = :id"), {"id": helen}
        ).scalar_one()
        connection.execute(
            update(schema.patient).where(schema.patient.c.id == rafa).values(household_id=house)
        )
        assert [each.first for each in household_of(connection, helen)] == ["Rafael"]
    members = [Member(helen, "Helen", TYPE_ID["Hygiene"], 2), Member(rafa, "Rafael", TYPE_ID["Hygiene"], 4)]
    wanted = order(helen, 2, "13:15", "Hygiene", key="house")
    with desk.engine.connect() as connection:
        after = plan_household(
            connection,
            desk.clinic,
            NOON,
            wanted,
            [members[0], Member(rafa, "Rafael", TYPE_ID["Hygiene"], 2)],
            False,
        )
        beside = plan_household(connection, desk.clinic, NOON, wanted, members, True)
        clash = plan_household(
            connection,
            desk.clinic,
            NOON,
            wanted,
            [members[0], Member(rafa, "Rafael", TYPE_ID["Hygiene"], 2)],
            True,
        )
    assert [each.start for each in after] == [795, 855] and [each.start for each in beside] == [795, 795]
    assert not any(each.why for each in (*after, *beside)) and "is with Helen" in clash[1].why
    made = book_many(desk, JUNO, [each.order for each in beside])
    assert {row(desk, v).start_min for v in made} == {795}
    exams = scalar(
        desk,
        "SELECT COUNT(DISTINCT CONCAT(provider_id, '-', start_min)) FROM staff_slot WHERE words = 'exam'",
    )
    assert exams == 2


def test_one_who_came_is_new_until_the_next_day_for_booking_and_for_arriving_alike(desk: Desk) -> None:
    """However far the first visit got; one that was missed does not count."""
    came, missed = add_patient(desk), add_patient(desk, first="Iris")
    visit_id = book_visit(desk, JUNO, order(came, start="11:00"))
    check_in(desk, JUNO, visit_id)
    missed_visit = book_visit(desk, JUNO, order(missed, start="14:30"))
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE visit SET state = 'missed' WHERE id = :id"), {"id": missed_visit})
    kind = replace(desk.clinic.types[TYPE_ID["Follow-up"]], for_whom="new")
    for patient, day, new in (
        (came, TODAY, True),
        (came, TOMORROW, False),
        (missed, TODAY, True),
        (missed, TOMORROW, True),
    ):
        with desk.engine.connect() as connection:
            assert known_of(connection, desk.clinic, [Asking(patient)], day)[0].new is new
            tx = Transaction(connection, desk, JUNO, desk.clock.now())
            if new:
                check_for_whom(tx, kind, patient, day)
                continue
            with pytest.raises(Refused, match="has been here before"):
                check_for_whom(tx, kind, patient, day)


def test_types_for_new_or_known_patients_their_hours_and_their_daily_limit(desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE visit_type SET for_whom = 'known' WHERE id = :id"), {"id": TYPE_ID["Follow-up"]}
        )
        connection.execute(
            text(
                'UPDATE visit_type SET most_a_day = 1, hours = \'[{"weekdays": [1], "start": 840, "end":'
                " 960}]' WHERE id = :id"
            ),
            {"id": TYPE_ID["Physical"]},
        )
        desk.clinic = load(connection)
    try:
        with pytest.raises(Refused) as unknown:
            booked(desk, "14:00", 5, "Follow-up")
        assert "type_id" in unknown.value.problems
        with pytest.raises(Refused, match="2:00 to 4:00 pm only"):
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


# --- openings
def test_what_the_finder_offers_can_be_booked_and_says_why(desk: Desk) -> None:
    patient = add_patient(desk)
    set_wishes(desk, JUNO, patient, [6], [])
    booked(desk, "13:15", 2, "Hygiene")
    request = Request(
        parts=(Part(TYPE_ID["Hygiene"]),),
        sites=(1,),
        first=TODAY,
        last=TODAY + timedelta(days=30),
        weekdays=frozenset({1, 3}),
        from_min=8 * 60,
        to_min=17 * 60,
        patient_id=patient,
    )
    with desk.engine.connect() as connection:
        found = find_openings(connection, desk.clinic, desk.clock.now(), request)
    assert len(found) == 20 and {o.day.weekday() for o in found} <= {1, 3}
    assert any("as they prefer" in words for o in found for words in o.reasons)
    best = found[0]
    visit_id = book_visit(
        desk,
        JUNO,
        order(patient, best.lead, f"{best.start // 60}:{best.start % 60:02d}", "Hygiene", day=best.day),
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
            Request(parts=(Part(TYPE_ID["Hygiene"], 0, 5),), sites=(1,), first=TODAY, last=TOMORROW),
        )


def test_two_visits_of_one_day_in_order(desk: Desk) -> None:
    request = Request(
        parts=(Part(TYPE_ID["Hygiene"]), Part(TYPE_ID["Filling"])),
        sites=(1,),
        first=TOMORROW,
        last=TOMORROW,
        limit=5,
    )
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


# --- two sites, two zones
def test_a_person_at_two_sites_in_two_zones_is_booked_once(desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE site SET timezone = 'America/Denver' WHERE id = 2"))
        connection.execute(
            text("UPDATE provider_hours SET start_min = 480, end_min = 1200 WHERE site_id = 2")
        )
        desk.clinic = load(connection)
    try:
        booked(desk, "15:00", 5, "Sick visit")
        with pytest.raises(Conflict, match="4:00 to 4:30 pm"):
            booked(desk, "16:15", 5, "Sick visit", site_id=2)
        visit_id = booked(desk, "15:30", 5, "Sick visit", site_id=2)
        with pytest.raises(Conflict, match="2:30 to 3:00 pm"):
            booked(desk, "14:30", 5, "Sick visit")
        request = Request(
            parts=(Part(TYPE_ID["Sick visit"], 0, 5),),
            sites=(1,),
            first=TODAY,
            last=TODAY,
            weekdays=frozenset(),
            from_min=14 * 60,
            to_min=16 * 60,
        )
        with desk.engine.connect() as connection:
            assert {o.start for o in find_openings(connection, desk.clinic, desk.clock.now(), request)} <= {
                840,
                930,
            }
        move_visit(desk, JUNO, visit_id, to("17:30", 5, site=2))
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE site SET timezone = 'America/Los_Angeles' WHERE id = 2"))
            connection.execute(
                text("UPDATE provider_hours SET start_min = 1020, end_min = 1110 WHERE site_id = 2")
            )

"""The booking form's knowledge, what is added to a visit, codes by rule, and the walk-in."""

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, SAM, TODAY, add_patient, known_patient, order, scalar, state_of
from tests.desk.acting import lines, nothing_is_wrong
from tests.desk.followup.made import recall, recall_type
from zax.clock import local
from zax.core.errors import Conflict, Problems, Refused
from zax.demo.world import SERVICE_ID, TYPE_ID, ZONE
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, check_in, save_step
from zax.desk.book.booking import book_visit
from zax.desk.book.planned import plan_service
from zax.desk.book.track import take_to_room
from zax.desk.charges.charges import add_line
from zax.desk.charges.diagnoses import add_diagnosis
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.day.booking_form import Booking, booking_of, usual_person
from zax.desk.day.walk_in import WalkInForm, walk_in


def known(desk: Desk, patient: int) -> Booking:
    with desk.engine.connect() as connection:
        return booking_of(connection, desk.clinic, patient, TODAY)


def codes(desk: Desk, visit: int) -> list[str]:
    return [desk.clinic.services[line.service_id].code for line in lines(desk, visit)]


# --- what is known and due
def test_the_form_knows_what_is_coming_due_and_with_whom(desk: Desk) -> None:
    patient = known_patient(desk, 1)
    recall(desk, patient, recall_type(desk), TODAY + timedelta(days=20))
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    book_visit(desk, JUNO, order(patient))
    shown = known(desk, patient)
    assert [visit.type_id for visit in shown.coming] == [TYPE_ID["Sick visit"]]
    assert not shown.new and shown.coverages[0].plan_id == 1 and shown.owed == 0
    assert [(each.type_id, each.since is not None) for each in shown.due] == [
        (TYPE_ID["Hygiene"], True),
        (TYPE_ID["Crown seat"], False),
    ]
    with desk.engine.connect() as connection:
        assert usual_person(connection, desk.clinic, patient, TYPE_ID["Hygiene"]) == 2
        assert usual_person(connection, desk.clinic, patient, TYPE_ID["Filling"]) == 0


def test_what_is_booked_is_not_due_anymore(desk: Desk) -> None:
    patient = known_patient(desk)
    recall(desk, patient, recall_type(desk), TODAY)
    assert [each.type_id for each in known(desk, patient).due] == [TYPE_ID["Hygiene"]]
    book_visit(desk, JUNO, order(patient, 2, "14:00", "Hygiene"))
    assert known(desk, patient).due == []


# --- added before it is booked
def test_services_sets_and_teeth_are_added_before_booking(desk: Desk) -> None:
    wanted = order(known_patient(desk), 1, "14:00", "Filling").but(
        also=("set:1", f"service:{SERVICE_ID['D2391']}|14|O|", f"service:{SERVICE_ID['D0274']}|||")
    )
    visit = book_visit(desk, JUNO, wanted)
    assert codes(desk, visit) == ["D2392", "D1110", "D0120", "D0274", "D2391"]
    assert [(line.tooth, line.surfaces) for line in lines(desk, visit)][-1] == ("14", "O")


@pytest.mark.parametrize(
    ("also", "words"),
    [
        (f"service:{SERVICE_ID['93000']}|||", "is medical care"),
        (f"service:{SERVICE_ID['D1204']}|||", "isn’t offered on that day"),
        (f"service:{SERVICE_ID['D2391']}|14|XX|", "isn’t a surface"),
        (f"service:{SERVICE_ID['D2391']}|99|O|", "no tooth"),
        ("set:99", "isn’t used anymore"),
        ("drop table", "Choose from the list"),
    ],
)
def test_what_cannot_be_added_books_nothing(desk: Desk, also: str, words: str) -> None:
    with pytest.raises(Refused, match=words) as error:
        book_visit(desk, JUNO, order(known_patient(desk), 1, "14:00", "Filling").but(also=(also,)))
    assert set(error.value.problems) == {"also"}
    assert scalar(desk, "SELECT COUNT(*) FROM visit WHERE state = 'booked'") == 0


# --- codes by rule
def test_nobody_new_is_booked_with_a_known_patients_code(desk: Desk) -> None:
    new, seen = add_patient(desk), known_patient(desk)
    expected = ((new, "14:00", "99203", "D0150"), (seen, "15:30", "99213", "D0120"))
    for patient, start, office, exam in expected:
        assert codes(desk, book_visit(desk, JUNO, order(patient, 5, start))) == [office]
        hygiene = book_visit(
            desk, JUNO, order(patient, 2, start, "Hygiene").but(day=TODAY + timedelta(days=3))
        )
        assert codes(desk, hygiene) == ["D1110", exam]


def test_care_of_the_other_kind_does_not_make_a_patient_known(desk: Desk) -> None:
    patient = known_patient(desk)
    with desk.engine.begin() as connection:
        connection.execute(
            text("DELETE FROM visit WHERE patient_id = :id AND type_id = :type"),
            {"id": patient, "type": TYPE_ID["Sick visit"]},
        )
    assert codes(desk, book_visit(desk, JUNO, order(patient))) == ["99203"]


def test_a_code_that_fitted_when_it_was_booked_is_looked_at_again_before_checkout(desk: Desk) -> None:
    """New when both visits were booked; after the first of them known."""
    patient = add_patient(desk)
    first = book_visit(desk, JUNO, order(patient))
    visit = book_visit(desk, JUNO, order(patient, 6, "16:00"))
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE visit SET state = 'settled', day = :day WHERE id = :id"),
            {"id": first, "day": TODAY - timedelta(days=1)},
        )
    check_in(desk, JUNO, visit)
    take_to_room(desk, JUNO, visit)
    add_diagnosis(desk, JUNO, visit, "J02.9")
    assert codes(desk, visit) == ["99203"]
    with pytest.raises(Refused, match="99203 is for new patients, and .* Use 99213"):
        ready_for_checkout(desk, JUNO, visit)
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == 0
    added = add_line(desk, JUNO, visit, SERVICE_ID["99203"])
    assert [
        desk.clinic.services[each.service_id].code for each in lines(desk, visit) if each.id == added
    ] == ["99213"]


# --- walking in
def walk(patient: int | None, kind: str = "Sick visit", key: str = "w1", **more: str) -> WalkInForm:
    return WalkInForm(site_id=1, type_id=TYPE_ID[kind], patient_id=patient, key=key, **more)


def test_a_walk_in_is_booked_at_the_next_free_time_and_here_at_once(desk: Desk) -> None:
    done = walk_in(desk, JUNO, walk(add_patient(desk), note="sore throat"))
    assert done.open_steps == () and state_of(desk, done.visit_id) == "here"
    now = local(desk.clock.now(), ZONE)
    start = scalar(desk, "SELECT start_min FROM visit WHERE id = :id", id=done.visit_id)
    assert 0 <= start - (now.hour * 60 + now.minute) < 10 and scalar(desk, "SELECT day FROM visit") == TODAY
    assert walk_in(desk, JUNO, walk(None)).visit_id == done.visit_id  # the same form again
    second = walk_in(
        desk, JUNO, walk(None, key="w2", first="Zara", last="Quimby", birth="5/3/1984", phone="3605550199")
    )
    assert state_of(desk, second.visit_id) == "here"
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 2
    places = desk_places(desk)
    assert len(places) == len(set(places))


def desk_places(desk: Desk) -> list[tuple[int, int, int]]:
    with desk.engine.connect() as connection:
        rows = connection.execute(text("SELECT provider_id, room_id, start_min FROM visit"))
        return [(row.provider_id, row.room_id, row.start_min) for row in rows]


def test_what_is_wrong_is_told_beside_its_field_and_nothing_is_booked(desk: Desk) -> None:
    with pytest.raises(Refused, match="what they came for"):
        walk_in(desk, JUNO, WalkInForm(site_id=1, patient_id=add_patient(desk), key="k"))
    with pytest.raises(Problems) as wrong:
        walk_in(desk, JUNO, walk(None, first="Zara", last="", birth="13/13/2020", phone="1"))
    assert {"last", "birth", "phone"} <= set(wrong.value.problems)
    desk.clock.set_to(desk.clock.now() + timedelta(hours=9))
    with pytest.raises(Conflict, match="No one is free"):
        walk_in(desk, JUNO, walk(add_patient(desk)))
    assert scalar(desk, "SELECT COUNT(*) FROM visit") == 0


def test_six_who_walk_in_at_once_get_six_times(desk: Desk) -> None:
    patients = [add_patient(desk, first=f"Walker{n}") for n in "ABCDEF"]
    with ThreadPoolExecutor(6) as pool:
        forms = [walk(each, key=f"w-{each}") for each in patients]
        done = [each.visit_id for each in pool.map(lambda form: walk_in(desk, JUNO, form), forms)]
    assert len(set(done)) == 6
    places = desk_places(desk)
    spots = {(provider, start) for provider, _, start in places}
    assert all(places.count(each) == 1 for each in places) and len(spots) >= 3
    assert all(state_of(desk, each) == "here" for each in done)
    assert nothing_is_wrong(desk, done[0])


def test_the_clinics_required_steps_stand_in_this_door_too(desk: Desk) -> None:
    save_step(desk, SAM, 0, StepForm(kind="own", words="Read the address back", required=True))
    done = walk_in(desk, JUNO, walk(add_patient(desk)))
    assert done.open_steps == ("Read the address back",) and state_of(desk, done.visit_id) == "booked"

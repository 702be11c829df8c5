"""Arrival on the database: the list, who did what, the door and its manager; heads-ups, forms that stay as
signed, stages and rooms.
"""

import threading
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select, update

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    RAVI,
    SAM,
    TODAY,
    add_patient,
    at,
    order,
    pay_visit,
    scalar,
    state_of,
)
from tests.desk.acting import STROKES, booked, row
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, Stale
from zax.core.money.tender import PaymentState
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import (
    StepForm,
    StepsOpen,
    arrival_of,
    check_in,
    do_step,
    order_steps,
    save_step,
    undo_step,
)
from zax.desk.arrivals.facts import Asking, known_of
from zax.desk.arrivals.forms import SignForm, save_template, sign_form, signed_pdf
from zax.desk.arrivals.stages import DayHabits, order_stages, save_day_habits, save_stage, stays_of
from zax.desk.book.booking import book_visit
from zax.desk.book.track import move_room, set_stage, step_back, take_to_room
from zax.desk.day.corridor import new_wall_address
from zax.store import schema
from zax.store.arrivals.signed import signed_forms
from zax.store.book.stages import whereabouts_of
from zax.store.files import FileStore
from zax.web.arrivals.documents import signed_paper

BLOCKS = [
    ("heading", "Our policy", "", False),
    ("text", "For {first}", "", False),
    ("choice", "May we text?", "Yes, No", True),
]


def habits(wait: str, late: str, names: str, numbering: str) -> DayHabits:
    return DayHabits(
        wait_limit=wait, late_limit=late, wall_names=names, numbering=numbering, clock="12", day_order="month"
    )  # type: ignore[arg-type]


def step(desk: Desk, words: str = "Look at the card", kind: str = "own", **changes: Any) -> int:
    values: dict[str, Any] = {"note": "", "required": False}
    return save_step(desk, SAM, 0, StepForm(kind=kind, words=words, **(values | changes)))


def stands(desk: Desk, visit_id: int) -> dict[str, str]:
    """By step, where it stands."""
    with desk.engine.connect() as connection:
        arrival = arrival_of(connection, desk.clinic, desk.clock.now(), row(desk, visit_id))
    return {each.step.words: each.state for each in arrival.stands}


# --- the list
def test_a_needed_step_stands_in_the_door_until_it_is_done(desk: Desk) -> None:
    number = step(desk, required=True)
    step(desk, "Nice to have")
    visit_id = booked(desk)
    with pytest.raises(StepsOpen, match="Look at the card") as wrong:
        check_in(desk, JUNO, visit_id)
    assert wrong.value.names == ["Look at the card"] and state_of(desk, visit_id) == "booked"
    do_step(desk, JUNO, visit_id, number)
    check_in(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "here" and stands(desk, visit_id) == {
        "Look at the card": "done",
        "Nice to have": "open",
    }


def test_a_skipped_needed_step_still_blocks_and_can_be_done_or_opened_again(desk: Desk) -> None:
    number = step(desk, required=True)
    visit_id = booked(desk)
    with pytest.raises(Refused, match="Say briefly why it’s skipped"):
        do_step(desk, JUNO, visit_id, number, "skipped")
    do_step(desk, JUNO, visit_id, number, "skipped", "left the card at home")
    with pytest.raises(StepsOpen):
        check_in(desk, JUNO, visit_id)
    do_step(desk, RAVI, visit_id, number)
    do_step(desk, RAVI, visit_id, number)  # twice is once
    assert scalar(desk, "SELECT COUNT(*) FROM arrival_done WHERE undone_at IS NULL") == 1
    undo_step(desk, JUNO, visit_id, number)
    assert stands(desk, visit_id) == {"Look at the card": "open"}
    with pytest.raises(NotFound):
        do_step(desk, JUNO, visit_id, 999)


def test_a_manager_lets_somebody_in_with_a_reason_on_record(desk: Desk) -> None:
    step(desk, required=True)
    first, second = booked(desk), booked(desk, "15:00")
    with pytest.raises(StepsOpen):
        check_in(desk, JUNO, first, reason="she is in pain", boss=ODILE)  # a biller is no manager
    with pytest.raises(Refused, match="why they can be checked in"):
        check_in(desk, JUNO, first, boss=SAM)
    check_in(desk, JUNO, first, reason="she is in pain", boss=SAM)
    assert "checked in by Sam Quill without Look at the card" in scalar(
        desk, "SELECT reason FROM track_move WHERE visit_id = :id AND to_stop = 'here'", id=first
    )
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'visit.let_in'") == 1
    with pytest.raises(StepsOpen):
        check_in(desk, SAM, second)
    check_in(desk, SAM, second, reason="known to me")
    assert state_of(desk, second) == "here"


def test_two_who_check_in_one_patient_give_one_arrival_and_one_clear_word(desk: Desk) -> None:
    visit_id = booked(desk)
    version = row(desk, visit_id).version
    said: list[Exception | None] = []

    def press(actor: Any) -> None:
        try:
            check_in(desk, actor, visit_id, version)
            said.append(None)
        except (Stale, Conflict) as error:
            said.append(error)

    threads = [threading.Thread(target=press, args=(actor,)) for actor in (JUNO, RAVI)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    lost = next(error for error in said if error is not None)
    assert said.count(None) == 1 and ("here" in str(lost) or "checked" in str(lost))
    assert (
        scalar(desk, "SELECT COUNT(*) FROM track_move WHERE visit_id = :id AND to_stop = 'here'", id=visit_id)
        == 1
    )


def test_steps_limited_to_some_and_once_a_year(desk: Desk, clock: ShiftedClock) -> None:
    yearly = step(desk, "Once a year", yearly=True)
    step(desk, "New ones", new=True)
    step(desk, "Fillings", types=[TYPE_ID["Filling"]])
    patient = add_patient(desk)
    first = book_visit(desk, JUNO, order(patient))
    assert stands(desk, first) == {"Once a year": "open", "New ones": "open"}
    do_step(desk, JUNO, first, yearly)
    check_in(desk, JUNO, first)
    take_to_room(desk, JUNO, first)
    with desk.engine.begin() as connection:
        connection.execute(update(schema.visit).where(schema.visit.c.id == first).values(state="settled"))
    clock.set_to(at(9, 0, date(2026, 12, 1)))
    again = book_visit(desk, JUNO, order(patient, day=date(2026, 12, 1)))
    assert stands(desk, again) == {}


def test_built_in_steps_are_done_by_themselves_when_there_is_nothing_to_do(desk: Desk) -> None:
    for kind in ("gaps", "collect", "photo", "eligibility", "coverage"):
        step(desk, kind, kind)
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, emergency_name="Agnes", photo="x" * 64)))
    assert set(stands(desk, visit_id).values()) == {"itself"}
    covered = book_visit(desk, JUNO, order(add_patient(desk, 3, street=""), start="15:00"))
    assert stands(desk, covered) == {
        "gaps": "open",
        "collect": "itself",
        "photo": "open",
        "eligibility": "open",
        "coverage": "open",
    }


def test_a_copay_is_asked_before_anything_is_charged_and_waits_as_credit(desk: Desk) -> None:
    step(desk, "Collect", "collect")
    with desk.engine.begin() as connection:
        terms = dict(
            connection.execute(select(schema.plan.c.terms).where(schema.plan.c.id == 3)).scalar_one()
        )
        connection.execute(
            update(schema.plan)
            .where(schema.plan.c.id == 3)
            .values(terms=terms | {"copays": [["office", 2000, "visit"]]})
        )
    desk.read_setup()
    try:
        visit_id = book_visit(desk, JUNO, order(add_patient(desk, 3)))
        assert stands(desk, visit_id) == {"Collect": "open"}
        taken = pay_visit(desk, visit_id, "cash", "20", "copay")
        assert taken.state == PaymentState.TAKEN and stands(desk, visit_id) == {"Collect": "itself"}
        assert (
            scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=visit_id) == -2000
        )
    finally:
        with desk.engine.begin() as connection:
            connection.execute(update(schema.plan).where(schema.plan.c.id == 3).values(terms=terms))


def test_the_list_is_put_in_order_and_a_stale_order_is_refused(desk: Desk) -> None:
    one, two, three = step(desk, "One"), step(desk, "Two"), step(desk, "Three")
    order_steps(desk, SAM, [three, one])
    assert list(desk.clinic.steps) == [three, one, two]
    for wrong in ([one, one], [one, 999]):
        with pytest.raises(Refused, match="The list changed in the meantime"):
            order_steps(desk, SAM, wrong)
    with pytest.raises(NotAllowed):
        order_steps(desk, JUNO, [one])
    for form, field in (
        (StepForm(kind="own", words="x", note="", required=False), "words"),
        (StepForm(kind="dance", words="Dance", note="", required=False), "kind"),
        (StepForm(kind="form", words="Sign", note="", required=False), "template_id"),
    ):
        with pytest.raises(Refused) as wrong_form:
            save_step(desk, SAM, 0, form)
        assert set(wrong_form.value.problems) == {field}
    save_step(
        desk, SAM, one, StepForm(kind="own", words="One, renamed", note="a note", required=True, active=False)
    )
    assert desk.clinic.steps[one].step.words == "One, renamed" and not desk.clinic.steps[one].active


# --- forms
def signing(version: int = 1, strokes: str = STROKES, **answers: str) -> SignForm:
    return SignForm(
        strokes=strokes,
        signer="Helen Vasquez",
        relation="self",
        answers={"answer-2": "Yes"} | answers,
        version=version,
    )


def test_a_signed_form_stays_as_it_was_whatever_becomes_of_its_template(desk: Desk, tmp_path: Path) -> None:
    store, patient = FileStore(tmp_path), add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", BLOCKS, "12", True, 0)
    visit_id = book_visit(desk, JUNO, order(patient))
    number = save_step(
        desk,
        SAM,
        0,
        StepForm(kind="form", words="Sign the policy", note="", required=True, template_id=template),
    )
    with pytest.raises(StepsOpen):
        check_in(desk, JUNO, visit_id)
    signed = sign_form(desk, JUNO, store, signed_paper, patient, template, signing(), 1, visit_id)
    assert stands(desk, visit_id) == {"Sign the policy": "itself"} and number in desk.clinic.steps
    with desk.engine.connect() as connection:
        before, pdf = signed_pdf(connection, store, signed)
    assert (
        pdf.startswith(b"%PDF")
        and before.answers["given"] == {"2": "Yes"}
        and before.answers["blocks"][1]["words"] == "For Helen"
    )
    save_template(
        desk, SAM, template, "Policy", [("text", "Everything is different", "", False)], "12", True, 1
    )
    with desk.engine.connect() as connection:
        after, same = signed_pdf(connection, store, signed)
        assert [each.name for each in signed_forms(connection, patient)] == ["Policy"]
    assert (after.digest, same, after.template_version) == (before.digest, pdf, 1)


def test_a_text_changed_while_it_was_read_is_not_signed(desk: Desk, tmp_path: Path) -> None:
    patient = add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", BLOCKS, "0", True, 0)
    save_template(desk, SAM, template, "Policy", BLOCKS[:1], "0", True, 1)
    with pytest.raises(Stale, match="changed while"):
        sign_form(desk, JUNO, FileStore(tmp_path), signed_paper, patient, template, signing(1), 1)
    with pytest.raises(Stale):
        save_template(desk, SAM, template, "Policy", BLOCKS, "0", True, 1)


def test_an_empty_signature_or_a_missing_answer_is_told_at_its_place(desk: Desk, tmp_path: Path) -> None:
    store, patient = FileStore(tmp_path), add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", BLOCKS, "0", True, 0)
    with pytest.raises(Problems) as wrong:
        sign_form(
            desk,
            JUNO,
            store,
            signed_paper,
            patient,
            template,
            SignForm(strokes="", signer=" ", relation="a friend", version=1),
            1,
        )
    assert set(wrong.value.problems) == {"signature", "signer", "relation", "block-2"}
    other = booked(desk)
    with pytest.raises(Stale, match="This visit belongs to someone else"):
        sign_form(desk, JUNO, store, signed_paper, patient, template, signing(), 1, other)
    with pytest.raises(NotFound):
        sign_form(desk, JUNO, store, signed_paper, patient, 999, signing(), 1)
    assert scalar(desk, "SELECT COUNT(*) FROM signed_form") == 0


def test_a_form_signed_in_the_evening_was_signed_on_the_clinics_day(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    patient = add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", BLOCKS, "12", True, 0)
    clock.set_to(at(18, 30))
    sign_form(desk, JUNO, FileStore(tmp_path), signed_paper, patient, template, signing(), 1)
    with desk.engine.connect() as connection:
        assert known_of(connection, desk.clinic, [Asking(patient)], TODAY)[0].signed == {template: TODAY}


def test_a_paper_changed_outside_is_not_shown_as_signed(desk: Desk, tmp_path: Path) -> None:
    store, patient = FileStore(tmp_path), add_patient(desk)
    template = save_template(desk, SAM, 0, "Policy", BLOCKS, "0", True, 0)
    signed = sign_form(desk, JUNO, store, signed_paper, patient, template, signing(), 1)
    store.path(scalar(desk, "SELECT digest FROM signed_form")).write_bytes(b"%PDF something else")
    with desk.engine.connect() as connection, pytest.raises(Refused, match="what was signed: it was changed"):
        signed_pdf(connection, store, signed)
    with desk.engine.connect() as connection, pytest.raises(NotFound):
        signed_pdf(connection, store, 999)


# --- stages, rooms, settings
def test_stages_begin_with_the_first_and_the_time_in_each_is_kept(desk: Desk, clock: ShiftedClock) -> None:
    nurse = save_stage(desk, SAM, 0, "Nurse first", "assistant", False, True)
    doctor = save_stage(desk, SAM, 0, "With the provider", "provider", False, True)
    teeth = save_stage(desk, SAM, 0, "Treating", "provider", True, True)
    visit_id = booked(desk)
    check_in(desk, JUNO, visit_id)
    clock.set_to(at(10, 42) + timedelta(minutes=8, seconds=10))
    take_to_room(desk, JUNO, visit_id)
    assert row(desk, visit_id).stage_id == nurse
    clock.set_to(at(10, 42) + timedelta(minutes=13, seconds=20))
    set_stage(desk, INES, visit_id, doctor)
    set_stage(desk, INES, visit_id, doctor)
    clock.set_to(at(10, 42) + timedelta(minutes=20, seconds=30))
    move_room(desk, INES, visit_id, 6)
    clock.set_to(at(10, 42) + timedelta(minutes=25, seconds=40))
    with desk.engine.connect() as connection:
        found = stays_of(
            desk.clinic, whereabouts_of(connection, visit_id), row(desk, visit_id).state, clock.now()
        )
    assert [(s.where, s.stage, s.minutes) for s in found] == [
        ("waiting", "", 8),
        ("Exam A", "Nurse first", 5),
        ("Exam A", "With the provider", 7),
        ("Exam B", "With the provider", 5),
    ]
    assert [s.now for s in found] == [False, False, False, True]
    with pytest.raises(Refused, match="from the list"):
        set_stage(desk, INES, visit_id, teeth)
    with pytest.raises(Refused, match="already"):
        move_room(desk, INES, visit_id, 6)
    step_back(desk, JUNO, visit_id, "wrong person")
    assert row(desk, visit_id).stage_id is None
    with pytest.raises(Conflict, match="not in a room"):
        move_room(desk, INES, visit_id, 5)


def test_an_occupied_room_is_refused_to_those_who_move_as_well(desk: Desk) -> None:
    first, second = booked(desk), booked(desk, "15:00", provider=6)
    for number, room in ((first, 5), (second, 7)):
        check_in(desk, JUNO, number)
        take_to_room(desk, JUNO, number, room)
    with pytest.raises(Conflict, match="is in Exam A. Free now: Exam B"):
        move_room(desk, INES, second, 5)
    assert row(desk, second).room_id == 7


def test_the_days_settings_and_the_order_of_stages(desk: Desk) -> None:
    one, two = (
        save_stage(desk, SAM, 0, "One", "desk", True, True),
        save_stage(desk, SAM, 0, "Two", "desk", True, True),
    )
    order_stages(desk, SAM, [two, one])
    assert list(desk.clinic.stages) == [two, one]
    with pytest.raises(Refused):
        order_stages(desk, SAM, [one])
    for name, whose, field in (("x", "desk", "name"), ("Three", "nobody", "whose"), ("One", "desk", "name")):
        with pytest.raises(Refused) as wrong:
            save_stage(desk, SAM, 0, name, whose, True, True)
        assert set(wrong.value.problems) == {field}
    save_day_habits(desk, SAM, habits("12", "7", "first", "fdi"))
    assert (desk.clinic.wait_limit, desk.clinic.late_limit, desk.clinic.numbering) == (12, 7, "fdi")
    new_wall_address(desk, SAM)
    assert len(desk.clinic.about["wall_token"]) > 20
    for bad, field in (
        (("0", "7", "first", "fdi"), "wait_limit"),
        (("9", "x", "first", "fdi"), "late_limit"),
        (("9", "9", "all", "fdi"), "wall_names"),
        (("9", "9", "first", "roman"), "numbering"),
    ):
        with pytest.raises(Refused) as wrong:
            save_day_habits(desk, SAM, habits(*bad))
        assert set(wrong.value.problems) == {field}
    save_day_habits(desk, SAM, habits("10", "10", "initials", "universal"))

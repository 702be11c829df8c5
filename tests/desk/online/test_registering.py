"""A patient fills in their pages: two facts open them, nothing typed is lost, sent once; the desk takes it
over field by field, undoes it, turns it down.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, order, rows_of, scalar
from tests.desk.online.test_asking import PHONE, code
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Problems, Refused
from zax.demo.records import card_of
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.arrivals.forms import save_template
from zax.desk.book.booking import book_visit
from zax.desk.inbox.inbox import inbox_rows
from zax.desk.notices.fill_in import OPEN_FOR, registration_for
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.online.codes import Purpose, text_again
from zax.desk.online.comparing import Comparison, comparison
from zax.desk.online.doctors import DoctorForm, save_doctor
from zax.desk.online.habits import OnlineHabits, keep_online_habits
from zax.desk.online.inviting import send_link, stop_registration
from zax.desk.online.newcomers import NewcomerTyped, announce, arrive
from zax.desk.online.registering import (
    MOST_WRONG,
    filling,
    keep_photo,
    link_is_open,
    open_registration,
    save_page,
    send_registration,
)
from zax.desk.online.taking import accept_registration, is_them, refuse_registration, undo_accepting
from zax.desk.patients.details import change_section
from zax.desk.patients.duplicates import call_two
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore
from zax.store.online.registrations import Registration, registration_of
from zax.web.arrivals.documents import signed_paper

BIRTH = "3/14/1988"
TYPED: dict[str, dict[str, str]] = {
    "you": {"used_name": "Tam"},
    "reach": {"phone": "360 555 0137", "street": "41 Lantern Row", "zip": "98201"},
    "dental": {
        "has": "yes",
        "payer": "Harbour Gild dental",
        "member": "hg-40772",
        "group": "118",
        "whose": "self",
    },
    "medical": {"has": "no"},
    "doctors": {"doctor": "Dr Ibara"},
}


@pytest.fixture
def files(tmp_path: Path) -> FileStore:
    return FileStore(tmp_path)


@pytest.fixture(autouse=True)
def pages(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


@pytest.fixture
def tamsin(desk: Desk) -> int:
    return add_patient(
        desk,
        2,
        first="Tamsin",
        last="Ellery",
        birth=date(1988, 3, 14),
        phone="3605550119",
        street="3 Pier Lane",
    )


@pytest.fixture
def row(desk: Desk, tamsin: int) -> Registration:
    return in_transaction(desk, WORKER, lambda tx: registration_for(tx, tamsin, None))


def a_form(desk: Desk) -> int:
    template = save_template(
        desk, SAM, 0, "Policy", [("text", "We keep it, {first}.", "", False)], "0", True, 0
    )
    save_step(desk, SAM, 0, StepForm(kind="form", words="Sign it", template_id=template))
    return template


def fill_in(desk: Desk, row: Registration, typed: dict[str, dict[str, str]] = TYPED) -> None:
    """Every page gone through as a browser sends it."""
    open_registration(desk, row.link or "", BIRTH)
    for page in filling(desk, row.id).pages:
        now = filling(desk, row.id)
        sent = now.typed(page) | typed.get(page.key, {})
        if page.form is not None:
            sent |= {"typed_name": "Tamsin Ellery", "signer": "Tamsin Ellery", "relation": "self"}
            sent |= {"version": str(page.form.version)}
        save_page(desk, row.id, page.key, sent, done=True)


def send(desk: Desk, files: FileStore, row: Registration, typed: dict[str, dict[str, str]] = TYPED) -> None:
    fill_in(desk, row, typed)
    send_registration(desk, files, signed_paper, row.id)


def compared(desk: Desk, row: Registration) -> Comparison:
    with desk.engine.connect() as connection:
        return comparison(connection, desk.clinic, row.id, TODAY)


def accept(desk: Desk, files: FileStore, row: Registration, **choices: str) -> int:
    said = {name.replace("_", "-"): text for name, text in choices.items()}
    with desk.engine.connect() as connection:
        now = registration_of(connection, row.id)
    assert now is not None
    return accept_registration(desk, JUNO, files, row.id, said, now.version)


def patient(desk: Desk, number: int) -> dict[str, Any]:
    return dict(rows_of(desk, f"SELECT * FROM patient WHERE id = {number}")[0])


def covers(desk: Desk, number: int) -> list[tuple[int, str, str, date | None]]:
    rows = rows_of(desk, f"SELECT * FROM coverage WHERE patient_id = {number} ORDER BY id")
    return [(each["plan_id"], each["member_id"], each["group_number"], each["to_day"]) for each in rows]


def test_nothing_opens_without_the_link_and_the_birth_date(desk: Desk, row: Registration) -> None:
    for link in ("", "nothing", "x" * 25, f"{row.link}x"):
        with pytest.raises(NotFound):
            link_is_open(desk, link)
    with pytest.raises(Refused) as refused:
        open_registration(desk, row.link or "", "3/15/1988")
    assert set(refused.value.problems) == {"birth"}
    with pytest.raises(Refused):
        open_registration(desk, row.link or "", "soon")
    assert scalar(desk, "SELECT wrong_tries FROM registration") == 1
    assert open_registration(desk, row.link or "", BIRTH).id == row.id


def test_guessing_the_birth_date_ends_after_a_few_also_by_many_at_once(desk: Desk, row: Registration) -> None:
    def guess(day: int) -> str:
        try:
            open_registration(desk, row.link or "", f"4/{day}/1988")
        except (Refused, NotFound) as error:
            return type(error).__name__
        return "opened"

    with ThreadPoolExecutor(8) as pool:
        said = list(pool.map(guess, range(1, 25)))
    assert said.count("Refused") == MOST_WRONG and "opened" not in said
    with pytest.raises(NotFound):
        open_registration(desk, row.link or "", BIRTH)


def test_a_link_ends_by_time_and_by_hand(desk: Desk, row: Registration, clock: ShiftedClock) -> None:
    stop_registration(desk, JUNO, row.id)
    with pytest.raises(NotFound):
        link_is_open(desk, row.link or "")
    other = in_transaction(desk, WORKER, lambda tx: registration_for(tx, row.patient_id, None))
    assert other.id != row.id and link_is_open(desk, other.link or "")
    clock.set_to(clock.now() + OPEN_FOR + timedelta(minutes=1))
    with pytest.raises(NotFound):
        link_is_open(desk, other.link or "")


def test_what_is_typed_is_kept_right_or_not_and_taken_up_again(desk: Desk, row: Registration) -> None:
    open_registration(desk, row.link or "", BIRTH)
    save_page(desk, row.id, "reach", {"zip": "9820", "street": "41 Lantern Row"}, done=False)
    with pytest.raises(Problems) as wrong:
        save_page(desk, row.id, "reach", {"zip": "9820", "street": "41 Lantern Row, Apt 2"}, done=True)
    assert set(wrong.value.problems) == {"zip"}
    now = filling(desk, row.id)
    assert now.typed(now.page("reach"))["street"] == "41 Lantern Row, Apt 2"
    assert now.typed(now.page("reach"))["zip"] == "9820" and now.next_page == now.page("you")
    with pytest.raises(Refused, match="you"):
        send_registration(desk, None, signed_paper, row.id)  # type: ignore[arg-type]


def test_two_devices_at_once_lose_no_page(desk: Desk, row: Registration) -> None:
    open_registration(desk, row.link or "", BIRTH)

    def work(page: str) -> None:
        for at in range(6):
            save_page(desk, row.id, page, {"used_name": f"T{at}", "street": f"{at} Row"}, done=False)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(work, ("you", "reach")))
    now = filling(desk, row.id)
    assert now.typed(now.page("you"))["used_name"] == "T5"
    assert now.typed(now.page("reach"))["street"] == "5 Row"


def test_a_photo_goes_through_the_checks_of_the_desk(desk: Desk, row: Registration, files: FileStore) -> None:
    open_registration(desk, row.link or "", BIRTH)
    keep_photo(desk, files, row.id, "dental-front", card_of("Harbor Guild", "HG-1"))
    for content in (b"", b"<html>", b"%PDF-1.7 broken"):
        with pytest.raises(Refused) as refused:
            keep_photo(desk, files, row.id, "dental-back", content)
        assert set(refused.value.problems) == {"photo"}
    for name in ("dental-side", "you-front", "form-1-front", "../../etc", ""):
        with pytest.raises(NotFound):
            keep_photo(desk, files, row.id, name, card_of("Harbor Guild", "HG-1"))
    assert set(filling(desk, row.id).row.photos) == {"dental-front"}


def test_sent_once_signed_and_in_the_inbox(desk: Desk, row: Registration, files: FileStore) -> None:
    a_form(desk)
    visit_id = book_visit(desk, JUNO, order(row.patient_id, 5, "14:00", day=TODAY + timedelta(days=3)))
    send(desk, files, row)
    send_registration(desk, files, signed_paper, row.id)
    (signed,) = rows_of(desk, "SELECT * FROM signed_form")
    assert (signed["name"], signed["signer"], signed["by_id"]) == ("Policy", "Tamsin Ellery", None)
    assert files.get(signed["digest"]).startswith(b"%PDF")
    with desk.engine.connect() as connection:
        rows = inbox_rows(connection, desk.clinic, 1, 1, JUNO.role, desk.clock.now())
    (found,) = [each for each in rows if each.key == f"reg-{row.id}"]
    assert found.href == f"/compare/{row.id}" and found.visit_id == visit_id and "Comes" in found.why
    with pytest.raises(NotFound):
        save_page(desk, row.id, "you", {"used_name": "Late"}, done=False)


def test_nothing_changes_before_the_desk_takes_it_over(
    desk: Desk, row: Registration, files: FileStore
) -> None:
    before = patient(desk, row.patient_id), covers(desk, row.patient_id)
    send(desk, files, row)
    assert (patient(desk, row.patient_id), covers(desk, row.patient_id)) == before


def test_taken_over_as_proposed_and_undone(desk: Desk, row: Registration, files: FileStore) -> None:
    rosa = save_doctor(desk, SAM, DoctorForm(first="Rosa", last="Ibarra", degree="MD", active=True))
    before = patient(desk, row.patient_id), covers(desk, row.patient_id)
    open_registration(desk, row.link or "", BIRTH)
    keep_photo(desk, files, row.id, "dental-front", card_of("Harbor Guild", "HG-40772"))
    send(desk, files, row)
    found = {each.key: (each.take, each.chosen) for each in compared(desk, row).rows}
    assert found["dental-payer"] == (True, "plan-1") and found["doctor"] == (True, f"doctor-{rosa}")
    assert accept(desk, files, row) == len(found)
    now = patient(desk, row.patient_id)
    assert (now["used_name"], now["phone"], now["street"]) == ("Tam", "3605550137", "41 Lantern Row")
    assert now["doctor"] == "Rosa Ibarra, MD"
    assert covers(desk, row.patient_id) == [
        (2, before[1][0][1], before[1][0][2], TODAY - timedelta(days=1)),
        (1, "HG-40772", "118", None),
    ]
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'eligibility'") == 1
    (photo,) = rows_of(desk, "SELECT kind, coverage_id FROM patient_file WHERE ended_at IS NULL")
    assert photo["kind"] == "card_front" and photo["coverage_id"] is not None
    with pytest.raises(Conflict):
        accept(desk, files, row)
    assert undo_accepting(desk, JUNO, row.id) == []
    after = patient(desk, row.patient_id)
    assert {k: v for k, v in after.items() if k != "version"} == {
        k: v for k, v in before[0].items() if k != "version"
    }
    assert covers(desk, row.patient_id)[0] == before[1][0]
    never = rows_of(desk, "SELECT from_day, to_day FROM coverage ORDER BY id DESC LIMIT 1")[0]
    assert never["to_day"] < never["from_day"]
    assert rows_of(desk, "SELECT id FROM patient_file WHERE ended_at IS NULL") == []
    assert accept(desk, files, row) == len(found)


def test_what_changed_once_more_isn_t_undone(desk: Desk, row: Registration, files: FileStore) -> None:
    send(desk, files, row, {"you": {"used_name": "Tam", "pronouns": "she"}})
    accept(desk, files, row)
    now = patient(desk, row.patient_id)
    typed = {
        "first": "Tamsin",
        "last": "Ellery",
        "used_name": "Tammy",
        "pronouns": "she",
        "birth": BIRTH,
        "sex": "F",
    }
    change_section(desk, JUNO, row.patient_id, "name", typed, now["version"], 1)
    assert undo_accepting(desk, JUNO, row.id) == ["Name used"]
    assert patient(desk, row.patient_id)["used_name"] == "Tammy"
    assert patient(desk, row.patient_id)["pronouns"] == ""


def test_kept_fields_stay_and_a_payer_kept_keeps_its_numbers(
    desk: Desk, row: Registration, files: FileStore
) -> None:
    before = covers(desk, row.patient_id)
    send(desk, files, row)
    accept(desk, files, row, take_street="keep", take_dental_payer="keep")
    assert patient(desk, row.patient_id)["street"] == "3 Pier Lane"
    assert patient(desk, row.patient_id)["used_name"] == "Tam"
    assert covers(desk, row.patient_id) == before


def test_a_plan_that_isn_t_clear_must_be_chosen_or_goes_to_billing(
    desk: Desk, row: Registration, files: FileStore
) -> None:
    before = covers(desk, row.patient_id)
    send(desk, files, row, {"dental": {"has": "yes", "payer": "harbor", "member": "X-99", "group": ""}})
    (payer,) = [each for each in compared(desk, row).rows if each.key == "dental-payer"]
    assert payer.must_choose
    with pytest.raises(Problems) as wrong:
        accept(desk, files, row)
    assert set(wrong.value.problems) == {"pick-dental-payer"}
    with pytest.raises(Problems):
        accept(desk, files, row, pick_dental_payer="plan-3")
    accept(desk, files, row, pick_dental_payer="later")
    assert covers(desk, row.patient_id) == before
    (handed,) = rows_of(desk, "SELECT words, to_role FROM hand_over")
    assert handed["to_role"] == ODILE.role.key and "“harbor”, ID X-99" in handed["words"]


def test_none_anymore_ends_the_plan_only_when_somebody_says_so(
    desk: Desk, row: Registration, files: FileStore
) -> None:
    before = covers(desk, row.patient_id)
    send(desk, files, row, {"dental": {"has": "no", "payer": ""}})
    accept(desk, files, row)
    assert covers(desk, row.patient_id) == before
    undo_accepting(desk, JUNO, row.id)
    accept(desk, files, row, take_dental_none="take")
    assert covers(desk, row.patient_id)[0][3] == TODAY - timedelta(days=1)
    undo_accepting(desk, JUNO, row.id)
    assert covers(desk, row.patient_id) == before


def test_two_at_the_desk_take_it_over_once(desk: Desk, row: Registration, files: FileStore) -> None:
    send(desk, files, row)

    def go(_: int) -> str:
        try:
            accept_registration(desk, JUNO, files, row.id, {}, 1)
        except Conflict:
            return "answered"
        return "taken"

    with ThreadPoolExecutor(4) as pool:
        said = sorted(pool.map(go, range(4)))
    assert said == ["answered"] * 3 + ["taken"]
    assert len(covers(desk, row.patient_id)) == 2


def arrives(desk: Desk, **changes: str) -> Registration:
    values = {"first": "Tamsin", "last": "Ellery", "birth": BIRTH, "phone": "360 555 0137", "language": "en"}
    number = announce(desk, PHONE, NewcomerTyped(**values | changes))
    return arrive(desk, PHONE, number, code(desk))


def test_somebody_new_stays_out_of_lists_until_taken_in(desk: Desk, files: FileStore) -> None:
    row = arrives(desk, language="es")
    assert patient(desk, row.patient_id)["status"] == "asked"
    assert patient(desk, row.patient_id)["language"] == "Spanish" and row.language == "es"
    send(desk, files, row, {"you": {"used_name": "Tam"}})
    assert compared(desk, row).is_new
    accept(desk, files, row)
    assert patient(desk, row.patient_id)["status"] == "active"
    undo_accepting(desk, JUNO, row.id)
    assert patient(desk, row.patient_id)["status"] == "asked"
    refuse_registration(desk, JUNO, row.id, scalar(desk, "SELECT version FROM registration"))
    assert scalar(desk, "SELECT COUNT(*) FROM message WHERE event <> 'code'") == 0
    with pytest.raises(NotFound):
        link_is_open(desk, row.link or "")


def test_whoever_is_known_goes_on_with_their_record(desk: Desk, tamsin: int) -> None:
    in_transaction(desk, WORKER, lambda tx: None)
    assert arrives(desk, phone="360 555 0119").patient_id == tamsin
    assert arrives(desk).patient_id != tamsin


def test_a_registration_code_opens_nothing_else(desk: Desk) -> None:
    values = NewcomerTyped(first="T", last="Ellery", birth=BIRTH, phone="360 555 0137", language="en")
    number = announce(desk, PHONE, values)
    with pytest.raises(NotFound):
        text_again(desk, PHONE, Purpose.ASK, number)
    with pytest.raises(NotFound):
        arrive(desk, replace(PHONE, device="another"), number, code(desk))
    arrive(desk, PHONE, number, code(desk))
    with pytest.raises(NotFound):
        arrive(desk, PHONE, number, code(desk))


def test_somebody_new_who_is_on_file_becomes_that_record(desk: Desk, tamsin: int, files: FileStore) -> None:
    row = arrives(desk)
    send(desk, files, row, {"you": {"used_name": "Tam"}})
    (twin,) = compared(desk, row).twins
    assert twin.b.id == tamsin
    is_them(desk, JUNO, row.id, tamsin)
    found = compared(desk, row)
    assert found.patient.id == tamsin and not found.is_new
    assert patient(desk, tamsin)["phone"] == "3605550119"
    accept(desk, files, row)
    assert patient(desk, tamsin)["used_name"] == "Tam"
    with pytest.raises(Conflict):
        is_them(desk, JUNO, row.id, tamsin)


def test_two_people_are_not_asked_about_again(desk: Desk, tamsin: int, files: FileStore) -> None:
    row = arrives(desk)
    send(desk, files, row, {})
    call_two(desk, JUNO, row.patient_id, tamsin)
    assert compared(desk, row).twins == []


def test_the_link_goes_by_text_and_mail_and_is_one(desk: Desk, tamsin: int, outside: Outside) -> None:
    assert send_link(desk, JUNO, tamsin, "text", "a") == "3605550119"
    send_link(desk, JUNO, tamsin, "email", "b")
    with pytest.raises(Refused):
        send_link(desk, JUNO, tamsin, "post", "c")
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert isinstance(outside.texts, FakeTexts)
    ((to, words),) = outside.texts.sent.values()
    link = scalar(desk, "SELECT link FROM registration")
    assert to == "3605550119" and f"https://visits.example.org/register/{link}" in words
    assert scalar(desk, "SELECT proven_phone FROM registration") == "3605550119"


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"npi": "1234567890"}, "npi"),
        ({"last": ""}, "last"),
        ({"phone": "12"}, "phone"),
        ({"degree": "x" * 11}, "degree"),
    ],
)
def test_a_doctor_elsewhere_is_checked(desk: Desk, changes: dict[str, str], field: str) -> None:
    values: dict[str, Any] = {"first": "Rosa", "last": "Ibarra", "active": True} | changes
    with pytest.raises(Problems) as wrong:
        save_doctor(desk, SAM, DoctorForm(**values))
    assert set(wrong.value.problems) == {field}

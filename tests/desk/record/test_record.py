"""The record against a real MariaDB: sections, stale saves, status, messages, number, flags, notes,
households, gaps.
"""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from cryptography.fernet import InvalidToken
from sqlalchemy import text

from tests.conftest import INES, JUNO, ODILE, RAVI, SAM, TODAY, add_patient, order, scalar
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, Stale
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.booking import book_visit
from zax.desk.messages.writing import write_to
from zax.desk.patients.details import change_section, set_reach, set_ssn, set_status, show_ssn
from zax.desk.patients.household import join_household, leave_household, make_payer
from zax.desk.patients.notes import NoteForm, add_note, end_flag, end_note, save_flag, set_flag
from zax.desk.record.record import changes_of, number_of, record_of
from zax.store.listing import Order, Wanted
from zax.store.patients.notes import flags_of, notes_of
from zax.store.patients.patients import members_of
from zax.store.vault import Vault

NAME = {
    "first": "Helen",
    "last": "Vasquez",
    "used_name": "Nell",
    "pronouns": "she/her",
    "birth": "5/3/1984",
    "sex": "F",
    "alert": "",
}
REACH = {
    "phone": "360 555 0148",
    "home_phone": "",
    "work_phone": "",
    "texts_to": "phone",
    "email": "nell@example.org",
}


def record(desk: Desk, patient_id: int) -> Any:
    with desk.engine.connect() as connection:
        return record_of(connection, desk.clinic, patient_id, desk.clock.now(), TODAY)


def test_a_section_is_saved_with_what_every_field_was(desk: Desk) -> None:
    patient_id = add_patient(desk)
    change_section(desk, JUNO, patient_id, "name", NAME, 1, 1)
    change_section(desk, RAVI, patient_id, "reach", REACH, 2, 1)
    found = record(desk, patient_id).patient
    assert (found.used_name, found.email, found.version, found.last_sound) == (
        "Nell",
        "nell@example.org",
        3,
        "FSKS",
    )
    with desk.engine.connect() as connection:
        latest, first = changes_of(connection, patient_id, Wanted(order=Order.NEWEST)).rows
    assert (latest.by_name, latest.detail["changed"]) == (
        "Ravi Teller",
        {"email": ["helen@example.org", "nell@example.org"]},
    )
    assert first.detail["changed"] == {"used_name": ["", "Nell"], "pronouns": ["", "she/her"]}


def test_wrong_fields_are_all_named_and_nothing_is_kept(desk: Desk) -> None:
    patient_id = add_patient(desk)
    with pytest.raises(Problems) as wrong:
        change_section(
            desk, JUNO, patient_id, "name", NAME | {"last": "", "birth": "2/31/1990", "sex": "Q"}, 1, 1
        )
    assert set(wrong.value.problems) == {"last", "birth", "sex"}
    assert record(desk, patient_id).patient.version == 1
    for name, number in (("nonsense", patient_id), ("name", 10**8)):
        with pytest.raises(NotFound):
            change_section(desk, JUNO, number, name, NAME, 1, 1)
    with pytest.raises(NotAllowed):
        change_section(desk, INES, patient_id, "name", NAME, 1, 1)


def test_the_second_of_two_is_shown_what_the_first_changed(desk: Desk) -> None:
    patient_id = add_patient(desk)
    change_section(desk, RAVI, patient_id, "reach", REACH | {"phone": "360 555 0199"}, 1, 1)
    with pytest.raises(
        Stale, match=r"Ravi Teller has changed mobile from “\(360\) 555-0148” to “\(360\) 555-0199”.*email"
    ):
        change_section(desk, JUNO, patient_id, "name", NAME, 1, 1)


def test_inactive_and_deceased_people_get_no_messages_and_come_back(desk: Desk) -> None:
    patient_id = add_patient(desk)
    book_visit(desk, JUNO, order(patient_id))
    other = add_patient(desk, first="Bea")

    def write(tx: Transaction) -> None:
        for key, whose in (("m1", patient_id), ("m2", other)):
            write_to(
                tx,
                Channel.EMAIL,
                "x@example.org",
                "t",
                key=key,
                sort=Sort.BY_HAND,
                patient_id=whose,
                subject="s",
            )

    in_transaction(desk, WORKER, write)
    said = set_status(desk, JUNO, patient_id, "deceased", "the family called", "11/20/2026", 1, 1)
    assert "1 message not sent" in said and "1 visit is still booked" in said
    for table in ("message", "outbox WHERE kind = 'message'"):
        found = scalar(desk, f"SELECT GROUP_CONCAT(state ORDER BY request_key) FROM {table}")
        assert found == "withdrawn,waiting"
    with pytest.raises(Refused, match="before the birth date"):
        set_status(desk, JUNO, patient_id, "deceased", "", "1/1/1980", 2, 1)
    with pytest.raises(Refused, match="Choose"):
        set_status(desk, JUNO, patient_id, "merged", "", "", 2, 1)
    assert "is active now" in set_status(desk, JUNO, patient_id, "active", "a mistake", "", 2, 1)
    assert record(desk, patient_id).patient.died_on is None


def test_channels_are_kept_with_the_day_of_the_choice(desk: Desk) -> None:
    patient_id = add_patient(desk)
    set_reach(desk, JUNO, patient_id, {"reminders": "text", "news": "none"}, 1)
    set_reach(desk, JUNO, patient_id, {"reminders": "text", "news": "email"}, 2)
    kept = record(desk, patient_id).patient.reach
    assert kept["reminders"] == {"by": "text", "since": "2026-11-24"} and kept["news"]["by"] == "email"
    with pytest.raises(Refused):
        set_reach(desk, JUNO, patient_id, {"money": "pigeon"}, 3)


def test_the_number_is_sealed_and_who_saw_it_is_on_record(desk: Desk, tmp_path: Path) -> None:
    patient_id, vault = add_patient(desk), Vault(tmp_path)
    set_ssn(desk, JUNO, vault, patient_id, "123-45-6789", 1)
    stored = scalar(desk, "SELECT ssn_cipher FROM patient")
    assert "6789" not in stored and scalar(desk, "SELECT COUNT(*) FROM audit WHERE detail LIKE '%6789%'") == 0
    assert show_ssn(desk, RAVI, vault, patient_id) == "123456789"
    assert scalar(desk, "SELECT by_id FROM audit WHERE act = 'patient.ssn_shown'") == 2
    assert Vault(tmp_path).open(stored) == "123456789"
    with pytest.raises(InvalidToken):
        Vault(tmp_path / "other").open(stored)
    with pytest.raises(Refused):
        set_ssn(desk, JUNO, vault, patient_id, "000-00-0000", 2)
    set_ssn(desk, JUNO, vault, patient_id, "", 2)
    with pytest.raises(NotFound):
        show_ssn(desk, RAVI, vault, patient_id)


def test_flags_are_set_once_and_ended(desk: Desk) -> None:
    patient_id = add_patient(desk)
    for _ in range(2):
        set_flag(desk, JUNO, patient_id, 3)
    with desk.engine.connect() as connection:
        assert [f.words for f in flags_of(connection, patient_id)] == ["Cash only"]
    end_flag(desk, JUNO, patient_id, 3)
    set_flag(desk, JUNO, patient_id, 3)
    assert scalar(desk, "SELECT COUNT(*) FROM patient_flag") == 2
    with pytest.raises(Refused):
        set_flag(desk, JUNO, patient_id, 999)


def test_the_clinic_makes_up_its_flags(desk: Desk) -> None:
    number = save_flag(desk, SAM, 0, "Ferry captain", False, True)
    try:
        assert desk.clinic.flags[number].words == "Ferry captain"
        with pytest.raises(Conflict):
            save_flag(desk, SAM, 0, "ferry CAPTAIN", True, True)
        save_flag(desk, SAM, number, "Ferry crew", True, False)
        with pytest.raises(Refused):
            set_flag(desk, JUNO, add_patient(desk), number)
        for wrong in ("", "x" * 41):
            with pytest.raises(Refused):
                save_flag(desk, SAM, 0, wrong, False, True)
        with pytest.raises(NotAllowed):
            save_flag(desk, ODILE, 0, "Mine", False, True)
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("DELETE FROM flag WHERE id = :id"), {"id": number})


def test_notes_are_pinned_dated_and_put_away(desk: Desk) -> None:
    patient_id = add_patient(desk)
    add_note(desk, JUNO, patient_id, NoteForm(note="plain", pinned=False))
    until = (TODAY + timedelta(days=2)).isoformat()
    pinned = add_note(desk, RAVI, patient_id, NoteForm(note="  pinned   note ", pinned=True, until=until))
    with desk.engine.connect() as connection:
        assert [(n.words, n.by_name) for n in notes_of(connection, patient_id, TODAY)] == [
            ("pinned note", "Ravi Teller"),
            ("plain", "Juno Park"),
        ]
        assert [n.words for n in notes_of(connection, patient_id, TODAY + timedelta(days=3))] == ["plain"]
    end_note(desk, JUNO, patient_id, pinned)
    end_note(desk, JUNO, patient_id, pinned)
    assert scalar(desk, "SELECT COUNT(*) FROM patient_note WHERE ended_at IS NOT NULL") == 1
    for words, until in (("", ""), ("x" * 501, ""), ("x", "soon"), ("x", "2020-01-01")):
        with pytest.raises(Refused):
            add_note(desk, JUNO, patient_id, NoteForm(note=words, pinned=False, until=until))
    with pytest.raises(NotFound):
        end_note(desk, JUNO, patient_id, 10**8)


def test_people_move_between_households_and_their_bills_do_not(desk: Desk) -> None:
    helen = add_patient(desk)
    mateo = add_patient(desk, first="Mateo", birth=TODAY - timedelta(days=4000))
    with desk.engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO journal (kind, day, at, site_id, patient_id, patient_cents) VALUES ('charge',"
                " '2026-11-02', NOW(), 1, :id, 4260)"
            ),
            {"id": mateo},
        )
    join_household(desk, JUNO, mateo, helen)
    found = record(desk, helen)
    assert [(m.first, m.guarantor) for m in found.members] == [
        ("Helen", True),
        ("Mateo", False),
    ] and found.owes == {mateo: 4260}
    with pytest.raises(Refused, match="already"):
        join_household(desk, JUNO, mateo, helen)
    make_payer(desk, JUNO, mateo)
    make_payer(desk, JUNO, helen)
    leave_household(desk, JUNO, helen)
    left = record(desk, mateo)
    assert [(m.first, m.guarantor) for m in left.members] == [("Mateo", True)] and left.owes == {mateo: 4260}
    with pytest.raises(Refused, match="Helen is the only one in"):
        leave_household(desk, JUNO, helen)
    assert scalar(desk, "SELECT patient_id FROM journal") == mateo


def test_who_stays_behind_gets_a_payer(desk: Desk) -> None:
    helen = add_patient(desk)
    for first, years in (("Rafael", 60), ("Mateo", 11)):
        other = add_patient(desk, first=first, birth=TODAY - timedelta(days=365 * years))
        join_household(desk, JUNO, other, helen)
    home = record(desk, helen).patient.household_id
    leave_household(desk, JUNO, helen)
    with desk.engine.connect() as connection:
        assert [m.first for m in members_of(connection, home) if m.guarantor] == ["Rafael"]


def test_the_record_shows_its_gaps_and_unknown_numbers_are_told(desk: Desk) -> None:
    patient_id = add_patient(desk, 1, phone="", street="")
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE coverage SET member_id = ''"))
    gaps = record(desk, patient_id).gaps
    assert [g.field for g in gaps] == ["street", "phone", "member_id", "emergency_name"]
    assert gaps[2].words == "Harbor Guild Dental: no member ID" and gaps[2].coverage_id
    with desk.engine.connect() as connection, pytest.raises(NotFound):
        number_of(connection, 10**8)


def test_a_unit_keeps_settings_for_every_process(desk: Desk) -> None:
    def work(tx: Transaction) -> None:
        tx.keep_setting("eligibility_days", 4)
        tx.keep_setting("eligibility_days", 5)
        tx.change_setup("test")

    try:
        in_transaction(desk, WORKER, work)
        assert desk.clinic.about["eligibility_days"] == 5
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("DELETE FROM setting WHERE name = 'eligibility_days'"))

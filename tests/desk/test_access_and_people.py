"""Signing in, patients' details and coverage, finding, and the schema itself, against a real MariaDB."""

from datetime import timedelta

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, text

from tests.conftest import JUNO, ODILE, RAVI, TODAY, add_patient, scalar
from zax.clock import ShiftedClock
from zax.core.errors import NotFound, Problems, Refused, Stale
from zax.core.patients.person import parse_query
from zax.demo.world import PASSWORD
from zax.desk.access import TRIES, note_look, sign_in, signed_in_user
from zax.desk.patients import Details, change_patient, current_coverage, set_coverage
from zax.desk.unit import Desk
from zax.store import schema
from zax.store.people import find_patients

SOUND = Details(
    "Helen",
    "Vasquez",
    "5/3/1984",
    "F",
    "360 555 0148",
    "h@example.org",
    "12 Tide Street",
    "Marrow Harbor",
    "WA",
    "98201",
    1,
)


def test_the_migrations_make_exactly_the_tables_of_the_schema(engine: Engine) -> None:
    with engine.connect() as connection:
        differences = compare_metadata(MigrationContext.configure(connection), schema.metadata)
    assert differences == []


def test_signing_in(desk: Desk) -> None:
    assert sign_in(desk, " JUNO ", PASSWORD, "1.2.3.4").name == "Juno Park"
    assert scalar(desk, "SELECT password_hash FROM user WHERE sign_in = 'juno'").startswith("$argon2id$")
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'signed_in'") == 1


@pytest.mark.parametrize(
    ("name", "password"), [("juno", "wrong"), ("nobody", PASSWORD), ("", ""), ("juno", "x" * 5000)]
)
def test_wrong_pairs_do_not_say_which_half_is_wrong(desk: Desk, name: str, password: str) -> None:
    with pytest.raises(Refused, match="do not belong together"):
        sign_in(desk, name, password, "1.2.3.4")


def test_guessing_is_slowed_down_and_ends_by_itself(desk: Desk, clock: ShiftedClock) -> None:
    for _ in range(TRIES):
        with pytest.raises(Refused, match="do not belong"):
            sign_in(desk, "juno", "guess", "1.2.3.4")
    with pytest.raises(Refused, match="Too many tries"):
        sign_in(desk, "juno", PASSWORD, "1.2.3.4")
    assert sign_in(desk, "juno", PASSWORD, "5.6.7.8").id == 1
    clock.set_to(clock.now() + timedelta(minutes=6))
    assert sign_in(desk, "juno", PASSWORD, "1.2.3.4").id == 1


def test_an_inactive_user_is_nobody(desk: Desk) -> None:
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE user SET active = 0 WHERE sign_in = 'ravi'"))
    try:
        with pytest.raises(Refused):
            sign_in(desk, "ravi", PASSWORD, "1.2.3.4")
        with desk.engine.connect() as connection:
            assert signed_in_user(connection, 2) is None
            assert signed_in_user(connection, 1) is not None
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE user SET active = 1"))


def test_details_are_saved_with_what_changed_on_record(desk: Desk) -> None:
    patient_id = add_patient(desk, street="")
    change_patient(desk, JUNO, patient_id, SOUND, 1)
    assert scalar(desk, "SELECT street FROM patient") == "12 Tide Street"
    detail = scalar(desk, "SELECT detail FROM audit WHERE act = 'patient.changed'")
    assert '"street": ["", "12 Tide Street"]' in detail


def test_a_stale_save_says_who_changed_what(desk: Desk) -> None:
    patient_id = add_patient(desk, email="")
    change_patient(desk, RAVI, patient_id, SOUND, 1)
    with pytest.raises(Stale, match="Ravi Teller has changed .*email.* since you opened this"):
        change_patient(desk, JUNO, patient_id, SOUND, 1)


def test_every_wrong_detail_is_named(desk: Desk) -> None:
    wrong = Details("", "x" * 70, "2/31/1990", "Q", "1", "not mail", "s" * 90, "c" * 70, "WAX", "1234", 1)
    with pytest.raises(Problems) as problems:
        change_patient(desk, JUNO, add_patient(desk), wrong, 1)
    assert set(problems.value.problems) == {
        "first",
        "last",
        "birth",
        "sex",
        "phone",
        "email",
        "street",
        "city",
        "state",
        "zip",
    }
    with pytest.raises(NotFound):
        change_patient(desk, JUNO, 10**8, SOUND, 1)


def test_coverage_is_set_corrected_and_replaced(desk: Desk) -> None:
    patient_id = add_patient(desk)
    with pytest.raises(Problems) as problems:
        set_coverage(desk, JUNO, patient_id, "", " ", "")
    assert set(problems.value.problems) == {"plan_id", "member_id"}
    set_coverage(desk, JUNO, patient_id, "1", "hg-1", "G1")
    set_coverage(desk, ODILE, patient_id, "1", "hg-2", "G1")
    set_coverage(desk, JUNO, patient_id, "2", "bw-3", "G2")
    with desk.engine.connect() as connection:
        now = current_coverage(connection, patient_id, True, TODAY)
        assert (now.plan_name, now.member_id) == ("Brightwater Family", "BW-3")
        assert current_coverage(connection, patient_id, False, TODAY) is None
        assert (
            current_coverage(connection, patient_id, True, TODAY - timedelta(days=1)).member_id == "HG-2"
            or now.from_day is None
        )
    assert scalar(desk, "SELECT COUNT(*) FROM coverage") == 2


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("vas", ["Vasquez, Helen", "Vasquez, Mateo"]), ("hel", ["Vasquez, Helen"]), ("hel vas", ["Vasquez, Helen"]), ("Vasquez, M", ["Vasquez, Mateo"]),
        ("muller", ["Müller, Ada"]), ("0148", ["Vasquez, Helen"]), ("360 555", ["Müller, Ada", "Vasquez, Helen", "Vasquez, Mateo"]),
        ("5550149", ["Vasquez, Mateo"]), ("de la", ["de la Cruz, Ana"]), ("%", []), ("v%", []), ("zzz", []),
    ],
)  # fmt: skip
def test_finding_people(desk: Desk, typed: str, expected: list[str]) -> None:
    add_patient(desk)
    add_patient(desk, first="Mateo", phone="3605550149")
    add_patient(desk, first="Ada", last="Müller", phone="3605550150")
    add_patient(desk, first="Ana", last="de la Cruz", phone="4255550101")
    add_patient(desk, first="Helena", last="Gone", status="inactive", phone="2065550199")
    with desk.engine.connect() as connection:
        hits = find_patients(connection, parse_query(typed))
    assert sorted(f"{hit.last}, {hit.first}" for hit in hits) == sorted(expected)


def test_looking_is_on_record(desk: Desk) -> None:
    note_look(desk.engine, desk.clock.now(), 1, 4711, "account")
    assert scalar(desk, "SELECT screen FROM look WHERE patient_id = 4711 AND user_id = 1") == "account"

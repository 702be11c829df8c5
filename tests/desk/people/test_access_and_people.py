"""Signing in, patients' details and coverage, finding, and the schema itself, against a real MariaDB."""

from datetime import date, timedelta

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, text

from tests.conftest import TODAY, add_patient, scalar
from zax.clock import system_now
from zax.core.errors import Refused
from zax.core.patients.search_terms import parse_query
from zax.core.people.roles import SHIPPED
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.people import tries
from zax.desk.people.sessions import open_session, who_is
from zax.desk.people.sign_in import authenticate, note_looks, welcome
from zax.desk.people.tries import LIMITS
from zax.store import schema
from zax.store.patients.search import find_patients, recently_seen


def test_the_migrations_make_exactly_the_tables_of_the_schema(engine: Engine) -> None:
    with engine.connect() as connection:
        differences = compare_metadata(MigrationContext.configure(connection), schema.metadata)
    assert differences == []


def test_signing_in(desk: Desk) -> None:
    assert authenticate(desk, " JUNO ", PASSWORD, "1.2.3.4").name == "Juno Park"
    assert scalar(desk, "SELECT password_hash FROM user WHERE sign_in = 'juno'").startswith("$argon2id$")
    welcome(desk, 1)
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'signed_in'") == 1


@pytest.mark.parametrize(
    ("name", "password"), [("juno", "wrong"), ("nobody", PASSWORD), ("", ""), ("juno", "x" * 5000)]
)
def test_wrong_pairs_do_not_say_which_half_is_wrong(desk: Desk, name: str, password: str) -> None:
    with pytest.raises(Refused, match="don’t match"):
        authenticate(desk, name, password, "1.2.3.4")


def test_guessing_is_slowed_down_and_ends_by_itself(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    for _ in range(LIMITS.pair):
        with pytest.raises(Refused, match="don’t match"):
            authenticate(desk, "juno", "guess", "1.2.3.4")
    with pytest.raises(Refused, match="Too many tries"):
        authenticate(desk, "juno", PASSWORD, "1.2.3.4")
    assert authenticate(desk, "juno", PASSWORD, "5.6.7.8").id == 1
    later = system_now() + timedelta(minutes=6)
    monkeypatch.setattr(tries, "system_now", lambda: later)
    assert authenticate(desk, "juno", PASSWORD, "1.2.3.4").id == 1


def test_an_inactive_user_is_nobody(desk: Desk) -> None:
    junos, ravis = open_session(desk, 1), open_session(desk, 2)
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE user SET active = 0 WHERE sign_in = 'ravi'"))
    try:
        with pytest.raises(Refused):
            authenticate(desk, "ravi", PASSWORD, "1.2.3.4")
        with desk.engine.connect() as connection:
            assert who_is(connection, ravis, SHIPPED) is None
            assert who_is(connection, junos, SHIPPED) is not None
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE user SET active = 1"))


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("vas", ["Vasquez, Helen", "Vasquez, Mateo"]),
        ("hel", ["Vasquez, Helen"]),
        ("hel vas", ["Vasquez, Helen"]),
        ("Vasquez, M", ["Vasquez, Mateo"]),
        ("muller", ["Müller, Ada"]),
        ("0148", ["Vasquez, Helen"]),
        ("360 555", ["Müller, Ada", "Vasquez, Helen", "Vasquez, Mateo"]),
        ("5550149", ["Vasquez, Mateo"]),
        ("de la", ["de la Cruz, Ana"]),
        ("%", []),
        ("v%", []),
        ("zzz", []),
        ("vasqeuz", ["Vasquez, Helen", "Vasquez, Mateo"]),
        ("helen vazquez", ["Vasquez, Helen"]),
        ("helen basquez", ["Vasquez, Helen"]),
        ("5/3/84", ["Müller, Ada", "Vasquez, Helen", "Vasquez, Mateo", "de la Cruz, Ana"]),
        ("may 3 1984", ["Müller, Ada", "Vasquez, Helen", "Vasquez, Mateo", "de la Cruz, Ana"]),
        ("hg-900", ["Müller, Ada"]),
        ("HG90077", ["Müller, Ada"]),
        ("lena", ["Vasquez, Helen"]),
        ("4250002222", ["de la Cruz, Ana"]),
        ("0002222", ["de la Cruz, Ana"]),
        ("K-77", []),
        ("907733", ["Vasquez, Mateo"]),
        ("cruz ana", ["de la Cruz, Ana"]),
        ("ana de la cruz", ["de la Cruz, Ana"]),
    ],
)
def test_finding_people(desk: Desk, typed: str, expected: list[str]) -> None:
    add_patient(desk, used_name="Lena")
    add_patient(desk, first="Mateo", phone="3605550149", chart="907733")
    ada = add_patient(desk, 1, first="Ada", last="Müller", phone="3605550150")
    add_patient(desk, first="Ana", last="de la Cruz", phone="4255550101", home_phone="4250002222")
    with desk.engine.begin() as connection:
        connection.execute(
            text(
                "UPDATE coverage SET member_id = 'HG-900-77', member_key = 'HG90077' WHERE patient_id = :id"
            ),
            {"id": ada},
        )
    add_patient(desk, first="Helena", last="Gone", status="inactive", phone="2065550199")
    with desk.engine.connect() as connection:
        hits = find_patients(connection, parse_query(typed, TODAY))
    # Whoever's own number is what was typed is found as well: numbers go on through all tests.
    found = [f"{hit.last}, {hit.first}" for hit in hits if hit.id != int(typed if typed.isdecimal() else 0)]
    assert sorted(found) == sorted(expected)


@pytest.mark.parametrize(
    ("typed", "expected"),
    [
        ("vasquez 1992", ["Nora"]),
        ("1992 vasquez", ["Nora"]),
        ("vasquez 92", ["Nora"]),
        ("nora vasquez 1992", ["Nora"]),
        ("vasquez 5/3/84", ["Helen"]),
        ("vas helen may 3 1984", ["Helen"]),
        ("vasquez 1984-05-03", ["Helen"]),
        ("vasquez 5/3", ["Helen"]),
        ("vasquez 0777", ["Nora"]),
        ("5550777 vasquez", ["Nora"]),
        ("vasquez 360 555 0777", ["Nora"]),
        ("vasqeuz 1992", ["Nora"]),
        ("basquez nora 0777", ["Nora"]),
        ("o'brien 7/4/71", ["Sean"]),
        ("77X vasquez", ["Nora"]),
        ("vasquez 77x", ["Nora"]),
        ("vasquez 1066", []),
        ("n vasquez 1992", ["Nora"]),
        ("n v 1992", []),
        ("vasquez 9999", []),
        ("obrien 1992", []),
    ],
)
def test_a_name_and_what_tells_two_of_a_name_apart(desk: Desk, typed: str, expected: list[str]) -> None:
    add_patient(desk)
    nora = add_patient(desk, 1, first="Nora", birth=date(1992, 12, 30), phone="3605550777")
    add_patient(desk, first="Sean", last="O'Brien", birth=date(1971, 7, 4), phone="2065550101")
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE coverage SET member_key = 'HG90077X' WHERE patient_id = :id"), {"id": nora}
        )
    with desk.engine.connect() as connection:
        hits = find_patients(connection, parse_query(typed, TODAY))
    assert [hit.first for hit in hits] == expected


NASTY = [
    *(
        "0",
        "00",
        "1/1",
        "13/45",
        "2/30/90",
        "1/1/0001",
        "12/31/9999",
        "9" * 23,
        "1" * 400,
        "%",
        "_",
        "\\",
        "'",
        "''",
        '"',
    ),
    *(
        "a 0",
        "a 1",
        "ab 0",
        "ab 9999",
        "ab 0000",
        "ab 12345678901",
        "ab 1/1/0001",
        "ab %",
        "ab _",
        "ab '",
        "ab \\",
        "1a",
        "a1",
    ),
    *(
        "ab 1a",
        "1a ab",
        "- -",
        "/ /",
        "ab /",
        "ab - 1",
        "ab 1-",
        "ab ٣٤",
        "٣٤",
        "ab Ⅷ",
        "Ⅷ",
        "ß 1",
        "ﬁ 12",
        "\x00 1",
        "ab\x001",
    ),
    *(
        "é 5/3/84",
        "李 1992",
        "李",
        "ab 1992 1993",
        "ab cd ef gh ij 1992",
        "1992 1984",
        "5/3 5/3",
        "ab 5/3/84 0777",
        "x" * 300 + " 1",
    ),
    *(
        "ab 00/00",
        "ab 0/0/0",
        "ab 5/3/",
        "ab 05031984",
        "ab 050384",
        "😀 1992",
        "ab 😀",
        "NULL 1",
        "1 OR 1=1",
        "--",
        ";",
    ),
]


@pytest.mark.parametrize("everybody", [False, True])
def test_whatever_is_typed_finds_somebody_or_nobody(desk: Desk, everybody: bool) -> None:
    """Sixty things nobody should type: an answer to each, never an error."""
    helen = add_patient(desk)
    with desk.engine.connect() as connection:
        for typed in NASTY:
            hits = find_patients(connection, parse_query(typed, TODAY), everybody=everybody)
            assert {hit.id for hit in hits} <= {helen}, typed


def test_looking_is_on_record(desk: Desk) -> None:
    note_looks(desk.engine, desk.clock.now(), 1, [4711], "account")
    assert scalar(desk, "SELECT screen FROM look WHERE patient_id = 4711 AND user_id = 1") == "account"


def test_people_seen_last_come_first_and_inactive_ones_only_when_asked_for(desk: Desk) -> None:
    for first in ("Abel", "Bruno", "Carla", "Dora"):
        seen = add_patient(desk, first=first, last="Vance")
    gone = add_patient(desk, first="Emil", last="Vance", status="inactive")
    note_looks(desk.engine, desk.clock.now(), 1, [seen], "record")
    note_looks(desk.engine, desk.clock.now(), 1, [gone], "record")
    with desk.engine.connect() as connection:
        hits = find_patients(connection, parse_query("vance", TODAY), recent=recently_seen(connection, 1))
        assert [hit.first for hit in hits] == ["Dora", "Abel", "Bruno", "Carla"]
        everybody = find_patients(
            connection, parse_query("vance", TODAY), recent=recently_seen(connection, 1), everybody=True
        )
        assert "Emil" in {hit.first for hit in everybody}
        assert [
            hit.first
            for hit in find_patients(
                connection, parse_query("vance", TODAY), recent=recently_seen(connection, 2)
            )
        ][0] == "Abel"

"""Everything a clinic has goes out in one archive, and comes into an empty Zax the same: every row, every
file, every list; and an archive that is not what it says comes in nowhere.
"""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from tests.conftest import free_port
from tests.desk.moving.bringing import bring, came
from tests.desk.setup.test_opening import OPENING
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, Refused
from zax.core.moving.calendar import read_calendar
from zax.core.moving.manifest import NAME, read_manifest
from zax.core.people.roles import MANAGER
from zax.core.record.fhir import read_bundle
from zax.core.table import Cell
from zax.demo.seed import seed, seeded
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.money.ledger_audit import recount
from zax.desk.moving.archive import write_archive
from zax.desk.moving.archive_in import bring_archive
from zax.desk.moving.lists_out import list_lines
from zax.desk.people.inviting import Letters, links_for_managers
from zax.desk.people.sign_in import matches
from zax.desk.setup.opening import open_clinic
from zax.desk.setup.own_fields import OwnFieldForm, save_own_field
from zax.store import schema
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.migrate import migrate
from zax.store.moving.everything import BLANKED, LEFT_OUT, rows_of, tables
from zax.store.people.people import all_users
from zax.store.server import Server
from zax.store.vault import Vault

pytestmark = pytest.mark.slow


@dataclass(frozen=True)
class Place:
    """A database and a file store, with a clinic in it or without."""

    engine: Engine
    store: FileStore

    @property
    def desk(self) -> Desk:
        opens = datetime.fromisoformat((seeded(self.engine) or {})["opens"])
        clock = ShiftedClock()
        clock.set_to(opens)
        with self.engine.connect() as connection:
            return Desk(self.engine, clock, load(connection))

    def count(self, table: str) -> int:
        with self.engine.connect() as connection:
            return int(connection.execute(text(f"SELECT COUNT(*) FROM `{table}`")).scalar_one())


@pytest.fixture(scope="module")
def servers(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[[str], Place]]:
    """Makes a place with an empty Zax in it."""
    running: list[tuple[Server, Engine]] = []

    def made(name: str) -> Place:
        folder = tmp_path_factory.mktemp(name)
        server = Server(folder / "db", free_port(), buffer_mb=128)
        engine = connect(server.start())
        running.append((server, engine))
        migrate(engine)
        return Place(engine, FileStore(folder))

    yield made
    for server, engine in running:
        engine.dispose()
        server.stop()


@pytest.fixture(scope="module")
def clinic(servers: Callable[[str], Place]) -> Place:
    place = servers("clinic")
    seed(place.engine, "short", date(2027, 1, 4), place.store.var)
    return place


@pytest.fixture(scope="module")
def archive(clinic: Place, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("out") / "everything.zip"
    write_archive(clinic.desk, clinic.store, path)
    return path


@pytest.fixture(scope="module")
def other(servers: Callable[[str], Place], archive: Path) -> Place:
    """Another Zax, into which the archive was brought."""
    place = servers("other")
    bring_archive(place.engine, place.store, archive)
    return place


def everything(place: Place) -> dict[str, list[list[Cell]]]:
    with place.engine.connect() as connection:
        return {name: list(rows_of(connection, name)) for name in tables()}


def test_every_row_and_every_file_is_the_same_elsewhere(clinic: Place, other: Place, archive: Path) -> None:
    here, there = everything(clinic), everything(other)
    assert [name for name in here if here[name] != there[name]] == []
    assert sum(map(len, here.values())) > 10_000 and len(here["journal"]) > 500
    assert other.store.digests() == clinic.store.digests() != []
    assert recount(other.engine) == recount(clinic.engine)
    names = zipfile.ZipFile(archive).namelist()
    assert archive.stat().st_mode & 0o777 == 0o600
    assert {f"lists/{key}.csv" for key in ("services", "plans", "patients", "balances", "visits")} <= set(
        names
    )


def test_what_is_made_there_from_then_on_has_numbers_of_its_own(clinic: Place, other: Place) -> None:
    with other.engine.begin() as connection:
        before = connection.execute(text("SELECT MAX(id) FROM household")).scalar_one()
        connection.execute(text("INSERT INTO household (name) VALUES ('New')"))
        assert connection.execute(text("SELECT MAX(id) FROM household")).scalar_one() > before
        connection.execute(text("DELETE FROM household WHERE id > :n"), {"n": before})


def test_an_archive_made_of_what_came_in_is_the_same_again(
    other: Place, archive: Path, tmp_path: Path
) -> None:
    again = write_archive(other.desk, other.store, tmp_path / "again.zip")
    first = read_manifest(zipfile.ZipFile(archive).read(NAME).decode())
    assert again.files == first.files and again.schema == first.schema


def test_no_door_is_opened_by_what_is_in_an_archive(clinic: Place, other: Place, archive: Path) -> None:
    with clinic.engine.connect() as connection:
        hashes = [each.password_hash for each in all_users(connection)]
    assert any(hashes)
    packed = zipfile.ZipFile(archive)
    whole = b"".join(packed.read(name) for name in packed.namelist())
    assert not [each for each in hashes if each and each.encode() in whole]
    with other.engine.connect() as connection:
        users = all_users(connection)
    assert [each.name for each in users] and not any(matches(each.password_hash, "") for each in users)
    assert other.count("outbox") == other.count("session") == other.count("own_login") == 0
    left = read_manifest(packed.read(NAME).decode()).left_out
    assert {*LEFT_OUT} <= {*left} and all(
        f"{table}.{each}" in left for table, names in BLANKED.items() for each in names
    )


def test_a_manager_gets_in_by_a_link(other: Place, tmp_path: Path) -> None:
    sent = links_for_managers(other.desk, WORKER, Letters(Vault(tmp_path), "http://here/"))
    assert [each.user.role for each in sent] == ["manager"] and sent[0].href.startswith("http://here/join/")


def test_nothing_that_goes_out_points_to_what_stays() -> None:
    pointing = {
        f"{name}.{key.parent.name}"
        for name in tables()
        for key in schema.metadata.tables[name].foreign_keys
        if key.column.table.name in LEFT_OUT
    }
    assert pointing == {"favorite_diagnosis.code"}  # every Zax has the book of diagnoses
    assert all(each in schema.metadata.tables[name].c for name, names in BLANKED.items() for each in names)
    # Whoever adds a table with a secret decides here whether it goes out.
    secret = ("hash", "token", "secret", "cipher", "sealed")
    kept = {"link", "sealed"}  # a paper's link is worthless without its page; `sealed` marks a guarded record
    found = {
        f"{name}.{column.name}"
        for name in tables()
        for column in schema.metadata.tables[name].columns
        if any(column.name.endswith(word) for word in secret)
        and column.name not in (*kept, *BLANKED.get(name, ()))
    }
    assert found == set()


def test_the_open_formats_say_what_the_tables_say(clinic: Place, archive: Path) -> None:
    packed, desk = zipfile.ZipFile(archive), clinic.desk
    with clinic.engine.connect() as connection:
        query = "SELECT COUNT(*) FROM patient WHERE status IN ('active', 'inactive', 'deceased')"
        patients = connection.execute(text(query)).scalar_one()
    assert len(read_bundle(packed.read("patients.json").decode())) == patients
    assert packed.read("patients.vcf").count(b"BEGIN:VCARD") == patients
    calendar = read_calendar(packed.read("visits.ics"), desk.clinic.first_site.timezone)
    listed = list(csv.DictReader(io.StringIO(packed.read("lists/visits.csv").decode(), newline="")))
    at = [(row["Day"], row["Time"], row["Minutes"], row["Provider"], row["Visit type"]) for row in listed]
    assert [(r[1], r[2], r[3], r[4], r[5]) for _, r in calendar.rows] == at and len(at) > 10
    owed = sum(
        float(row["Balance (a credit negative)"])
        for row in csv.DictReader(io.StringIO(packed.read("lists/balances.csv").decode(), newline=""))
    )
    assert round(owed * 100) == recount(clinic.engine).open.patient


def test_an_archive_comes_into_an_empty_zax_alone(clinic: Place, archive: Path, tmp_path: Path) -> None:
    patients = clinic.count("patient")
    with pytest.raises(Conflict, match="lives here already"):
        bring_archive(clinic.engine, clinic.store, archive)
    assert clinic.count("patient") == patients
    (tmp_path / "no.zip").write_bytes(b"PK\x03\x04 nothing")
    with pytest.raises(Refused):
        bring_archive(clinic.engine, clinic.store, tmp_path / "no.zip")


# What appointments and providers name (visit types, rooms) a clinic sets up itself.
LISTED = ("services", "payers", "plans", "doctors", "patients", "balances")


def test_the_lists_of_one_clinic_come_into_another_that_has_just_opened(
    clinic: Place, archive: Path, servers: Callable[[str], Place]
) -> None:
    """The way of whoever comes from elsewhere: no tables, only lists. What went in comes out again."""
    place, packed = servers("opened"), zipfile.ZipFile(archive)
    with place.engine.connect() as connection:
        desk = Desk(place.engine, clinic.desk.clock, load(connection))
    manager = Actor(open_clinic(desk, OPENING), "Mara Lind", MANAGER)
    twins = set()
    # What a clinic keeps besides what everybody does, it sets up itself: then the lists bring it.
    with clinic.engine.connect() as connection:
        for each in load(connection).own_fields.values():
            made = {"words": each.words, "kind": each.kind, "choices": ", ".join(each.choices)}
            save_own_field(desk, manager, 0, OwnFieldForm(**made, active=True))
    for key in LISTED:
        job = bring(desk, place.store.var, key, packed.read(f"lists/{key}.csv"), actor=manager)
        assert job.refused == 0, (key, came(desk, job, "refused"))
        if key == "patients":  # one of two records of a person is on file already when the second comes
            twins = {line - 2 for line in came(desk, job, "known")}
    with place.engine.connect() as connection:
        there = {key: "".join(list_lines(connection, desk.clinic, key, date(2027, 1, 4))) for key in LISTED}
    for key in LISTED[1:]:
        sent = listed(packed.read(f"lists/{key}.csv").decode())
        kept = [row for n, row in enumerate(sent) if key != "patients" or n not in twins]
        assert listed(there[key]) == kept, key
    assert len(twins) < 5
    here = {each.code: each.fee_cents for each in clinic.desk.clinic.services.values()}
    assert {code: cents for code, cents in desk.clinic.fees.items() if code in here} == here
    assert recount(place.engine).faults == []


def listed(text: str) -> list[dict[str, str]]:
    """The rows of a list but for our own numbers of households."""
    rows = csv.DictReader(io.StringIO(text, newline=""))
    return [{name: cell for name, cell in row.items() if name != "household"} for row in rows]

"""A backup is taken while people work, and brings the clinic back as it was: to the last act, or to any
second.
"""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import Engine, inspect, text

from tests.conftest import free_port
from tests.desk.setup.test_opening import OPENING, mara
from zax.clock import ShiftedClock, system_now
from zax.desk.acts.actor import Actor
from zax.desk.acts.audit_log import check_audit, seal_audit
from zax.desk.acts.transaction import Desk
from zax.desk.clinic.clinic import load
from zax.desk.patients.details import put_on_file
from zax.desk.setup.opening import open_clinic
from zax.store.backup import BASE, MANIFEST, backups, copy_binary_logs, prune, take_backup
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.migrate import migrate
from zax.store.restoring import restore
from zax.store.sealed_files import KEY_FILE, SealTrouble, backup_key
from zax.store.server import Server, daily_url_of, url_of


@dataclass(frozen=True)
class Clinic:
    """A running clinic with binary logs, in a folder of its own."""

    var: Path
    backups: Path
    owner: Engine
    desk: Desk
    sam: Actor

    def patient(self, last: str) -> int:
        return put_on_file(self.desk, self.sam, "Nell", last, "4/5/1990", "360 555 0188", site_id=1)


@pytest.fixture(scope="module")
def clinic(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Clinic]:
    var = tmp_path_factory.mktemp("clinic")
    server = Server(var / "db", free_port(), buffer_mb=64, binary_log=True)
    server.start()
    owner, daily = (
        connect(url_of(server.folder, server.port)),
        connect(daily_url_of(server.folder, server.port)),
    )
    migrate(owner)
    (var / "session-key").write_text("a key of the sessions")
    with daily.connect() as connection:
        desk = Desk(daily, ShiftedClock(), load(connection))
    yield Clinic(var, var.parent / f"{var.name}-backups", owner, desk, mara(desk, open_clinic(desk, OPENING)))
    daily.dispose()
    owner.dispose()
    server.stop()


def sums(engine: Engine) -> dict[str, object]:
    """A sum over every table."""
    with engine.connect() as connection:
        names = inspect(connection).get_table_names()
        found = connection.execute(text(f"CHECKSUM TABLE {', '.join(f'`{each}`' for each in names)}"))
        return {str(row[0]): row[1] for row in found}


@dataclass(frozen=True)
class Restored:
    var: Path
    owner: Engine


def bring_back(clinic: Clinic, into: Path, until: datetime | None = None) -> tuple[Restored, Server]:
    port = free_port()
    restore(clinic.backups, clinic.var / KEY_FILE, into, port, until)
    server = Server(into / "db", port, buffer_mb=64)
    server.start()
    return Restored(into, connect(url_of(server.folder, server.port))), server


@pytest.fixture
def own(clinic: Clinic, tmp_path: Path) -> Clinic:
    """The same clinic with no backups yet: what an earlier test took is none of this one's."""
    return replace(clinic, backups=tmp_path / "own-backups")


def lasts(engine: Engine) -> set[str]:
    with engine.connect() as connection:
        return set(connection.execute(text("SELECT last FROM patient")).scalars())


def test_taken_under_load_it_comes_back_to_the_last_act_with_files_and_keys(
    own: Clinic, tmp_path: Path
) -> None:
    store = FileStore(own.var)
    contents = [f"scan {n}".encode() * 999 for n in range(5)]
    digests = [store.put(each) for each in contents]
    stop, done = threading.Event(), []

    def work(desk_number: int) -> None:
        number = 0
        while not stop.is_set():
            number += 1
            own.patient(f"Load {chr(97 + desk_number)} {_letters(number)}")
            done.append(f"Load {chr(97 + desk_number)} {_letters(number)}")

    with ThreadPoolExecutor(4) as pool:
        running = [pool.submit(work, n) for n in range(4)]
        made = take_backup(own.var, own.backups, system_now)
        late = store.put(b"a scan of after the backup")
        stop.set()
        for each in running:
            each.result()
    seal_audit(own.desk, own.var)
    copy_binary_logs(own.var, own.backups)
    assert len(done) > 20 and set(digests) <= set(made.files)
    back, server = bring_back(own, tmp_path / "back")
    try:
        assert set(done) <= lasts(back.owner)  # every act that was answered
        assert sums(back.owner) == sums(own.owner)
        files = FileStore(back.var)
        assert [files.get(each) for each in digests] == contents
        assert not files.path(late).exists()  # it belongs to the next backup
        assert (back.var / "session-key").read_text() == "a key of the sessions"
        assert (back.var / "db" / "password-daily").stat().st_mode & 0o777 == 0o600
        assert check_audit(back.owner, own.var).faults == []
    finally:
        back.owner.dispose()
        server.stop()


def _letters(number: int) -> str:
    return "".join(chr(97 + int(digit)) for digit in str(number))


def test_it_comes_back_to_any_second(own: Clinic, tmp_path: Path) -> None:
    take_backup(own.var, own.backups, system_now)
    own.patient("Before")
    with own.owner.connect() as connection:
        between = connection.execute(text("SELECT UTC_TIMESTAMP()")).scalar_one()
        connection.execute(text("DO SLEEP(2.1)"))
    own.patient("After")
    copy_binary_logs(own.var, own.backups)
    back, server = bring_back(own, tmp_path / "back", between)
    try:
        assert "Before" in lasts(back.owner) and "After" not in lasts(back.owner)
    finally:
        back.owner.dispose()
        server.stop()


def test_a_second_backup_adds_only_new_files_and_nothing_in_it_can_be_read(own: Clinic) -> None:
    store = FileStore(own.var)
    one = store.put(b"a letter to Nell Secretname" * 50)
    own.patient("Secretname")
    first = take_backup(own.var, own.backups, system_now)
    other = store.put(b"another letter" * 50)
    second = take_backup(own.var, own.backups, lambda: system_now() + timedelta(seconds=2))
    assert one in first.files and list(second.files) == [other]
    for path in own.backups.rglob("*.age"):
        content = path.read_bytes()
        assert content.startswith(b"age-encryption.org/v1") and b"Secretname" not in content, path
    assert not list(own.backups.rglob("*.part")) and not list(own.var.rglob("*login.cnf"))


def test_without_the_right_key_or_a_backup_or_an_empty_folder_nothing_comes_back(
    own: Clinic, tmp_path: Path
) -> None:
    take_backup(own.var, own.backups, lambda: system_now() + timedelta(seconds=4))
    wrong = backup_key(tmp_path / "other")
    with pytest.raises(SealTrouble, match="can’t be opened"):
        restore(own.backups, wrong, tmp_path / "a", free_port())
    with pytest.raises(SealTrouble, match="no backup"):
        restore(own.backups, own.var / KEY_FILE, tmp_path / "b", free_port(), datetime(2001, 1, 1))
    with pytest.raises(SealTrouble, match="holds a clinic"):
        restore(own.backups, own.var / KEY_FILE, own.var, free_port())
    assert (own.var / KEY_FILE).stat().st_mode & 0o777 == 0o600


def test_a_restored_clinic_goes_on_in_the_same_folder(own: Clinic, tmp_path: Path) -> None:
    """Kills: binary logs of before, counted from 1 as well, written over what came after."""
    take_backup(own.var, own.backups, system_now)
    own.patient("Of the first life")
    copy_binary_logs(own.var, own.backups)
    port = free_port()
    restore(own.backups, own.var / KEY_FILE, tmp_path / "second", port)
    server = Server(tmp_path / "second" / "db", port, buffer_mb=64, binary_log=True)
    server.start()
    again = connect(url_of(server.folder, server.port))
    with again.begin() as connection:
        connection.execute(text("UPDATE patient SET last = 'Renamed' WHERE last = 'Of the first life'"))
    take_backup(tmp_path / "second", own.backups, lambda: system_now() + timedelta(seconds=2))
    with again.begin() as connection:
        connection.execute(text("UPDATE patient SET first = 'Later' WHERE last = 'Renamed'"))
    copy_binary_logs(tmp_path / "second", own.backups)
    whole = sums(again)
    again.dispose()
    server.stop()
    back, third = bring_back(own, tmp_path / "third")
    try:
        assert sums(back.owner) == whole
    finally:
        back.owner.dispose()
        third.stop()


def test_a_hole_in_the_binary_logs_is_told(own: Clinic, tmp_path: Path) -> None:
    take_backup(own.var, own.backups, system_now)
    with own.owner.connect() as connection:
        connection.execute(text("DO 0"))
    copy_binary_logs(own.var, own.backups)
    (place,) = (own.backups / "binlog").iterdir()
    last = sorted(place.glob("binlog.*.age"))[-1]
    number = int(last.stem.rpartition(".")[2])
    shutil.copy2(last, place / f"binlog.{number + 2:06}.age")
    with pytest.raises(SealTrouble, match="is missing"):
        restore(own.backups, own.var / KEY_FILE, tmp_path / "back", free_port())


def test_one_that_broke_off_is_no_backup(own: Clinic, tmp_path: Path) -> None:
    """A full disk, a kill: what lies half-done is never taken for one."""
    folder = tmp_path / "backups"
    with pytest.raises(SealTrouble):  # there is no database here
        take_backup(tmp_path / "nowhere-db", folder, lambda: _no_database(tmp_path))
    assert backups(folder) == {}
    made = take_backup(own.var, folder, system_now)
    (path,) = backups(folder)
    torn = folder / "20200101T000000Z"
    shutil.copytree(path, torn)
    (torn / MANIFEST).unlink()
    assert list(backups(folder)) == [path] and (path / BASE).stat().st_size <= made.bytes
    assert prune(folder, system_now() + timedelta(days=900)) == []  # the newest stays


def _no_database(tmp_path: Path) -> datetime:
    (tmp_path / "nowhere-db" / "db").mkdir(parents=True, exist_ok=True)
    (tmp_path / "nowhere-db" / "db" / "password").write_text("x")
    return system_now()

"""An archive that is not what its manifest says, does not hold together or does not add up comes in nowhere,
and leaves nothing behind.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, text

from tests.conftest import add_patient, free_port
from tests.desk.moving.bringing import bring
from tests.desk.paying import all_lines, pay
from zax.core.errors import Refused
from zax.core.moving.manifest import NAME
from zax.desk.acts.transaction import Desk
from zax.desk.moving.archive import write_archive
from zax.desk.moving.archive_in import bring_archive
from zax.store.engine import connect
from zax.store.files import FileStore
from zax.store.migrate import migrate
from zax.store.moving import everything
from zax.store.server import Server


@pytest.fixture(scope="module")
def empty(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Engine]:
    """A Zax in which no clinic lives."""
    server = Server(tmp_path_factory.mktemp("empty") / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    migrate(engine)
    yield engine
    engine.dispose()
    server.stop()


@pytest.fixture
def archive(desk: Desk, tmp_path: Path) -> Path:
    """A small clinic's: two patients, a starting balance and a payment toward it."""
    store = FileStore(tmp_path / "var")
    store.put(b"kept")
    add_patient(desk, 1)
    emil = add_patient(desk, first="Emil", chart="E-1")
    bring(desk, tmp_path / "var", "balances", "chart,balance\nE-1,80.00\n")
    pay(desk, emil, all_lines(desk, emil), ("cash", "50"))
    write_archive(desk, store, tmp_path / "a.zip")
    return tmp_path / "a.zip"


def changed(archive: Path, target: Path, change: Callable[[dict[str, bytes]], None]) -> Path:
    """The archive with other contents."""
    packed = zipfile.ZipFile(archive)
    files = {name: packed.read(name) for name in packed.namelist()}
    change(files)
    with zipfile.ZipFile(target, "w") as out:
        for name, content in files.items():
            out.writestr(name, content)
    return target


def resealed(files: dict[str, bytes], name: str, content: bytes, **more: Any) -> None:
    """Somebody changes a file and its line of the manifest."""
    files[name] = content
    manifest = json.loads(files[NAME])
    manifest["files"][name] |= {"size": len(content), "sha256": hashlib.sha256(content).hexdigest()} | more
    files[NAME] = json.dumps(manifest).encode()


def _lose_a_file(files: dict[str, bytes]) -> None:
    del files["tables/visit.csv"]


def _change_a_cent(files: dict[str, bytes]) -> None:
    files["tables/journal.csv"] = files["tables/journal.csv"].replace(b",1", b",2", 1)


def _lose_a_row(files: dict[str, bytes]) -> None:
    lines = files["tables/patient.csv"].splitlines(keepends=True)
    resealed(files, "tables/patient.csv", b"".join([*lines[:1], *lines[2:]]))


def _lose_a_patient(files: dict[str, bytes]) -> None:
    lines = files["tables/patient.csv"].splitlines(keepends=True)
    resealed(files, "tables/patient.csv", b"".join([*lines[:1], *lines[2:]]), rows=len(lines) - 2)


def _invent_money(files: dict[str, bytes]) -> None:
    rows = list(csv.reader(io.StringIO(files["tables/journal.csv"].decode(), newline="")))
    place = rows[0].index("patient_cents")
    row = next(row for row in rows[1:] if int(row[place]) < 0)
    row[place] = str(int(row[place]) - 1)
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    resealed(files, "tables/journal.csv", out.getvalue().encode())


def _write_nonsense(files: dict[str, bytes]) -> None:
    resealed(files, "tables/room.csv", b"id,site_id\nx,y\n", rows=1)


def _be_of_another_version(files: dict[str, bytes]) -> None:
    files[NAME] = files[NAME].replace(b'"schema": "', b'"schema": "9')


def _be_of_another_format(files: dict[str, bytes]) -> None:
    files[NAME] = b'{"format": "other"}'


def _have_no_manifest(files: dict[str, bytes]) -> None:
    del files[NAME]


@pytest.mark.parametrize(
    "change",
    [
        *(_lose_a_file, _change_a_cent, _lose_a_row, _lose_a_patient, _invent_money, _write_nonsense),
        *(_be_of_another_version, _be_of_another_format, _have_no_manifest),
    ],
)
def test_an_archive_that_is_not_what_it_says_leaves_nothing(
    empty: Engine, archive: Path, tmp_path: Path, change: Callable[[dict[str, bytes]], None]
) -> None:
    store, before = FileStore(tmp_path / "there"), counts(empty)
    with pytest.raises(Refused):
        bring_archive(empty, store, changed(archive, tmp_path / "x.zip", change))
    assert counts(empty) == before and before["patient"] == 0 and store.digests() == []


def test_files_that_find_no_room_leave_no_rows(
    empty: Engine, archive: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object) -> str:
        raise OSError(28, "No space left on device")

    store, before = FileStore(tmp_path / "there"), counts(empty)
    monkeypatch.setattr(store, "put", full)
    with pytest.raises(OSError, match="No space left"):
        bring_archive(empty, store, archive)
    assert counts(empty) == before and before["patient"] == 0


def test_the_same_archive_unchanged_comes_in(empty: Engine, archive: Path, tmp_path: Path) -> None:
    store = FileStore(tmp_path / "there")
    bring_archive(empty, store, archive)
    found = counts(empty)
    assert (found["patient"], found["journal"]) == (2, 2) and len(store.digests()) == 2
    with empty.begin() as connection:  # the tests around it want none
        everything.without_checks(connection, True)
        everything.clear(connection)
        everything.without_checks(connection, False)


def counts(engine: Engine) -> dict[str, int]:
    names = ("patient", "journal", "setting", "adjustment_rule", "user", "site")
    with engine.connect() as connection:
        return {
            name: int(connection.execute(text(f"SELECT COUNT(*) FROM `{name}`")).scalar_one())
            for name in names
        }

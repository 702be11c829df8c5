"""The doctor says in words what is wrong, and that all is well where it is."""

from __future__ import annotations

import json
import shutil
import socket
from collections import namedtuple
from datetime import timedelta
from pathlib import Path

import pytest

from tests.conftest import free_port
from zax.cli import doctor
from zax.cli.doctor import backup, database, disk, doors, keys, port, programs, python_version
from zax.clock import system_now
from zax.settings import Settings
from zax.store.backup import MANIFEST
from zax.store.server import Server

Usage = namedtuple("Usage", "total used free")


def settings(var: Path, **ports: int) -> Settings:
    return Settings(var=var, **({"port": free_port(), "db_port": free_port()} | ports))


def test_this_machine_has_what_zax_runs_by(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert python_version(settings(tmp_path)).trouble == "" and programs(settings(tmp_path)).trouble == ""
    monkeypatch.setattr(doctor, "PROGRAMS", {"no-such-thing": "a-package"})
    assert "a-package missing" in programs(settings(tmp_path)).trouble


def test_a_full_disk(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(10**12, 0, 10**8))
    assert "Make room" in disk(settings(tmp_path)).trouble
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(10**12, 0, 10**10))
    assert "1 percent free" in disk(settings(tmp_path)).trouble
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(10**12, 0, 5 * 10**11))
    assert disk(settings(tmp_path / "not" / "there")).trouble == ""


def test_a_port_that_another_program_has(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        taken = settings(tmp_path, port=other.getsockname()[1])
        assert "another program" in port(taken).trouble
    assert port(settings(tmp_path)).trouble == ""


def test_keys_that_others_can_read(tmp_path: Path) -> None:
    key = tmp_path / "session-key"
    key.write_text("x")
    key.chmod(0o644)
    assert "session-key" in keys(settings(tmp_path)).trouble
    key.chmod(0o600)
    assert keys(settings(tmp_path)).trouble == ""


def test_the_database_from_nothing_to_well(tmp_path: Path) -> None:
    mine = settings(tmp_path)
    assert "no Zax database" in database(mine).trouble
    server = Server(tmp_path / "db", mine.db_port, buffer_mb=64)
    server.start()
    try:
        assert "bin/zax migrate" in database(mine).trouble
    finally:
        server.stop()
    assert "doesn’t answer" in database(mine).trouble


def test_no_backup_and_an_old_one(tmp_path: Path) -> None:
    mine = settings(tmp_path)
    assert "bin/zax backup" in backup(mine).trouble
    place = tmp_path / "backup" / "20261101T020000Z"
    place.mkdir(parents=True)

    def begun(hours: int) -> str:
        moment = (system_now() - timedelta(hours=hours)).isoformat()
        manifest = {"begun": moment, "ended": moment, "bytes": 1, "digest": "", "files": [], "timeline": ""}
        (place / MANIFEST).write_text(json.dumps(manifest))
        return backup(mine).trouble

    assert begun(2) == "" and "50 hours old" in begun(50)


def test_doors_that_nobody_opens(tmp_path: Path) -> None:
    shut = settings(tmp_path, standin_port=free_port(), smtp_port=free_port())
    assert "clearinghouse, texts, card terminal and mail can’t be reached" in doors(shut).trouble

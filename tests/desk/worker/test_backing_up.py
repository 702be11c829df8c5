"""Backups by the clock, through the worker; and what Day says when they are old."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import rows_of, scalar
from zax.desk.acts.transaction import Desk
from zax.desk.worker import backing_up
from zax.desk.worker.backing_up import DONE, HOUR, too_old
from zax.desk.worker.beats import beat
from zax.desk.worker.health import missing
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore

NIGHT = datetime(2026, 11, 30, 8 + HOUR, 30)  # half past two in Marrow Harbor


@pytest.fixture
def made(monkeypatch: pytest.MonkeyPatch) -> list[Path]:
    """The folders that backups went to."""
    found: list[Path] = []

    def take(_var: Path, folder: Path, _clock: object, progress: Any) -> None:
        progress("database", 1)
        found.append(folder)

    monkeypatch.setattr(backing_up, "take_backup", take)
    monkeypatch.setattr(backing_up, "copy_binary_logs", lambda _var, _folder: 0)
    return found


def at(monkeypatch: pytest.MonkeyPatch, moment: datetime) -> None:
    monkeypatch.setattr(backing_up, "system_now", lambda: moment)
    monkeypatch.setattr("zax.desk.worker.beats.system_now", lambda: moment)


def test_the_first_is_made_at_once_then_one_a_night(
    desk: Desk, outside: Outside, tmp_path: Path, made: list[Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    def work(moment: datetime) -> int:
        at(monkeypatch, moment)
        desk.clock.set_to(moment)  # type: ignore[attr-defined]
        run_once(desk, outside, lambda *_: b"", FileStore(tmp_path), backups=tmp_path / "backups")
        return len(made)

    noon = NIGHT - timedelta(hours=14)
    assert work(noon) == 1
    assert work(noon + timedelta(hours=1)) == 1  # not again by day
    assert work(NIGHT + timedelta(hours=24)) == 2
    assert work(NIGHT + timedelta(hours=25)) == 2
    assert work(NIGHT + timedelta(hours=48)) == 3
    assert made == [tmp_path / "backups"] * 3


def test_where_no_folder_is_named_there_is_none(
    desk: Desk, outside: Outside, tmp_path: Path, made: list[Path]
) -> None:
    run_once(desk, outside, lambda *_: b"", FileStore(tmp_path))
    assert made == [] and scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'backup'") == 0


def test_one_that_fails_is_tried_again_and_then_set_aside(
    desk: Desk, outside: Outside, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise OSError("No space left on device")

    monkeypatch.setattr(backing_up, "take_backup", broken)
    monkeypatch.setattr(backing_up, "copy_binary_logs", lambda _var, _folder: 0)
    for _ in range(8):
        run_once(desk, outside, lambda *_: b"", FileStore(tmp_path), backups=tmp_path / "backups")
        desk.clock.set_to(desk.clock.now() + timedelta(hours=1))  # type: ignore[attr-defined]
    (row,) = rows_of(desk, "SELECT state FROM outbox WHERE kind = 'backup'")
    assert row["state"] == "aside"


def test_day_says_when_the_last_one_is_old(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "backups"

    def words(moment: datetime) -> str:
        at(monkeypatch, moment)
        with desk.engine.connect() as connection:
            return too_old(connection, folder)

    assert "no backup yet" in words(NIGHT)
    beat(desk, DONE)
    assert words(NIGHT + timedelta(hours=29)) == ""
    assert "31 hours old" not in words(NIGHT + timedelta(hours=31)) and "1 day old" in words(
        NIGHT + timedelta(hours=31)
    )
    with desk.engine.connect() as connection:
        told = missing(connection, NIGHT, "America/Los_Angeles", folder)
        assert any("backup" in each for each in told)
        assert not any("backup" in each for each in missing(connection, NIGHT, "America/Los_Angeles"))

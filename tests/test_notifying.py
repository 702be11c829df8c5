"""A part tells the service manager that it is ready and that it lives; without one, nothing happens."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import free_port
from zax.notifying import alive, ready, tell
from zax.settings import ROOT


@pytest.fixture
def manager(monkeypatch: pytest.MonkeyPatch) -> Iterator[socket.socket]:
    folder = tempfile.mkdtemp(prefix="zax-")  # shorter than a test's own: such an address has 107 signs
    path = f"{folder}/notify"
    listening = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
    listening.bind(path)
    listening.settimeout(120)
    monkeypatch.setenv("NOTIFY_SOCKET", path)
    yield listening
    listening.close()
    shutil.rmtree(folder)


def test_what_is_told_arrives_and_a_manager_that_is_gone_is_no_trouble(
    manager: socket.socket, monkeypatch: pytest.MonkeyPatch
) -> None:
    ready()
    alive()
    assert [manager.recv(64), manager.recv(64)] == [b"READY=1", b"WATCHDOG=1"]
    manager.close()
    tell("READY=1")
    Path(os.environ["NOTIFY_SOCKET"]).unlink()
    tell("READY=1")
    monkeypatch.delenv("NOTIFY_SOCKET")
    tell("READY=1")


@pytest.mark.slow
def test_the_database_alone_is_ready_once_it_has_the_schema_and_ends_in_order(
    manager: socket.socket, tmp_path: Path
) -> None:
    settings = {"ZAX_VAR": str(tmp_path / "var"), "ZAX_DB_PORT": str(free_port())}
    (tmp_path / "var").mkdir()
    started = subprocess.Popen(
        [sys.executable, "-m", "zax.cli", "database"],
        env=os.environ | settings | {"PYTHONPATH": str(ROOT / "src")},
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert manager.recv(64) == b"READY=1"
    finally:
        started.send_signal(signal.SIGTERM)
        said, _ = started.communicate(timeout=60)
    assert started.returncode == 0 and "/open/" in said
    log = (tmp_path / "var" / "db" / "mariadb.log").read_text()
    assert "Shutdown complete" in log

"""The own database instance: one sentence for each trouble, and a folder that can always be started again."""

import os
import shutil
import signal
import socket
from collections import namedtuple
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.conftest import free_port
from zax.store.engine import connect
from zax.store.server import Server, ServerTrouble, port_is_free, url_of


def test_a_folder_without_a_database_says_so(tmp_path: Path) -> None:
    with pytest.raises(ServerTrouble, match="Run `make demo` first"):
        url_of(tmp_path, 1)


def test_a_full_disk_and_a_taken_port_are_said_before_anything_is_made(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage(10**12, 10**12, 5 * 2**20))
    with pytest.raises(ServerTrouble, match="almost full: 5 MB free"):
        Server(tmp_path / "db", free_port()).start()
    monkeypatch.undo()
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert not port_is_free(port)
        with pytest.raises(ServerTrouble, match=f"Port {port} is taken"):
            Server(tmp_path / "db", port).start()
    assert not (tmp_path / "db" / "data").exists()


def test_a_killed_instance_starts_again_with_its_data(tmp_path: Path) -> None:
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    engine = connect(server.start())
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE kept (n INT) ENGINE=InnoDB"))
        connection.execute(text("INSERT INTO kept VALUES (42)"))
    engine.dispose()
    assert oct((tmp_path / "db" / "password").stat().st_mode)[-3:] == "600"
    assert server.process
    os.kill(server.process.pid, signal.SIGKILL)
    server.process.wait()
    engine = connect(server.start())
    with engine.connect() as connection:
        assert connection.execute(text("SELECT n FROM kept")).scalar() == 42
    engine.dispose()
    server.stop()


def test_a_database_that_does_not_come_up_shows_the_end_of_its_log(tmp_path: Path) -> None:
    server = Server(tmp_path / "db", free_port(), buffer_mb=64)
    server.start()
    server.stop()
    shutil.rmtree(tmp_path / "db" / "data" / "mysql")
    (tmp_path / "db" / "data" / "ibdata1").write_bytes(b"broken")
    with pytest.raises(ServerTrouble, match=r"did not come up. Its log .* ends: "):
        server.start()
    (tmp_path / "db" / "ready").unlink()  # as after a first run that broke off: made anew
    server.start()
    server.stop()

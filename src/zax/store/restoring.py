"""Bringing a clinic back from its backup, as it was at any second: the base before that second, then
everything that was written since, up to it.
"""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

from zax.store.backup import BASE, KEYS, Manifest, backups
from zax.store.sealed_files import SealTrouble, open_file, open_into
from zax.store.server import SOCKET, Server

Say = Callable[[str], None]


def restore(
    folder: Path, key: Path, var: Path, port: int, until: datetime | None = None, say: Say = lambda _: None
) -> Manifest:
    """The clinic in the empty folder `var`, as it was at `until` (UTC, the whole second counts; None: the
    latest there is). SealTrouble for a folder in use, a wrong key, or when there is no backup that old.
    """
    if (var / "db").exists():
        raise SealTrouble(f"{var} holds a clinic already. Restore into an empty folder.")
    path, chosen = _base(folder, until)
    (var / "db").mkdir(parents=True)
    say(f"Unpacking the backup of {chosen.begun[:19]} UTC")
    open_into(key, path / KEYS, ["tar", "-x", "-C", str(var)])
    _unpack(key, path / BASE, var)
    say("Unpacking the files")
    for bundle in sorted((folder / "files").glob("*.age")):
        open_into(key, bundle, ["tar", "-x", "-C", str(var)])
    say("Writing again what came after it")
    _replay(folder / "binlog" / chosen.timeline, key, var, port, until)
    shutil.copy2(key, var / key.name)
    (var / key.name).chmod(0o600)
    return chosen


def _base(folder: Path, until: datetime | None) -> tuple[Path, Manifest]:
    every = [(path, each) for path, each in backups(folder).items() if until is None or each.moment <= until]
    if not every:
        raise SealTrouble(f"There is no backup in {folder} from before that moment.")
    return every[-1]


def _unpack(key: Path, base: Path, var: Path) -> None:
    data = var / "db" / "data"
    data.mkdir(mode=0o700)
    open_into(key, base, ["mbstream", "-x", "-C", str(data)])
    done = subprocess.run(
        ["mariadb-backup", "--no-defaults", "--prepare", f"--target-dir={data}"],
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        raise SealTrouble(f"The database can’t be made ready: {done.stderr.strip().splitlines()[-1]}")
    (var / "db" / "ready").touch()


def _replay(kept: Path, key: Path, var: Path, port: int, until: datetime | None) -> None:
    """The binary logs from where the base stands, to the second. SealTrouble where one of them is missing:
    what comes after a hole is not written.
    """
    data = var / "db" / "data"
    info = next(
        (
            data / name
            for name in ("mariadb_backup_binlog_info", "xtrabackup_binlog_info")
            if (data / name).exists()
        ),
        None,
    )
    if info is None:
        return
    first, position = info.read_text().split()[:2]
    logs = var / "db" / "replay"
    logs.mkdir(mode=0o700)
    names = sorted(each.stem for each in kept.glob("binlog.*.age") if each.stem >= first)
    if names != _in_a_row(first, len(names)):
        raise SealTrouble(f"A binary log after {first} is missing in {kept}. Go back to a later backup.")
    for name in names:
        open_file(key, kept / f"{name}.age", logs / name)
    server = Server(var / "db", port)
    server.start()
    try:
        if names:
            _apply(var, [str(logs / name) for name in names], position, until)
    finally:
        server.stop()
        shutil.rmtree(logs)


def _in_a_row(first: str, count: int) -> list[str]:
    """'binlog.000007', 'binlog.000008' ..."""
    stem, _, number = first.rpartition(".")
    return [f"{stem}.{int(number) + each:0{len(number)}}" for each in range(count)]


def _apply(var: Path, logs: list[str], position: str, until: datetime | None) -> None:
    end = (until + timedelta(seconds=1)).isoformat(" ", "seconds") if until else ""
    stop = [f"--stop-datetime={end}"] if end else []
    environment = {
        "PATH": "/usr/bin:/bin",
        "TZ": "UTC",
        "MYSQL_PWD": (var / "db" / "password").read_text().strip(),
    }
    with subprocess.Popen(
        ["mariadb-binlog", "--no-defaults", f"--start-position={position}", *stop, *logs],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        env=environment,
    ) as reading:
        assert reading.stdout and reading.stderr
        done = subprocess.run(
            ["mariadb", "--no-defaults", "-uroot", "--binary-mode", f"--socket={SOCKET}"],
            stdin=reading.stdout,
            capture_output=True,
            text=True,
            check=False,
            cwd=var / "db" / "data",
            env=environment,
        )
        reading.stdout.close()
        trouble = reading.stderr.read().decode(errors="replace")
    if reading.returncode:
        raise SealTrouble(f"The binary logs can’t be read: {trouble.strip()}")
    if done.returncode:
        raise SealTrouble(f"The binary logs can’t be written again: {done.stderr.strip()}")

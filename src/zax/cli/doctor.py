"""`zax doctor`: looks at the machine and at what Zax keeps on it, and says in words what is wrong and what to
do.
"""

from __future__ import annotations

import shutil
import socket
import stat
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from rich.console import Console

from zax.clock import system_now
from zax.core.setup.backups import TOO_OLD
from zax.core.wording import list_words
from zax.settings import Settings
from zax.store.backup import KEY_FILES, backups
from zax.store.engine import UNREACHABLE, connect
from zax.store.migrate import newest, version_of
from zax.store.sealed_files import KEY_FILE
from zax.store.server import LEAST_FREE_BYTES, ServerTrouble, port_is_free, url_of

console = Console(highlight=False)
# What Zax runs by, and the Debian package it comes in.
PROGRAMS = {
    "mariadbd": "mariadb-server-core",
    "mariadb": "mariadb-client-core",
    "mariadb-binlog": "mariadb-client",
    "mariadb-backup": "mariadb-backup",
    "age": "age",
    "gzip": "gzip",
    "tar": "tar",
}
MOST_APART = timedelta(seconds=5)
OLDEST_PYTHON = (3, 11)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that was looked at: `trouble` says what is wrong and what to do, empty when it is well."""

    what: str
    trouble: str = ""


def examine() -> int:
    """0 when all is well, 1 when something is not."""
    wrong = 0
    for finding in findings(Settings()):
        wrong += bool(finding.trouble)
        console.print(
            f"{'✗' if finding.trouble else '✓'}"
            f" {finding.what}{': ' if finding.trouble else ''}{finding.trouble}"
        )
    console.print(f"\n{wrong} thing{'s' if wrong > 1 else ''} to look at." if wrong else "\nAll is well.")
    return 1 if wrong else 0


def findings(settings: Settings) -> Iterator[Finding]:
    for look in LOOKS:
        yield look(settings)


def python_version(_: Settings) -> Finding:
    has = sys.version_info[:2]
    wrong = f"this is {has[0]}.{has[1]}; Zax needs 3.11 or newer." if has < OLDEST_PYTHON else ""
    return Finding("Python", wrong)


def programs(_: Settings) -> Finding:
    missing = sorted({package for name, package in PROGRAMS.items() if not _there(name)})
    wrong = f"{', '.join(missing)} missing. Run scripts/setup.sh, or install them." if missing else ""
    return Finding("Debian packages", wrong)


def _there(name: str) -> bool:
    return shutil.which(name) is not None or (Path("/usr/sbin") / name).exists()


def fonts(_: Settings) -> Finding:
    """Papers are set in the font that ships with Zax; a machine without fontconfig sets none at all."""
    if shutil.which("fc-match") is None:
        return Finding("Fonts for papers", "fontconfig is missing. Run scripts/setup.sh.")
    done = subprocess.run(["fc-match", "sans"], capture_output=True, text=True, check=False)
    return Finding("Fonts for papers", "" if done.returncode == 0 else "fontconfig finds none.")


def disk(settings: Settings) -> Finding:
    place = next(each for each in (settings.var, *settings.var.parents) if each.exists())
    usage = shutil.disk_usage(place)
    if usage.free < LEAST_FREE_BYTES:
        return Finding(
            "Disk",
            f"{usage.free // 2**20} MB free at {place}. Make room: Zax stops at {LEAST_FREE_BYTES // 2**20}.",
        )
    if usage.free < usage.total // 20:
        return Finding("Disk", f"{usage.free * 100 // usage.total} percent free at {place}. Make room soon.")
    return Finding("Disk")


def port(settings: Settings) -> Finding:
    """Free, or answered by a Zax."""
    if port_is_free(settings.port):
        return Finding(f"Port {settings.port}")
    with socket.socket() as probe:
        probe.settimeout(2)
        try:
            probe.connect(("127.0.0.1", settings.port))
            probe.sendall(b"GET /healthz HTTP/1.0\r\nHost: 127.0.0.1\r\n\r\n")
            answer = probe.recv(4096)
        except OSError:
            answer = b""
    ours = b"worker" in answer or b"303" in answer[:20]
    wrong = "" if ours else "another program has it. Set ZAX_PORT to a free one."
    return Finding(f"Port {settings.port}", wrong)


def keys(settings: Settings) -> Finding:
    """Readable by their owner alone."""
    open_ones = [
        name
        for name in (*KEY_FILES, KEY_FILE)
        if (path := settings.var / name).exists() and stat.S_IMODE(path.stat().st_mode) & 0o077
    ]
    wrong = f"others can read {', '.join(open_ones)}. Run: chmod 600 on them." if open_ones else ""
    return Finding("Keys", wrong)


def database(settings: Settings) -> Finding:
    """It answers, has the newest schema, and its clock is the machine’s."""
    try:
        engine = connect(url_of(settings.var / "db", settings.db_port))
        has = version_of(engine)
    except ServerTrouble as trouble:
        return Finding("Database", str(trouble))
    except UNREACHABLE:
        return Finding("Database", "it doesn’t answer. Start Zax, or look at db/mariadb.log.")
    if has != newest():
        return Finding(
            "Database", f"its schema is {has or 'empty'}, the newest is {newest()}. Run: bin/zax migrate."
        )
    with engine.connect() as connection:
        apart = abs(connection.exec_driver_sql("SELECT UTC_TIMESTAMP()").scalar_one() - system_now())
    engine.dispose()
    wrong = f"its clock is {apart.total_seconds():.0f} s off the machine’s." if apart > MOST_APART else ""
    return Finding("Database", wrong)


def backup(settings: Settings) -> Finding:
    folder = settings.backups or settings.var / "backup"
    every = backups(folder) if folder.exists() else {}
    if not every:
        return Finding("Backups", f"none in {folder}. Run: bin/zax backup.")
    age = system_now() - list(every.values())[-1].moment
    wrong = (
        f"the last one is {age.total_seconds() / 3600:.0f} hours old. Run: bin/zax backup."
        if age > TOO_OLD
        else ""
    )
    same_disk = folder.stat().st_dev == settings.var.stat().st_dev
    return Finding("Backups, on the same disk as the data" if same_disk else "Backups", wrong)


def doors(settings: Settings) -> Finding:
    """Whether the machine behind the doors takes a connection."""
    shut = [
        name
        for names, number in (
            (("clearinghouse", "texts", "card terminal"), settings.standin_port),
            (("mail",), settings.smtp_port),
        )
        if not _takes(number)
        for name in names
    ]
    return Finding("Doors", f"{list_words(shut)} can’t be reached from here." if shut else "")


def _takes(number: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", number)) == 0


LOOKS: tuple[Callable[[Settings], Finding], ...] = (
    *(python_version, programs, fonts, disk, port),
    *(keys, database, backup, doors),
)

"""Taking a backup while everybody works: the database as it stands at one moment (mariadb-backup), what was
written since (its binary logs), the files, and the keys; each sealed as it is written.

A folder holds them: `<moment>/` a base with its manifest, whole or not there; `files/` and `binlog/` grow
beside. Files never change once they are kept, so each backup adds only the new ones.
"""

from __future__ import annotations

import json
import os
import secrets
import shutil
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path

from zax.core.setup.backups import LOGS_FOR, kept
from zax.store.sealed_files import backup_key, seal_file, seal_output
from zax.store.server import SOCKET

STAMP = "%Y%m%dT%H%M%SZ"
MANIFEST = "manifest.json"
BASE, KEYS = "base.age", "keys.age"
# What the data cannot be read without, by its place under ZAX_VAR.
KEY_FILES = ("db/password", "db/password-daily", "session-key", "identity-key")
Progress = Callable[[str, int], None]


def _quiet(_what: str, _bytes: int) -> None:
    """Nobody watches."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    """`begun` and `ended` are UTC in ISO form; `digest` is the SHA-256 of the sealed base; `files` the
    contents that this backup added, by their digests; `timeline` whose binary logs go on from it.
    """

    begun: str
    ended: str
    bytes: int
    digest: str
    files: Sequence[str]
    timeline: str

    @property
    def moment(self) -> datetime:
        return datetime.fromisoformat(self.begun)


def backups(folder: Path) -> dict[Path, Manifest]:
    """Those that are whole, oldest first."""
    found = {}
    for path in sorted(folder.glob(f"*/{MANIFEST}")):
        found[path.parent] = Manifest(**json.loads(path.read_text(encoding="utf-8")))
    return found


def take_backup(
    var: Path, folder: Path, clock: Callable[[], datetime], progress: Progress = _quiet
) -> Manifest:
    """A backup of the running clinic in `var`; `clock` tells UTC. SealTrouble when a part fails; nothing
    half-done is left that could be taken for a backup.
    """
    key, now = backup_key(var), clock()
    part, place = folder / f"{now:{STAMP}}.part", folder / f"{now:{STAMP}}"
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir(parents=True, mode=0o700)
    before = {digest for each in backups(folder).values() for digest in each.files}
    digest = _database(var, key, part, lambda done: progress("database", done))
    _keys(var, key, part)
    new = sorted(_contents(var) - before)
    _files(var, key, folder / "files" / f"{now:{STAMP}}.age", new, lambda done: progress("files", done))
    copy_binary_logs(var, folder)
    size = sum(path.stat().st_size for path in part.iterdir())
    made = Manifest(
        begun=now.isoformat(),
        ended=clock().isoformat(),
        bytes=size,
        digest=digest,
        files=new,
        timeline=timeline(var),
    )
    (part / MANIFEST).write_text(json.dumps(asdict(made)), encoding="utf-8")
    os.replace(part, place)
    return made


def _database(var: Path, key: Path, part: Path, progress: Callable[[int], None]) -> str:
    """The whole instance at one moment, streamed into its seal."""
    login = var / "db" / "backup-login.cnf"  # never on the disk of the backups
    login.touch(mode=0o600)
    login.write_text(f"[client]\nuser=root\npassword={(var / 'db' / 'password').read_text().strip()}\n")
    scratch = part / "scratch"
    try:
        return seal_output(
            key,
            [
                "mariadb-backup",
                f"--defaults-file={login}",
                "--backup",
                "--stream=mbstream",
                f"--datadir={var / 'db' / 'data'}",
                f"--socket={var / 'db' / 'data' / SOCKET}",
                f"--target-dir={scratch}",
            ],
            part / BASE,
            progress,
        )
    finally:
        login.unlink()
        shutil.rmtree(scratch, ignore_errors=True)


def _keys(var: Path, key: Path, part: Path) -> None:
    there = [name for name in KEY_FILES if (var / name).exists()]
    seal_output(key, ["tar", "-c", "-C", str(var), *there], part / KEYS)


def _contents(var: Path) -> set[str]:
    return {path.name for path in (var / "files").glob("??/*") if len(path.name) == 64}


def _files(var: Path, key: Path, into: Path, new: Sequence[str], progress: Callable[[int], None]) -> None:
    """The new files, by a list on standard input so that there may be any number."""
    if not new:
        return
    into.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    names = into.with_suffix(".names")
    names.write_text("".join(f"files/{each[:2]}/{each}\n" for each in new), encoding="utf-8")
    try:
        seal_output(key, ["tar", "-c", "-C", str(var), "-T", str(names)], into, progress)
    finally:
        names.unlink()


def timeline(var: Path) -> str:
    """The name of this instance: one that was restored counts its binary logs from 1 again, and those of
    before must never be taken for its own.
    """
    path = var / "db" / "timeline"
    if not path.exists():
        path.write_text(secrets.token_hex(8))
    return path.read_text()


def copy_binary_logs(var: Path, folder: Path) -> int:
    """What was written since: every log that is closed once, the one in use each time; how many were
    sealed.
    """
    key, to = backup_key(var), folder / "binlog" / timeline(var)
    index = var / "db" / "data" / "binlog.index"
    if not index.exists():
        return 0
    to.mkdir(parents=True, exist_ok=True, mode=0o700)
    names = [Path(line).name for line in index.read_text().split()]
    done = 0
    for name in names:
        source, into = var / "db" / "data" / name, to / f"{name}.age"
        if not source.exists():
            continue
        written = source.stat().st_mtime_ns
        if into.exists() and into.stat().st_mtime_ns >= written:
            continue
        seal_file(key, source, into)
        os.utime(into, ns=(written, written))
        done += 1
    return done


def prune(folder: Path, now: datetime) -> list[Path]:
    """Throw away the bases that no rule keeps (which they were), and binary logs of long ago. Files stay."""
    every = backups(folder)
    stay = kept((each.moment for each in every.values()), now)
    gone = [path for path, each in every.items() if each.moment not in stay]
    for path in gone:
        shutil.rmtree(path)
    for log in (folder / "binlog").glob("*/*.age"):
        if now.replace(tzinfo=UTC).timestamp() - log.stat().st_mtime > LOGS_FOR.total_seconds():
            log.unlink()
    return gone

"""From one Zax to the next: looks whether it can be done, makes a backup, brings the database to the newest
schema; and puts everything back as it was when that fails, since a database can't undo a change of its
tables.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from zax.clock import system_now
from zax.settings import Settings
from zax.store.backup import take_backup
from zax.store.engine import connect
from zax.store.migrate import migrate, newest, revisions, version_of
from zax.store.restoring import restore
from zax.store.sealed_files import backup_key
from zax.store.server import Server, port_is_free

Say = Callable[[str], None]
# The database, its backup and, if need be, a second one beside it.
ROOM = 3


class NotUpgraded(RuntimeError):
    """It was not done, and all is as before; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Upgraded:
    """The revisions before and after; the same where there was nothing to do."""

    was: str
    now: str


def upgrade(settings: Settings, say: Say = lambda _: None) -> Upgraded:
    """The database of this folder as this Zax wants it. NotUpgraded when it is as it was."""
    var = settings.var
    _check(settings)
    server = Server(var / "db", settings.db_port, binary_log=True)
    url = server.start()
    try:
        engine = connect(url)
        was = version_of(engine)
        if was == newest():
            return Upgraded(was, was)
        if was not in revisions():
            raise NotUpgraded(f"The database is of a newer Zax ({was}). Install that one again.")
        folder = settings.backups or var / "backup"
        say(f"Making a backup in {folder}")
        take_backup(var, folder, system_now)
        say(f"Bringing the database from {was} to {newest()}")
        try:
            migrate(engine)
        except Exception as error:
            engine.dispose()
            server.stop()
            say("That failed. Putting everything back")
            _put_back(settings, folder)
            raise NotUpgraded(
                f"The database couldn’t be changed ({type(error).__name__}), and is as it was. Start the"
                f" Zax you had, and"
                " keep what db/mariadb.log says."
            ) from error
        engine.dispose()
        return Upgraded(was, version_of(connect(url)))
    finally:
        server.stop()


def _check(settings: Settings) -> None:
    database = settings.var / "db" / "data"
    if not database.exists():
        raise NotUpgraded(f"There is no clinic in {settings.var}. Start one with: make run.")
    if not port_is_free(settings.db_port):
        raise NotUpgraded("Zax is running. Stop it, then run this again.")
    size = sum(path.stat().st_size for path in database.rglob("*") if path.is_file())
    free = shutil.disk_usage(settings.var).free
    if free < size * ROOM:
        raise NotUpgraded(
            f"There is too little room: {free // 2**20:,} MB are free, {size * ROOM // 2**20:,} MB may be"
            f" needed."
        )


def _put_back(settings: Settings, folder: Path) -> None:
    """The database from the backup that was just made; the one that failed stays beside it."""
    var, stamp = settings.var, f"{system_now():%Y%m%dT%H%M%S}"
    whole = var / f"restored-{stamp}"
    restore(folder, backup_key(var), whole, settings.db_port)
    (var / "db").rename(var / f"db-failed-{stamp}")
    (whole / "db").rename(var / "db")
    shutil.rmtree(whole)

"""Archives of everything that somebody asked for: made by the worker, kept for a week, thrown away by the
clock. Who asks and who fetches one is on record.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from zax.core.errors import Conflict, NotFound
from zax.core.people.roles import require
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.moving.archive import write_archive
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.moving import archives as stored
from zax.store.moving.archives import Archive

KEPT = timedelta(days=7)
# How often the page hears how far it is, in seconds.
_TOLD = 0.5
_NO_ROOM = "It couldn’t be written: {why}. Make room on the disk and ask again."


@act("export")
def ask_for_archive(tx: Transaction) -> int:
    """Have everything put into one archive; its id. Conflict while one is being made."""
    require(tx.actor.role, "audit", tx.clinic.roles.values())
    if stored.is_waiting(tx.connection):
        raise Conflict("An archive is being made already. It appears here when it’s done.")
    archive_id = stored.add_archive(tx.connection, tx.now, tx.actor.id)
    tx.audit("archive.asked", archive=archive_id)
    tx.send("archive", f"archive-{archive_id}", {"archive_id": archive_id})
    return archive_id


def path_of(store: FileStore, archive_id: int) -> Path:
    return store.var / "archives" / f"{archive_id}.zip"


def archives_of(connection: Connection, most: int = 5) -> list[Archive]:
    """The newest first."""
    return stored.newest(connection, most)


@act("export")
def fetch_archive(tx: Transaction, store: FileStore, archive_id: int) -> Path:
    """Where it lies, for whoever takes it out; on record. NotFound for one that is not here, or not
    anymore.
    """
    require(tx.actor.role, "audit", tx.clinic.roles.values())
    row, path = stored.archive_of(tx.connection, archive_id), path_of(store, archive_id)
    if row is None or row.state != "made" or not path.exists():
        raise NotFound("That archive isn’t here anymore. Make a new one.")
    tx.audit("exported", what="everything", kind="zip")
    return path


def make_archive(desk: Desk, store: FileStore, archive_id: int, alive: Callable[[], None]) -> None:
    """Write it; a disk that does not take it is told on the page. Done before, or begun again, it is the same
    archive.
    """
    with desk.engine.connect() as connection:
        row = stored.archive_of(connection, archive_id)
    if row is None or row.state != "waiting":
        return
    told = time.monotonic()

    def progress(done: int, about: int) -> None:
        nonlocal told
        alive()
        if time.monotonic() - told >= _TOLD:
            told = time.monotonic()
            _change(desk, archive_id, done=done, about=about)

    target = path_of(store, archive_id)
    try:
        manifest = write_archive(desk, store, target, progress)
    except OSError as error:
        _change(desk, archive_id, state="failed", words=_NO_ROOM.format(why=error.strerror or "the disk"))
        return
    count = len(manifest.files)
    _change(desk, archive_id, state="made", done=count, about=count, bytes=target.stat().st_size)


def _change(desk: Desk, archive_id: int, **values: object) -> None:
    def work(tx: Transaction) -> None:
        ended = {"ended_at": tx.now} if values.get("state") in {"made", "failed"} else {}
        stored.change_archive(tx.connection, archive_id, **values, **ended)
        if ended:
            tx.tell("import")

    in_transaction(desk, WORKER, work)


def throw_away_old(desk: Desk, store: FileStore | None) -> int:
    """Those of more than a week ago; how many."""
    if store is None:
        return 0
    with desk.engine.connect() as connection:
        old = stored.made_before(connection, desk.clock.now() - KEPT)
    for archive_id in old:
        path_of(store, archive_id).unlink(missing_ok=True)
        _change(desk, archive_id, state="gone")
    return len(old)

"""The clearinghouse's mailbox: what waits there is put into our own database, and confirmed only then. Each
file is then taken in for itself, as an errand of the worker, so that one that cannot be carried out never
stops the next.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import partial

import structlog

from zax.core.errors import Conflict, ZaxError
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.remits.importing import import_file, keep_unreadable
from zax.outside.doors import Clearinghouse, Incoming

log = structlog.get_logger()


def fetch_mailbox(desk: Desk, clearinghouse: Clearinghouse) -> int:
    """Keep every waiting file to be taken in; how many there were. Raises OutsideTrouble."""
    waiting = clearinghouse.collect()
    for file in waiting:
        in_transaction(desk, WORKER, partial(_keep, file=file))
        clearinghouse.confirm(file.id)
    return len(waiting)


def _keep(tx: Transaction, *, file: Incoming) -> None:
    """Known by its content: the same file twice is one errand."""
    digest = hashlib.sha256(file.text.encode(errors="replace")).hexdigest()
    tx.send("insurer_file", f"in-{digest[:50]}", {"name": file.name[:80], "text": file.text})


def take_in(desk: Desk, name: str, content: str, alive: Callable[[], None]) -> None:
    """Import one file. What is wrong with it is kept with it and shown as a job; `alive` is called claim by
    claim.
    """
    try:
        done = import_file(desk, WORKER, name, content, alive)
        log.info("file.imported", file=done.file_id)
    except Conflict:
        log.info("file.known")
    except ZaxError as error:
        log.warning("file.unusable")
        keep_unreadable(desk, WORKER, name, content, error.message)

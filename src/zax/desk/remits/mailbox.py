"""The clearinghouse's mailbox: what waits there is imported, and confirmed only once it is in our
database.
"""

from __future__ import annotations

import structlog

from zax.core.errors import Conflict, ZaxError
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.remits.importing import import_file, keep_unreadable
from zax.outside.doors import Clearinghouse, OutsideTrouble

log = structlog.get_logger()


def fetch_mailbox(desk: Desk, clearinghouse: Clearinghouse) -> int:
    """Import every waiting file; how many there were."""
    try:
        waiting = clearinghouse.collect()
    except OutsideTrouble as error:
        log.warning("mailbox.later", why=str(error))
        return 0
    for file in waiting:
        _import(desk, file.name, file.text)
        try:
            clearinghouse.confirm(file.id)
        except OutsideTrouble as error:
            log.warning("mailbox.unconfirmed", name=file.name, why=str(error))
    return len(waiting)


def _import(desk: Desk, name: str, content: str) -> None:
    try:
        done = import_file(desk, WORKER, name, content)
        log.info("file.imported", name=name, words=done.words)
    except Conflict as error:
        log.info("file.known", name=name, why=error.message)
    except ZaxError as error:
        log.warning("file.unusable", name=name, why=error.message)
        keep_unreadable(desk, WORKER, name, content, error.message)

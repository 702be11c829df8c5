"""Backups by the clock: one a day, in the night (and at once where there is none yet), what was written since
every minute, and old ones thrown away by rule. Nothing happens where no folder is named for them.
"""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from zax.clock import local, system_now
from zax.core.errors import Refused
from zax.core.setup.backups import TOO_OLD
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.worker.beats import beat
from zax.desk.worker.tools import Tools
from zax.store.acts.outbox import Errand, finish_errand
from zax.store.backup import copy_binary_logs, prune, take_backup
from zax.store.engine import Connection
from zax.store.worker.beats import last_beat

KIND = "backup"
# Its own name: the duty that plans it leaves a beat called “backup”.
DONE = "backup taken"
HOUR = 2


def plan_backup(desk: Desk, folder: Path | None) -> int:
    """1 when today's backup was put in line now."""
    if folder is None:
        return 0
    with desk.engine.connect() as connection:
        last = last_beat(connection, DONE)
    now = system_now()
    at_clinic = local(now, desk.clinic.first_site.timezone)
    if last is not None and (at_clinic.hour < HOUR or now - last.at < timedelta(hours=20)):
        return 0
    key = f"backup-{at_clinic:%Y-%m-%d}"
    return in_transaction(desk, WORKER, lambda tx: _put(tx, key))


def _put(tx: Transaction, key: str) -> int:
    tx.send(KIND, key, {})
    return 1


@act("setup")
def back_up_now(tx: Transaction, folder: Path | None) -> None:
    """One more, whatever the clock says. Refused where no folder is named."""
    if folder is None:
        raise Refused("No folder is named for backups. Set ZAX_BACKUP and start again.")
    tx.send(KIND, f"backup-{system_now():%Y%m%dT%H%M%S}", {})
    tx.audit("backup.asked")


def make_backup(tools: Tools, errand: Errand) -> None:
    """Raises SealTrouble when it can't be made; it is tried again, then set aside for a person."""
    folder = tools.backups
    if folder is not None:
        take_backup(tools.store.var, folder, system_now, lambda _what, _bytes: tools.alive())
        prune(folder, system_now())
        beat(tools.desk, DONE)
    in_transaction(tools.desk, WORKER, lambda tx: finish_errand(tx.connection, errand.id, tx.now))


def copy_logs(tools: Tools) -> int:
    """How many binary logs were sealed."""
    if tools.backups is None:
        return 0
    return copy_binary_logs(tools.store.var, tools.backups)


def backup_hours(connection: Connection) -> float | None:
    """How old the newest backup is; None where there never was one."""
    last = last_beat(connection, DONE)
    return (system_now() - last.at).total_seconds() / 3600 if last else None


def too_old(connection: Connection, folder: Path | None) -> str:
    """What Day says when backups should be there and aren't; empty when all is well."""
    if folder is None:
        return ""
    hours = backup_hours(connection)
    if hours is None:
        return "There is no backup yet. The first one is being made; look again in an hour."
    if hours <= TOO_OLD.total_seconds() / 3600:
        return ""
    days = int(hours // 24)
    old = f"{days} day{'s' if days > 1 else ''}" if days else f"{hours:.0f} hours"
    return f"The last backup is {old} old. Run “zax backup” and look at what it says."

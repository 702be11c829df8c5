"""`zax backup` and `zax restore`: a backup now, with a progress bar; and a clinic back from one."""

from __future__ import annotations

import time
from datetime import datetime
from pathlib import Path

from rich.console import Console
from rich.progress import BarColumn, DownloadColumn, Progress, TextColumn, TimeElapsedColumn

from zax.clock import system_now
from zax.settings import Settings
from zax.store.backup import prune, take_backup
from zax.store.restoring import restore
from zax.store.sealed_files import KEY_FILE, SealTrouble, backup_key

console = Console(stderr=True, highlight=False)


def backup_now() -> int:
    """0 when it is there, 1 when it could not be made."""
    settings, began = Settings(), time.monotonic()
    folder = settings.backups or settings.var / "backup"
    try:
        with Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            DownloadColumn(),
            TimeElapsedColumn(),
            console=console,
        ) as bar:
            task = bar.add_task("database", total=None)
            made = take_backup(
                settings.var,
                folder,
                system_now,
                lambda what, done: bar.update(task, description=what, completed=done),
            )
        gone = prune(folder, system_now())
    except (SealTrouble, OSError) as trouble:
        console.print(f"✗ {trouble}")
        return 1
    console.print(
        f"{made.bytes / 1e6:,.1f} MB and {len(made.files):,} new files in {folder}"
        f" ({time.monotonic() - began:.1f} s){f'; {len(gone)} old ones thrown away' if gone else ''}."
    )
    console.print(
        f"Keep a copy of {backup_key(settings.var)} somewhere else: without it no backup can be read."
    )
    return 0


def restore_into(folder: Path, key: Path | None, into: Path, until: str) -> int:
    """0 when the clinic is back, 1 when not. `until` is UTC, such as 2026-11-30 17:41:07, empty for the
    latest.
    """
    settings, began = Settings(), time.monotonic()
    try:
        moment = datetime.fromisoformat(until.removesuffix("Z")) if until else None
    except ValueError:
        console.print("Write the moment as 2026-11-30 17:41:07, in UTC.")
        return 1
    try:
        made = restore(
            folder, key or settings.var / KEY_FILE, into.resolve(), settings.db_port, moment, console.print
        )
    except (SealTrouble, OSError, RuntimeError) as trouble:
        console.print(f"✗ {trouble}")
        return 1
    console.print(
        f"The clinic of {moment or 'the last moment there is'} is in {into} ({time.monotonic() - began:.1f}"
        f" s; from the"
        f" backup of {made.begun[:19]}). Check it: ZAX_VAR={into} bin/zax run, zax audit money, zax audit"
        f" log."
    )
    return 0

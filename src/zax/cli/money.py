"""`zax audit money`: the recount with a progress bar, and what it found."""

from __future__ import annotations

import time

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

from zax.core.wording import dollars
from zax.desk.money.ledger_audit import recount
from zax.processes import engine_of
from zax.settings import Settings

console = Console(stderr=True)
SHOWN = 50


def audit_money() -> int:
    """0 when everything agrees, 1 when something does not."""
    began = time.monotonic()
    with Progress(TextColumn("Recount"), BarColumn(), TimeElapsedColumn(), console=console) as bar:
        task = bar.add_task("", total=None)
        found = recount(
            engine_of(Settings()), lambda done, all_of: bar.update(task, completed=done, total=all_of)
        )
    console.print(
        f"{found.entries:,} entries on {found.ledgers:,} ledgers and {found.payments:,} payments recounted in"
        f" {time.monotonic() - began:.1f} s. Open with patients: {dollars(found.open.patient)},"
        f" with insurers: {dollars(found.open.insurer)}."
    )
    for fault in found.faults[:SHOWN]:
        console.print(f"✗ {fault}")
    console.print(f"{len(found.faults)} do not agree." if found.faults else "Everything agrees.")
    return 1 if found.faults else 0

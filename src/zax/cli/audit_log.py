"""`zax audit log`: whether anything of who did what and who looked was changed, put in or taken out."""

from __future__ import annotations

import time

from rich.console import Console

from zax.desk.acts.audit_log import check_audit
from zax.processes import engine_of
from zax.settings import Settings

console = Console(stderr=True)
SHOWN = 50


def audit_log() -> int:
    """0 when every row is as it was sealed, 1 when not."""
    settings, began = Settings(), time.monotonic()
    with console.status("Summing up"):
        found = check_audit(engine_of(settings), settings.var)
    console.print(
        f"{found.rows:,} sealed rows checked in {time.monotonic() - began:.1f} s; {found.young:,} are too"
        f" young to"
        " be sealed."
    )
    for fault in found.faults[:SHOWN]:
        console.print(f"✗ {fault}")
    console.print(f"{len(found.faults)} faults." if found.faults else "Nothing was changed.")
    return 1 if found.faults else 0

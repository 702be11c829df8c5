"""`make torture`: two hundred blows while eight desks work, and what came of it, in words and as JSON.

ZAX_TORTURE_BLOWS, ZAX_TORTURE_SEED and ZAX_TORTURE_DESKS change how long it is and which it is. As root the
clinic lives on a file system of its own in memory, so that its disk can be full; else that blow is missing,
and the account says so.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from rich.console import Console
from rich.table import Table

from zax.core.json import Json
from zax.demo.torture.clinic import PORTS, Clinic
from zax.demo.torture.crowd import FOR_EACH, crowd
from zax.demo.torture.faults import FULL_DISK, blows_for
from zax.demo.torture.ground import empty_slots
from zax.demo.torture.storm import Account, storm
from zax.settings import Settings
from zax.store.engine import connect
from zax.store.server import Server, daily_url_of

FIRST_PORT = 8480
SIZE = "3g"
BOOKINGS = 10_000
console = Console(highlight=False)


@contextmanager
def disk_of_its_own(folder: Path) -> Iterator[Path]:
    """The folder, as a file system in memory where this machine lets us mount one."""
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={SIZE}", "tmpfs", folder], capture_output=True, check=False
    )
    try:
        yield folder
    finally:
        if mounted.returncode == 0:
            subprocess.run(["umount", folder], check=True)


def show(account: Account) -> None:
    table = Table("blow", "times", "well again, median s", "longest s")
    for name, times in account.blows.most_common():
        back = account.back[name]
        table.add_row(name, str(times), f"{statistics.median(back):.1f}", f"{max(back):.1f}")
    console.print(table)
    for what, many in (account.done + type(account.done)(account.counts)).most_common():
        console.print(f"{many:>7,} {what}")
    console.print(f"{account.looks} looks and one at the end, {account.seconds:.0f} s, seed {account.seed}")
    if FULL_DISK.name not in account.blows:
        console.print("The disk was never full: this machine did not let it be, or chance did not choose it.")


def crowd_after(var: Path, port: int, seed: int) -> Json:
    """Ten thousand bookings at once in the same clinic, once its parts have stopped dying."""
    server = Server(var / "db", port)
    server.start()
    engine = connect(daily_url_of(var / "db", port))
    try:
        slots, people = empty_slots(engine, BOOKINGS // FOR_EACH)
        return crowd(engine.url, slots, people, seed, console.print)
    finally:
        engine.dispose()
        server.stop()


def main() -> int:
    blows, seed, desks = (
        int(os.environ.get(f"ZAX_TORTURE_{name}", usual))
        for name, usual in (("BLOWS", "200"), ("SEED", "1142"), ("DESKS", "8"))
    )
    ports = {name: FIRST_PORT + n for n, name in enumerate(PORTS)}
    kept = Settings().var / "torture"
    with tempfile.TemporaryDirectory(prefix="zax-torture-") as made, disk_of_its_own(Path(made)) as var:
        try:
            chosen = blows_for(var, blows, random.Random(seed))
            account = storm(Clinic(var, ports), chosen, desks=desks, seed=seed, say=console.print)
            at_once = crowd_after(var, ports["ZAX_DB_PORT"], seed)
        finally:  # what is wrong is looked up by the number that a page showed
            shutil.copytree(var / "log", kept / "log", dirs_exist_ok=True)
            shutil.copy(var / "console.log", kept / "log")
    show(account)
    found = account.as_json() | {"crowd": at_once}
    (kept / "account.json").write_text(json.dumps(found, indent=1))
    faults = [*account.faults, *at_once["faults"]]
    console.print(f"{len(faults)} faults", *faults[:40], sep="\n  ")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())

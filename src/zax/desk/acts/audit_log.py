"""Sealing what only grows, and checking the seals: `zax audit log` and the worker.

The sums are written into a file beside the database too, so that whoever could rewrite the database and all
its seals would still be found out by a copy of that file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path

from zax.clock import system_now
from zax.core.acts.chain import START, Seal, digest_of
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.acts.sealing import (
    SEALED,
    add_seal,
    last_seal,
    newest_before,
    newest_id,
    rows_between,
    seals,
)
from zax.store.clinic.settings import hold
from zax.store.engine import Connection, Engine
from zax.store.room import append_line

# No act runs as long; a row younger than that may still get one before it.
STANDS_FOR = timedelta(minutes=5)
MOST_ROWS = 50_000
FILE = "audit-seals.log"


def seal_audit(desk: Desk, var: Path | None) -> int:
    """Seal what has stood for a while; how many stretches. A worker without a folder leaves it to the
    others.
    """
    if var is None:
        return 0
    return sum(_seal(desk, var, name) for name in SEALED)


def _seal(desk: Desk, var: Path, name: str) -> int:
    def work(tx: Transaction) -> Seal | None:
        hold(tx.connection, f"seal_{name}")
        before = last_seal(tx.connection, name)
        until = newest_before(tx.connection, name, before.last_id, desk.clock.now() - STANDS_FOR)
        last = min(until, before.last_id + MOST_ROWS)
        if last <= before.last_id:
            return None
        digest, count = digest_of(before.digest, rows_between(tx.connection, name, before.last_id, last))
        seal = Seal(last, count, digest)
        add_seal(tx.connection, name, seal, tx.now)
        return seal

    made = in_transaction(desk, WORKER, work)
    if made is None:
        return 0
    at = system_now().isoformat(timespec="seconds")
    append_line(var / "log" / FILE, f"{at}Z {name} {made.last_id} {made.digest}")
    return 1


@dataclass(frozen=True, slots=True)
class Checked:
    """What a check found: rows summed up again, rows too young for a seal, and every fault in words."""

    rows: int = 0
    young: int = 0
    faults: list[str] = field(default_factory=list)


def check_audit(engine: Engine, var: Path, progress: Callable[[int], None] = lambda _: None) -> Checked:
    """Sum everything up again, and compare it with the seals and with the file beside the database."""
    faults: list[str] = []
    rows = young = 0
    written = set(_in_file(var))
    with engine.connect() as connection:
        for name in SEALED:
            kept = seals(connection, name)
            count = _check(connection, name, kept, faults)
            rows += count
            last = kept[-1].last_id if kept else 0
            young += max(0, newest_id(connection, name) - last)
            digests = {each.digest for each in kept}
            faults += [
                f"{name}: the sum of {digest[:12]}… was written down and is gone from the database."
                for table, digest in written
                if table == name and digest not in digests
            ]
            progress(rows)
    return Checked(rows, young, faults)


def _check(connection: Connection, name: str, kept: list[Seal], faults: list[str]) -> int:
    before, after_id, rows = START, 0, 0
    for seal in kept:
        digest, count = digest_of(before, rows_between(connection, name, after_id, seal.last_id))
        rows += count
        if digest != seal.digest:
            what = f"{seal.rows} were sealed, {count} are there" if count != seal.rows else "one was changed"
            faults.append(f"{name}: rows {after_id + 1} to {seal.last_id} are not as they were: {what}.")
        # Each stretch is judged by itself: one fault does not put all after it in doubt.
        before, after_id = seal.digest, seal.last_id
    return rows


def _in_file(var: Path) -> Iterator[tuple[str, str]]:
    path = var / "log" / FILE
    if not path.exists():
        return
    for line in path.read_text(encoding="utf-8").splitlines():
        parts = line.split()
        if len(parts) == 4:
            yield parts[1], parts[3]

"""Signs of life, and what of the feed may go."""

from __future__ import annotations

from datetime import timedelta

from zax.clock import system_now
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.store.acts import traces
from zax.store.worker import beats

LONG_RUNS = "long runs"


def beat(desk: Desk, name: str = "worker") -> None:
    """Write that the worker lives (system time) and where the clock stands."""
    in_transaction(desk, WORKER, lambda tx: beats.write_beat(tx.connection, name, system_now(), tx.now))


def failed(desk: Desk, duty: str, why: str) -> None:
    """One failure of a duty more."""
    in_transaction(
        desk, WORKER, lambda tx: beats.note_failure(tx.connection, duty, system_now(), tx.now, why)
    )


def went_well(desk: Desk, duty: str) -> None:
    in_transaction(desk, WORKER, lambda tx: beats.note_success(tx.connection, duty))


def prune_feed(desk: Desk, older_than: timedelta = timedelta(days=2)) -> None:
    """The feed and the keys of forms serve open screens; what is older than any of them can go."""
    before = desk.clock.now() - older_than
    in_transaction(desk, WORKER, lambda tx: traces.prune(tx.connection, before))

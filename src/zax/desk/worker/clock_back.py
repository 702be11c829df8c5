"""A clock that was ahead and was set right: what was put off by it would wait until it is that late again.

The worker notes where the clock stands; when it finds it earlier than that, errands that were to be tried a
little later are tried now, and nobody holds one longer than a lease. What waits for a time of day stays as it
is.
"""

from __future__ import annotations

from datetime import timedelta

from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.worker.beats import beat
from zax.store.acts.outbox import Pauses, bring_forward
from zax.store.worker.beats import last_beat

NAME = "clock"
NOTED_EVERY = timedelta(seconds=5)
# Two machines may be so far apart without anybody having set a clock.
APART = timedelta(minutes=1)


def heed_clock(desk: Desk, pauses: Pauses) -> int:
    """How many errands were brought forward; `pauses` are the longest there are."""
    with desk.engine.connect() as connection:
        last = last_beat(connection, NAME)
    now = desk.clock.now()
    if last is not None and timedelta(0) <= now - last.clock_at < NOTED_EVERY:
        return 0
    beat(desk, NAME)
    if last is None or last.clock_at - now < APART:
        return 0
    return in_transaction(desk, WORKER, lambda tx: bring_forward(tx.connection, tx.now, pauses))

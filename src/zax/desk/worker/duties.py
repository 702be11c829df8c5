"""What comes round by the clock: a table of duties, each done by its area. A duty says itself whether it is
due; one that is looked at seldom has a beat of its own, which all workers share.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from zax.desk.book.web_requests import release_held
from zax.desk.coverage.eligibility import nightly
from zax.desk.money.payment_plans import charge_due
from zax.desk.remits.mailbox import fetch_mailbox
from zax.desk.worker.beats import beat
from zax.desk.worker.tools import Tools
from zax.store.worker.beats import last_beat


@dataclass(frozen=True, slots=True)
class Duty:
    """`work` returns how many things it did; `every` is the least time between two looks, zero for each
    round.
    """

    name: str
    work: Callable[[Tools], int]
    every: timedelta = timedelta(0)


DUTIES = (
    Duty("nightly eligibility", lambda tools: nightly(tools.desk)),
    Duty("plans", lambda tools: charge_due(tools.desk, tools.outside.terminal), timedelta(minutes=10)),
    Duty("held requests", lambda tools: release_held(tools.desk)),
    Duty("mailbox", lambda tools: fetch_mailbox(tools.desk, tools.outside.clearinghouse)),
)


def do_duty(tools: Tools, duty: Duty) -> int:
    """How many things it did; 0 when it was looked at a short while ago."""
    if not duty.every:
        return duty.work(tools)
    with tools.desk.engine.connect() as connection:
        last = last_beat(connection, duty.name)
    if last is not None and tools.desk.clock.now() - last.clock_at < duty.every:
        return 0
    beat(tools.desk, duty.name)
    return duty.work(tools)

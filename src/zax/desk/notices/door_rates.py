"""How fast messages may go: so many a minute through each door, and so many about recalls an hour, so that
the desk can answer those who call back. Planning spreads them already; what was put off together, by quiet
hours or a gateway that was away, is held here.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from zax.core.messages.channel import Channel
from zax.core.notices.events import CHANNELS, EVENTS, Event
from zax.desk.acts.transaction import Transaction
from zax.desk.notices.rules import habits_of
from zax.store.messages.messages import sent_last

RECALLS = frozenset(event for event, kind in EVENTS.items() if kind.topic == "recalls")


def door_free_at(tx: Transaction, event: Event, channel: Channel) -> datetime | None:
    """When a message may go (UTC), where it may not now; None where it may."""
    habits = habits_of(tx.clinic)
    minute, hour = timedelta(minutes=1), timedelta(hours=1)
    waits = [_free(tx, minute, habits.texts_a_minute, [channel])]
    if event in RECALLS:
        waits.append(_free(tx, hour, habits.recalls_an_hour, CHANNELS, RECALLS))
    return max((each for each in waits if each is not None), default=None)


def _free(
    tx: Transaction,
    window: timedelta,
    most: int,
    channels: list[Channel] | tuple[Channel, ...],
    events: frozenset[Event] = frozenset(),
) -> datetime | None:
    # Not what a clock that was ahead sent: it would be ahead for as long again.
    went = sent_last(tx.connection, tx.now - window, tx.now, channels, events)
    return went[len(went) - most] + window if len(went) >= most else None

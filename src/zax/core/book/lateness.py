"""How far behind a provider runs, from what really happened: times are minutes of the day (local).

Somebody in a room is expected to need the visit's whole length from when they went in; somebody here whose time has come and
who is not in a room yet makes the provider late by every minute that passes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.book.hours import Span
from zax.core.book.track import Stop


@dataclass(frozen=True, slots=True)
class Running:
    """One visit of a provider today: as planned, where it is, and the minute it went into a room, if it did."""

    planned: Span
    stop: Stop
    in_room_at: int | None = None


def expected_end(visit: Running, now: int) -> int:
    """When the visit now in a room will be done: its length from when it began, or now if that has passed."""
    began = visit.planned.start if visit.in_room_at is None else visit.in_room_at
    return max(now, began + visit.planned.minutes)


def minutes_behind(visits: Sequence[Running], now: int) -> int:
    """0 when on time. Visits in order of planned start."""
    behind = 0
    for visit in visits:
        if visit.stop == Stop.ROOM:
            behind = max(behind, expected_end(visit, now) - visit.planned.end)
        elif visit.stop == Stop.HERE and visit.planned.start < now:
            behind = max(behind, now - visit.planned.start)
    return max(0, behind)

"""How far behind a provider runs, from what really happened: times are minutes of the day (local).

Somebody in a room is expected to need the visit's whole length from when they went in; somebody here whose
time has come and who is not in a room yet makes the provider late by every minute that passes since both.
Somebody who has not come makes nobody late: the next one does not wait for them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.book.hours import Span
from zax.core.book.track import Stop

# Nobody at a desk calls two minutes late, or early.
_ON_TIME_WITHIN = 2


def is_late(minutes: int) -> bool:
    """Whether so many minutes after the time are worth a word."""
    return minutes > _ON_TIME_WITHIN


@dataclass(frozen=True, slots=True)
class Running:
    """One visit of a provider today: as planned, where it is, and the minutes at which the patient came and
    went into a room, if they did.
    """

    planned: Span
    stop: Stop
    in_room_at: int | None = None
    here_at: int | None = None


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
        elif visit.stop == Stop.HERE:
            behind = max(behind, now - max(visit.planned.start, visit.here_at or 0))
    return max(0, behind)


@dataclass(frozen=True, slots=True)
class Coming:
    """One visit of a provider as the forecast needs it, with the minute it went into a room, if it did."""

    id: int
    planned: Span
    stop: Stop
    in_room_at: int | None = None


@dataclass(frozen=True, slots=True)
class Forecast:
    """When a visit that has not begun is expected to, and how many minutes after its time that is; of
    somebody who is here, how many of them the provider is busy.
    """

    start: int
    late: int


def expected_starts(visits: Sequence[Coming], now: int, at_once: int = 1) -> dict[int, Forecast]:
    """By visit id, when those to come will begin, from what really happened. Minutes of the day.

    Each person takes the provider's next free place in order of planned start: somebody in a room keeps it
    until their length has passed (from when they went in), nobody begins before their time or before now, and
    whoever should be here and is not takes none. A short delay disappears in free time between visits, a long
    one runs on. `at_once` is how many visits the provider may have at the same time.
    """
    free = [0] * max(1, at_once)
    inside = [Running(v.planned, v.stop, v.in_room_at) for v in visits if v.stop == Stop.ROOM]
    for ends in sorted(expected_end(each, now) for each in inside):
        _seat(free, ends)
    found: dict[int, Forecast] = {}
    for visit in sorted(visits, key=lambda v: (v.planned.start, v.id)):
        if visit.stop not in _TO_COME:
            continue
        ready = max(visit.planned.start, min(free))
        start = max(ready, now)
        here = visit.stop == Stop.HERE
        if here or not is_late(now - visit.planned.start):
            _seat(free, start + visit.planned.minutes)
        found[visit.id] = Forecast(start, (ready if here else start) - visit.planned.start)
    return found


_TO_COME = frozenset({Stop.HELD, Stop.BOOKED, Stop.CONFIRMED, Stop.HERE})


def _seat(free: list[int], until: int) -> None:
    """The place that is free first is taken until then."""
    free[free.index(min(free))] = until

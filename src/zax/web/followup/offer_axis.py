"""The time line of an offer: waves as doors, what was sent and answered between them, and now. Positions are
pixels of one drawing; times are the site's wall clock.

The line runs from the first text to a little after what comes next, however far apart the waves are.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

WIDTH, LEFT, RIGHT = 236, 8, 12
LEAST = timedelta(minutes=20)
# A label is written where the one before leaves it room.
LABEL = 62


@dataclass(frozen=True, slots=True)
class Wave:
    """When so many people are texted. `past`: they were."""

    at: datetime
    people: int
    past: bool


@dataclass(frozen=True, slots=True)
class Door:
    """A wave on the line; `labeled` where there is room to write its time."""

    x: int
    wave: Wave
    labeled: bool


@dataclass(frozen=True, slots=True)
class Axis:
    first: datetime
    last: datetime

    def x(self, moment: datetime) -> int:
        """Where a moment stands; those outside stand at the ends."""
        whole = (self.last - self.first).total_seconds()
        part = (moment - self.first).total_seconds() / whole
        return LEFT + round(min(1.0, max(0.0, part)) * (WIDTH - LEFT - RIGHT))

    def doors(self, waves: Sequence[Wave]) -> list[Door]:
        found: list[Door] = []
        free_from = -LABEL
        for wave in waves:
            x = self.x(wave.at)
            labeled = x >= free_from
            free_from = x + LABEL if labeled else free_from
            found.append(Door(x, wave, labeled))
        return found


def axis_of(waves: Sequence[Wave], ends: datetime) -> Axis:
    """From the first wave to the last one or `ends`, whatever is later, with some room."""
    first = waves[0].at if waves else ends
    last = max([ends, *(wave.at for wave in waves)])
    span = max(last - first, LEAST)
    return Axis(first, first + span * 1.12)


def waves_of(
    sent: Sequence[datetime], waiting: int, next_at: datetime | None, wave: int, minutes: int, most: int = 3
) -> list[Wave]:
    """Those that went, then at most `most` to come."""
    moments = sorted(set(sent))
    found = [Wave(at, sum(each == at for each in sent), True) for at in moments]
    at, left = next_at, waiting
    for _ in range(most):
        if at is None or left <= 0:
            break
        found.append(Wave(at, min(wave, left), False))
        at, left = at + timedelta(minutes=minutes), left - wave
    return found

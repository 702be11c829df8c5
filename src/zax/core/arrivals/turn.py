"""Whose turn it is at the desk: everybody who needs somebody now, in order of need.

First whoever waits longer than the clinic's limit, then who is ready to leave, then who waits, then who is
late and must be called, then who comes next. Within each, who has been at it longest or comes first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.book.track import Stop


@dataclass(frozen=True, slots=True)
class Standing:
    """One visit today: its stop, the minutes since it came there, its start (minute of the day) and the
    minute now.
    """

    id: int
    stop: Stop
    since: int
    start: int
    now: int

    @property
    def overdue(self) -> int:
        """Minutes by which somebody expected is late; 0 before their time."""
        return max(0, self.now - self.start)


def desk_order(rows: Sequence[Standing], wait_limit: int, late_limit: int) -> list[int]:
    """Ids, the most urgent first. Limits in minutes; visits that need nobody at the desk are left out."""
    ranked = [(rank, row) for row in rows if (rank := _rank(row, wait_limit, late_limit)) is not None]
    return [row.id for _, row in sorted(ranked, key=lambda pair: pair[0])]


def _rank(row: Standing, wait_limit: int, late_limit: int) -> tuple[int, int, int] | None:
    if row.stop == Stop.HERE:
        return (0 if row.since > wait_limit else 2, -row.since, row.id)
    if row.stop == Stop.CHECKOUT:
        return (1, -row.since, row.id)
    if row.stop in {Stop.BOOKED, Stop.CONFIRMED}:
        return (3 if row.overdue > late_limit else 4, row.start, row.id)
    return None

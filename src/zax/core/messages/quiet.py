"""Quiet hours: no text goes out by itself while people sleep. They are the site's wall clock, so a night in
which the clocks change is as quiet as any other.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta

SHIPPED_FROM, SHIPPED_TO = 20 * 60, 8 * 60


@dataclass(frozen=True, slots=True)
class Quiet:
    """From `begins` to `ends`, minutes of the wall clock; over midnight when it begins later than it ends.
    Both
    the same means never.
    """

    begins: int = SHIPPED_FROM
    ends: int = SHIPPED_TO

    def is_quiet(self, wall: datetime) -> bool:
        minute = wall.hour * 60 + wall.minute
        if self.begins <= self.ends:
            return self.begins <= minute < self.ends
        return minute >= self.begins or minute < self.ends

    def over_at(self, wall: datetime) -> datetime:
        """The wall time at which a text may go: at once, or when the quiet ends."""
        if not self.is_quiet(wall):
            return wall
        ends = datetime.combine(wall.date(), time(self.ends // 60, self.ends % 60))
        return ends if ends > wall else ends + timedelta(days=1)

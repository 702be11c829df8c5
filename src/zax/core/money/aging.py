"""How old open money is, counted from the day it came to whoever owes it: current, 31 to 60, 61 to 90, over
90 days.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

BUCKETS = ("now", "31–60 days", "61–90 days", "over 90")
_EDGES = (30, 60, 90)


def bucket(since: date, today: date) -> int:
    """0 to 3; a day still to come counts as now."""
    age = (today - since).days
    return sum(age > edge for edge in _EDGES)


def aging(open_since: Iterable[tuple[int, date]], today: date) -> list[int]:
    """Cents by age from [(cents, since)]; the four add up to all of it."""
    found = [0] * len(BUCKETS)
    for cents, since in open_since:
        found[bucket(since, today)] += cents
    return found

"""The day on which an entry falls, and what a day's entries come to: production, what came in, what was taken
off.

A closed day never changes: after the close, or with a clock that stands before it, an entry falls on the day
after the last closed one.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.money.journal import LOWERS, RAISES, Kind

PRODUCTION = RAISES - {Kind.OPENING}
FROM_PATIENTS = frozenset({Kind.PAYMENT, Kind.REFUND})


def day_of_books(today: date, closed: date | None) -> date:
    """`today` and `closed` (the last closed day, None before the first close) are a site's local days."""
    return today if closed is None or today > closed else closed + timedelta(days=1)


@dataclass(slots=True)
class Sums:
    """Cents; `adjusted` is positive for what was taken off."""

    production: int = 0
    patients: int = 0
    plans: int = 0
    adjusted: int = 0

    def add(self, kind: Kind, cents: int) -> None:
        """Count entries of a kind, both parts together; a reversal counts with the kind of what it reverses.
        What only moves counts nowhere.
        """
        if kind in PRODUCTION:
            self.production += cents
        elif kind in FROM_PATIENTS:
            self.patients -= cents
        elif kind == Kind.INSURER_PAYMENT:
            self.plans -= cents
        elif kind in LOWERS:
            self.adjusted -= cents

    @property
    def empty(self) -> bool:
        return not (self.production or self.patients or self.plans or self.adjusted)

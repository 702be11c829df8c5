"""Which backups are kept: all of two days, then the first of each day for two weeks, of each week for two
months, of each month for a year. The newest is never thrown away, however old it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta

ALL_FOR = timedelta(days=2)
# So long any second can be gone back to; before that, the moments of the backups that stay.
LOGS_FOR = timedelta(days=30)
_RULES: tuple[tuple[timedelta, Callable[[datetime], object]], ...] = (
    (timedelta(days=14), lambda at: at.date()),
    (timedelta(days=60), lambda at: at.isocalendar()[:2]),
    (timedelta(days=366), lambda at: (at.year, at.month)),
)
# Older than this, a clinic that should have one is told.
TOO_OLD = timedelta(hours=30)


def kept(backups: Iterable[datetime], now: datetime) -> set[datetime]:
    """Those that stay, of backups begun at these moments (UTC)."""
    every = sorted(backups)
    stay = {at for at in every if now - at <= ALL_FOR} | set(every[-1:])
    for within, period in _RULES:
        first: dict[object, datetime] = {}
        for at in every:
            if now - at <= within:
                first.setdefault(period(at), at)
        stay |= set(first.values())
    return stay

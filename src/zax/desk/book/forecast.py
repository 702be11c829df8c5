"""When those who are still to come will really begin, provider by provider, from what happened so
far today.
"""

from __future__ import annotations

from collections.abc import Sequence

from zax.core.book.hours import Span
from zax.core.book.lateness import Coming, Forecast, expected_starts
from zax.desk.book.day_columns import Bar


def forecast(bars: Sequence[Bar], now: int | None) -> dict[int, Forecast]:
    """By visit id; empty on another day than today. `now` is the minute of the day."""
    if now is None:
        return {}
    by_provider: dict[int, list[Bar]] = {}
    for bar in bars:
        by_provider.setdefault(bar.provider.id, []).append(bar)
    found: dict[int, Forecast] = {}
    for mine in by_provider.values():
        coming = [Coming(bar.id, Span(bar.at, bar.end), bar.stop, bar.in_at) for bar in mine]
        found |= expected_starts(coming, now, mine[0].provider.at_once)
    return found

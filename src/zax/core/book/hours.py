"""Time on one day of one column: working windows, busy spans and the free gaps between them.

Units: minutes from local midnight of the site, [start, end) half open. Pure arithmetic, no dates.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, order=True)
class Span:
    """Minutes [start, end) of a day."""

    start: int
    end: int

    @property
    def minutes(self) -> int:
        return self.end - self.start

    def overlaps(self, other: Span) -> bool:
        return self.start < other.end and other.start < self.end

    def within(self, other: Span) -> bool:
        return other.start <= self.start and self.end <= other.end


def joined(spans: Iterable[Span]) -> list[Span]:
    """The same time as few spans as possible, in order."""
    result: list[Span] = []
    for span in sorted(spans):
        if result and span.start <= result[-1].end:
            result[-1] = Span(result[-1].start, max(result[-1].end, span.end))
        else:
            result.append(span)
    return result


def gaps(windows: Iterable[Span], busy: Iterable[Span], at_least: int = 1) -> list[Span]:
    """What is left of the working windows once busy spans are taken out, pieces of `at_least` minutes or
    more.
    """
    taken = joined(busy)
    free: list[Span] = []
    for window in joined(windows):
        start = window.start
        for span in taken:
            if span.end <= start or span.start >= window.end:
                continue
            if span.start > start:
                free.append(Span(start, span.start))
            start = max(start, span.end)
        if start < window.end:
            free.append(Span(start, window.end))
    return [gap for gap in free if gap.minutes >= at_least]


def closed(windows: Sequence[Span], day: Span) -> list[Span]:
    """The parts of the shown day in which nobody works here."""
    return gaps([day], windows)


def fits(windows: Iterable[Span], span: Span) -> bool:
    """Whether the span lies wholly inside working time."""
    return any(span.within(window) for window in joined(windows))

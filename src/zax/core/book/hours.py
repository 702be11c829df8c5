"""Time on one day as spans: what is joined, left out, closed. Working hours are made of them; free time is
found as bits (core/book/minutes).

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


def without(spans: Iterable[Span], out: Iterable[Span]) -> list[Span]:
    """What is left of the spans once others are taken out, to the minute."""
    taken = joined(out)
    free: list[Span] = []
    for window in joined(spans):
        start = window.start
        for span in taken:
            if span.end <= start or span.start >= window.end:
                continue
            if span.start > start:
                free.append(Span(start, span.start))
            start = max(start, span.end)
        if start < window.end:
            free.append(Span(start, window.end))
    return free


def closed(windows: Sequence[Span], day: Span) -> list[Span]:
    """The parts of the shown day in which nobody works here."""
    return without([day], windows)


def fits(windows: Iterable[Span], span: Span) -> bool:
    """Whether the span lies wholly inside working time."""
    return any(span.within(window) for window in joined(windows))

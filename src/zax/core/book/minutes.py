"""Sets of minutes of one day as whole numbers: bit n is the five minutes from 5n. Searching for time becomes
shifting bits.

All grids (5, 10 or 15 minutes) are multiples of the step; a span that is not is widened for busy time, and an
open one is narrowed, so nothing is ever thought free that is not. This is the one way in which free time is
found; `place` of core/book/booking then decides about a single time, and names who is in the way.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache

from zax.core.book.hours import Span, joined

STEP = 5
WHOLE_DAY = (1 << (24 * 60 // STEP)) - 1


def bits_of(spans: Iterable[Span]) -> int:
    """Busy spans as bits, widened to whole steps; what lies past midnight is left out."""
    found = 0
    for span in spans:
        first, last = span.start // STEP, -(-span.end // STEP)
        found |= ((1 << (last - first)) - 1) << first
    return found & WHOLE_DAY


def bits_within(spans: Iterable[Span]) -> int:
    """Open spans as bits: the steps that lie wholly inside them, neighbors taken together."""
    found = 0
    for span in joined(spans):
        first, last = -(-span.start // STEP), span.end // STEP
        if last > first:
            found |= ((1 << (last - first)) - 1) << first
    return found & WHOLE_DAY


def runs(free: int, at_least: int) -> list[Span]:
    """The stretches of `at_least` minutes or more whose bits are set, in order."""
    found, rest = [], free
    while rest:
        start = (rest & -rest).bit_length() - 1
        length = (~(rest >> start) & -~(rest >> start)).bit_length() - 1
        if length * STEP >= at_least:
            found.append(Span(start * STEP, (start + length) * STEP))
        rest &= -1 << (start + length)
    return found


def free_spans(windows: Iterable[Span], busy: Iterable[Span], at_least: int = STEP) -> list[Span]:
    """What of the working time is not taken, in stretches of `at_least` minutes or more."""
    return runs(bits_within(windows) & ~bits_of(busy), at_least)


def starts(free: int, minutes: int) -> int:
    """The bits at which a stretch of that many minutes begins that is wholly inside `free`."""
    length, found, have = -(-minutes // STEP), free, 1
    while have < length and found:
        shift = min(have, length - have)
        found &= found >> shift
        have += shift
    return found


@cache
def on_grid(grid: int) -> int:
    """Every start that the grid of that many minutes allows."""
    return sum(1 << bit for bit in range(0, 24 * 60 // STEP, grid // STEP))


def minutes_in(bits: int) -> Iterator[int]:
    """The minutes of the bits that are set, in order."""
    while bits:
        low = bits & -bits
        yield (low.bit_length() - 1) * STEP
        bits ^= low


def run_around(free: int, minute: int) -> Span | None:
    """The whole stretch of free time that the minute lies in."""
    bit = minute // STEP
    if not free >> bit & 1:
        return None
    above = ~(free >> bit)
    end = bit + (above & -above).bit_length() - 1
    below = ~free & ((1 << bit) - 1)
    return Span(below.bit_length() * STEP, end * STEP)

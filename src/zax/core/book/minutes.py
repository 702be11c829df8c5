"""Sets of minutes of one day as whole numbers: bit n is the five minutes from 5n. Searching for time becomes
shifting bits.

All grids (5, 10 or 15 minutes) are multiples of the step; a span that is not is widened for busy time, so
nothing is ever thought free that is not.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache

from zax.core.book.hours import Span

STEP = 5
WHOLE_DAY = (1 << (24 * 60 // STEP)) - 1


def bits_of(spans: Iterable[Span]) -> int:
    """The spans as bits, widened to whole steps."""
    found = 0
    for span in spans:
        first, last = span.start // STEP, -(-span.end // STEP)
        found |= ((1 << (last - first)) - 1) << first
    return found


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

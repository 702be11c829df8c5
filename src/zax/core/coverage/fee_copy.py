"""Fees made from other fees: a percentage of each, rounded to a step, such as 85 percent of the clinic’s own
to the dollar.
"""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.errors import Refused

LEAST_PERCENT, MOST_PERCENT = 1, 500
# Cents of a step, and its words.
STEPS = {1: "to the cent", 100: "to the dollar", 500: "to five dollars"}


def copied_fee(cents: int, percent: int, step: int) -> int:
    """`percent` of the fee, halves up, in whole steps; a fee above nothing never becomes nothing."""
    if not LEAST_PERCENT <= percent <= MOST_PERCENT:
        raise Refused(f"A whole percentage from {LEAST_PERCENT} to {MOST_PERCENT}.", "percent")
    if step not in STEPS:
        raise Refused("Choose how to round.", "step")
    steps = (cents * percent * 2 + 100 * step) // (200 * step)
    return max(steps, 1 if cents else 0) * step


def copied_fees(fees: Mapping[int, int], percent: int, step: int) -> dict[int, int]:
    """The same for each, by its key; what costs nothing is left out."""
    return {key: copied_fee(cents, percent, step) for key, cents in fees.items() if cents}

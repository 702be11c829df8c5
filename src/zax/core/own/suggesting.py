"""Which charges a payment made online is meant for: those it was made for first, then the oldest. What
nothing is due for stays as credit, so every cent is somewhere.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class OpenCharge:
    """A charge with what is open on it (cents), and since when."""

    line_id: int
    cents: int
    since: date
    visit_id: int | None = None


def suggest(cents: int, charges: Iterable[OpenCharge], first: frozenset[int]) -> list[tuple[int, int]]:
    """[(line, cents)] without empty parts, never more than is open on a line nor than was paid. `first` are
    the lines it was made for.
    """
    ordered = sorted(charges, key=lambda each: (each.line_id not in first, each.since, each.line_id))
    made: list[tuple[int, int]] = []
    for each in ordered:
        part = min(cents, max(0, each.cents))
        if part:
            made.append((each.line_id, part))
            cents -= part
    return made


def fits(parts: Sequence[tuple[int, int]], cents: int, charges: Iterable[OpenCharge]) -> bool:
    """Whether an allocation can be made as it stands: every part positive and open, all of it paid."""
    open_now = {each.line_id: each.cents for each in charges}
    lines = [line for line, _ in parts]
    return (
        len(set(lines)) == len(lines)
        and sum(part for _, part in parts) <= cents
        and all(0 < part <= open_now.get(line, 0) for line, part in parts)
    )

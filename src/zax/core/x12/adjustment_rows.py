"""CAS: what an earlier plan did not pay, by group and reason, of a claim (loop 2320) or a line (2430)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zax.core.claims.parts import Adjusted
from zax.core.x12.syntax import amount

# A segment has room for six reasons of its group.
MOST = 6


def adjustment_rows(adjusted: Sequence[Adjusted]) -> Iterator[tuple[str, ...]]:
    """A segment a group, more where there are more than six reasons."""
    for group in dict.fromkeys(each.group for each in adjusted):
        own = [each for each in adjusted if each.group == group]
        for start in range(0, len(own), MOST):
            row: list[str] = ["CAS", group]
            for each in own[start : start + MOST]:
                row += [each.reason, amount(each.cents), ""]
            yield tuple(row)

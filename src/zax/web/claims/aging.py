"""The picture of the money that is out: for each payer a row of bars by tens of days since sent, as high as
the money, hatched where it is over the payer's norm, and a mark at the norm.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.store.claims.worklist import AgeSum

WIDTH, LEFT, DECADES, STEP = 816, 176, 8, 66
TOP, ROW = 16, 18
MOST_PAYERS = 5
TALLEST, SHORTEST = 15, 3


@dataclass(frozen=True, slots=True)
class Bar:
    x: float
    y: float
    height: float
    width: float
    late: bool


@dataclass(frozen=True, slots=True)
class PayerRow:
    name: str
    cents: int
    base: int
    bars: Sequence[Bar]
    norm_x: float


@dataclass(frozen=True, slots=True)
class Aging:
    """Pixels. `more` payers are left out, with `more_cents` between them."""

    rows: Sequence[PayerRow]
    more: int
    more_cents: int

    @property
    def height(self) -> int:
        return TOP + ROW * len(self.rows) + 4

    @property
    def lines(self) -> list[tuple[int, float]]:
        """The ruling: days and where they stand."""
        return [(decade * 10, LEFT + decade * STEP) for decade in range(DECADES)]


def aging(sums: Sequence[AgeSum]) -> Aging:
    """The payers with the most money out, the largest first."""
    by_payer: dict[str, list[AgeSum]] = {}
    for each in sums:
        by_payer.setdefault(each.payer_name, []).append(each)
    total = {name: sum(each.cents for each in own) for name, own in by_payer.items()}
    names = sorted(by_payer, key=lambda name: (-total[name], name))
    shown, rest = names[:MOST_PAYERS], names[MOST_PAYERS:]
    tallest = max((each.cents for name in shown for each in by_payer[name]), default=0)
    rows = [_row(name, by_payer[name], total[name], at, tallest) for at, name in enumerate(shown)]
    return Aging(rows, len(rest), sum(total[name] for name in rest))


def _row(name: str, own: Sequence[AgeSum], cents: int, at: int, tallest: int) -> PayerRow:
    base = TOP + ROW * (at + 1) - 2
    bars = []
    for each in own:
        height = max(SHORTEST, TALLEST * each.cents / tallest) if tallest > 0 else SHORTEST
        # What is late and what is in time share a step where the norm lies within it.
        share = (STEP - 6) / 2 if _shared(each, own) else STEP - 6
        x = LEFT + each.decade * STEP + 2 + (share + 1 if each.late and _shared(each, own) else 0)
        bars.append(Bar(round(x, 1), round(base - height, 1), round(height, 1), share, each.late))
    norm = own[0].norm
    return PayerRow(name, cents, base, bars, LEFT + min(norm / 10, DECADES) * STEP)


def _shared(each: AgeSum, own: Sequence[AgeSum]) -> bool:
    return sum(other.decade == each.decade for other in own) > 1

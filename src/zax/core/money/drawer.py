"""The evening count: what lies in the drawer and in the bag against what the journal says, tender by tender.

Cash is counted in pieces; the float stays for tomorrow and the rest goes to the bank. A difference is written
down with a reason and never hidden in another tender.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zax.core.errors import ProblemCollector, Refused
from zax.core.money.cents import parse_amount
from zax.core.reading import whole_number
from zax.core.wording import dollars

PIECES = (10_000, 5_000, 2_000, 1_000, 500, 100, 50, 25, 10, 5, 1)
_NOTHING = {"", "0", "0.00", "0.0", "-", "−"}


@dataclass(frozen=True, slots=True)
class CountedTender:
    """One tender: what the journal expects and what was counted; cents."""

    tender: str
    expected: int
    counted: int

    @property
    def over(self) -> int:
        """More counted than expected; negative is short."""
        return self.counted - self.expected


def count_pieces(typed: Mapping[int, str]) -> dict[int, int]:
    """{value in cents: pieces} from what was typed for each; raises Problems beside piece-2000
    and the like.
    """
    wrong = ProblemCollector()
    found = {}
    for value in PIECES:
        pieces = wrong.take(
            whole_number, typed.get(value, ""), f"piece-{value}", 0, 999_999, "Enter a whole number."
        )
        if pieces:
            found[value] = pieces
    wrong.raise_if_any()
    return found


def worth(pieces: Mapping[int, int]) -> int:
    return sum(value * count for value, count in pieces.items())


def counted_amount(text: str, field: str) -> int:
    """An amount that may be nothing."""
    return 0 if text.strip() in _NOTHING else parse_amount(text, field)


def to_bank(drawer: int, float_cents: int) -> int:
    """What of the cash leaves the drawer; a drawer below its float sends nothing."""
    return max(0, drawer - float_cents)


def check_difference(tenders: list[CountedTender], why: str) -> int:
    """The sum of what is over or short. Refused beside "why" when something differs and nobody said why."""
    differing = [each for each in tenders if each.over]
    if differing and not why.strip():
        first = differing[0]
        words = f"{dollars(abs(first.over))} {'over' if first.over > 0 else 'short'}"
        raise Refused(f"The count is off ({words}). Count again, or say why.", "why")
    return sum(each.over for each in tenders)

"""How alike two words are, and which of several entries somebody meant by the words they typed.

One rule decides for payers and for doctors: an entry is chosen only if it is at least as good as every rival
in every word typed, and clearly better in one. Whatever else is known, a guess is never made between two that
fit: a wrong payer is a claim sent to the wrong place, a question to a person costs a second.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz

ALIKE = 0.75  # less is another word
CLEARLY = 0.07
LIKELIEST = 3
_SHORT = 4  # fewer letters must be the very ones
_BEGINS = 0.9


@dataclass(frozen=True, slots=True)
class Fit:
    """How an entry fits what was typed: 0 to 1 for each word typed, in their order, and how much of the entry
    was not typed. `reasons` are words for a person.
    """

    key: int
    words: tuple[float, ...]
    left: int = 0
    reasons: tuple[str, ...] = ()
    choosable: bool = True

    @property
    def points(self) -> int:
        """0 to 100, for showing."""
        if not self.words:
            return 0
        return max(0, round(100 * sum(self.words) / len(self.words)) - 2 * self.left)

    @property
    def missed(self) -> int:
        return sum(1 for word in self.words if word < ALIKE)


@dataclass(frozen=True, slots=True)
class Meant:
    """The likeliest entries, best first; `chosen` is the one that is meant, or None where a person is to
    choose.
    """

    chosen: Fit | None
    likeliest: tuple[Fit, ...] = ()


def words_in(text: str) -> frozenset[str]:
    """A list of words as it is written down here."""
    return frozenset(text.split())


def alike(typed: str, entry: str) -> float:
    """0 to 1; two different words are 0. The beginning of a word is nearly that word."""
    if typed == entry:
        return 1.0
    if len(typed) >= _SHORT and entry.startswith(typed):
        return max(_BEGINS, fuzz.ratio(typed, entry) / 100)
    if len(typed) < _SHORT or typed.startswith(entry) and len(typed) - len(entry) > 1:
        return 0.0  # 'Stephenson' isn't a slip of 'Stephens'
    found = fuzz.ratio(typed, entry) / 100
    return found if found >= ALIKE else 0.0


def decide(fits: Sequence[Fit]) -> Meant:
    """Which entry is meant. Entries that miss two words or more rival nobody; of two that fit alike, one that
    was typed as a whole is meant.
    """
    ranked = sorted(fits, key=lambda fit: (-sum(fit.words), fit.left, fit.key))
    shown = tuple(fit for fit in ranked if any(fit.words))[:LIKELIEST]
    best = next((fit for fit in ranked if fit.choosable), None)
    if best is None:
        return Meant(None, shown)
    against = (fit for fit in ranked if fit.key != best.key and fit.missed <= 1)
    if all(_beats(best, fit) for fit in against):
        return Meant(best, shown)
    return Meant(None, shown)


def _beats(best: Fit, rival: Fit) -> bool:
    gains = [one - other for one, other in zip(best.words, rival.words, strict=True)]
    if any(gain < 0 for gain in gains):
        return False
    return max(gains) >= CLEARLY or (max(gains) == 0 and best.left == 0 < rival.left)

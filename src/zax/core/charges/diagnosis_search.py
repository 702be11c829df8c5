"""What is meant by everyday words for a diagnosis: codes of ICD-10-CM by likeness to the phrases of
`everyday`, misspelled and unfinished words included.

Rule: every row whose phrase is like what was typed counts, by its likeness, and within a row the plain code
comes before the rare ones. A side that was said chooses among a row's codes. Finding, not deciding: the
codes are offered with their words, and one is chosen by a person.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache

from rapidfuzz.distance import DamerauLevenshtein

from zax.core.charges.everyday import EVERYDAY, INSTEAD, SIDES

LEAST_LIKE = 0.6
SURE = 0.95
_SMALL = frozenset(
    ["a", "an", "the", "of", "in", "on", "my", "and", "or", "for", "with", "to", "is", "has", "her", "his"]
)


@dataclass(frozen=True, slots=True)
class Meant:
    """A code and how like its phrase is to what was typed, 0 to 1; `side` is the side that was said."""

    code: str
    likeness: float
    side: str = ""


def words_of(typed: str) -> list[str]:
    """Lower case, without apostrophes, punctuation and small words."""
    plain = re.sub(r"['’`]", "", typed.lower())
    return [word for word in re.findall(r"[a-z0-9]+", plain) if word not in _SMALL]


def meant_by(typed: str) -> list[Meant]:
    """The codes, likest first; empty for what is like no phrase."""
    every = words_of(typed)
    side = next((SIDES[word] for word in every if word in SIDES), "")
    words = [word for word in every if word not in SIDES] or every
    if not words:
        return []
    rows = [(max(_likeness(words, phrase) for phrase in phrases), codes) for codes, phrases in _rows()]
    found: dict[str, Meant] = {}
    for likeness, codes in sorted(rows, key=lambda row: -row[0]):
        if likeness < LEAST_LIKE:
            break
        for code in codes:
            found.setdefault(code, Meant(code, likeness, side))
    return list(found.values())


def said_otherwise(typed: str) -> list[str]:
    """The typed words as ICD-10-CM says them: 'rt' -> 'right'."""
    return [INSTEAD.get(word, word) for word in words_of(typed)]


def in_order(meant: Sequence[Meant], words: Mapping[str, str], used: Mapping[str, int]) -> list[str]:
    """The codes as they are offered: those meant for sure first, in the side that was said, and among equals
    those that the clinic uses most. `words` are the codes' own.
    """

    def place(at: int) -> tuple[bool, bool, int, float, int]:
        each = meant[at]
        wrong_side = bool(each.side) and each.side not in words.get(each.code, "").lower()
        return each.likeness < SURE, wrong_side, -used.get(each.code, 0), -each.likeness, at

    return [meant[at].code for at in sorted(range(len(meant)), key=place) if meant[at].code in words]


@cache
def _rows() -> tuple[tuple[tuple[str, ...], tuple[tuple[str, ...], ...]], ...]:
    return tuple(
        (tuple(codes.split()), tuple(tuple(words_of(phrase)) for phrase in phrases.split(",")))
        for codes, phrases in EVERYDAY
    )


def _likeness(typed: Sequence[str], phrase: Sequence[str]) -> float:
    """How much of both is in the other; each word is used once."""
    if "".join(typed) == "".join(phrase):  # 'hayfever', 'tooth ache'
        return 1.0
    left = list(phrase)
    sure = 0.0
    for number, word in enumerate(typed):
        last = number == len(typed) - 1
        likes = [(_word_likeness(word, other, last), at) for at, other in enumerate(left)]
        best, at = max(likes, default=(0.0, 0))
        if best:
            sure += best
            del left[at]
    return sure / max(len(typed), len(phrase))


@lru_cache(maxsize=65_536)
def _word_likeness(word: str, other: str, unfinished: bool) -> float:
    if word == other:
        return 1.0
    if word.rstrip("s") == other.rstrip("s") and len(word) > 3:
        return 0.98
    if unfinished and len(word) >= 3 and other.startswith(word):
        return 0.9
    if min(len(word), len(other)) < 5:
        return 0.0
    wrong = 2 if len(other) >= 8 else 1
    return 0.9 if DamerauLevenshtein.distance(word, other) <= wrong else 0.0

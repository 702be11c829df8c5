"""The clearinghouse's list of payers: read from its CSV, and found by part of a name in any of its spellings.

A payer is found when every word typed begins a word of one spelling; what nothing is found by so is
looked for by likeness, so that a slip of the finger still finds it. Words every payer has count little.
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

from rapidfuzz import fuzz, process

from zax.core.patients.person import search_key

COLUMNS = ("id", "name", "also", "takes", "enroll")
TRANSACTIONS = {
    "837P": "medical claims",
    "837D": "dental claims",
    "837I": "facility claims",
    "270": "eligibility",
    "276": "claim status",
    "835": "electronic payments",
}
LONGEST_ID, LONGEST_NAME = 20, 80
_LIKE_ENOUGH = 72
_COMMON = frozenset({"the", "of", "and", "inc", "co", "company", "ins", "insurance", "health", "plan"})


@dataclass(frozen=True, slots=True, kw_only=True)
class ListedPayer:
    """One entry: its id for electronic claims, its name and other spellings, which transactions it takes, and
    for which one has to enroll first.
    """

    id: str
    name: str
    also: tuple[str, ...] = ()
    takes: tuple[str, ...] = ()
    enroll: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PayerPageRead:
    """The entries of a page, and what was wrong with others, in words."""

    payers: tuple[ListedPayer, ...]
    problems: tuple[str, ...]


def read_payers(text: str) -> PayerPageRead:
    """Never raises: what cannot be used is left out and said."""
    try:
        table = csv.DictReader(text.splitlines())
        rows, columns = list(table), table.fieldnames or ()
    except csv.Error as error:
        return PayerPageRead((), (f"The list isn’t CSV: {error}.",))
    missing = [name for name in COLUMNS if name not in columns]
    if missing:
        return PayerPageRead((), (f"The list has no column {missing[0]}.",))
    found: list[ListedPayer] = []
    wrong: list[str] = []
    for number, row in enumerate(rows, 2):
        key, name = (row["id"] or "").strip(), " ".join((row["name"] or "").split())
        if not (0 < len(key) <= LONGEST_ID and key.isascii() and key.isalnum()):
            wrong.append(f"Line {number}: “{key}” isn’t a payer’s ID.")
        elif not 0 < len(name) <= LONGEST_NAME:
            wrong.append(f"Line {number}: {key} has no name, or too long a one.")
        else:
            also = tuple(each.strip() for each in (row["also"] or "").split("|") if each.strip())
            takes, enroll = (tuple((row[column] or "").split()) for column in ("takes", "enroll"))
            found.append(ListedPayer(id=key, name=name, also=also, takes=takes, enroll=enroll))
    return PayerPageRead(tuple(found), tuple(wrong))


@dataclass(frozen=True)
class PayerIndex:
    """The list ready to be searched."""

    payers: tuple[ListedPayer, ...]

    @cached_property
    def spellings(self) -> Sequence[tuple[str, tuple[str, ...], int]]:
        """(key, its words, place of the payer) of every spelling."""
        found = []
        for at, payer in enumerate(self.payers):
            for name in (payer.name, *payer.also):
                key = search_key(name)
                found.append((key, tuple(key.replace("-", " ").split()), at))
        return found

    @cached_property
    def keys(self) -> Sequence[str]:
        return [key for key, _, _ in self.spellings]

    def find(self, typed: str, most: int = 8) -> list[ListedPayer]:
        """The likeliest first; by its id, by the beginnings of its words, else by likeness."""
        key = search_key(typed)
        if not key:
            return []
        by_id = [payer for payer in self.payers if payer.id.lower() == key]
        found = self._by_words(key.replace("-", " ").split()) or self._by_likeness(key, most)
        ordered = dict.fromkeys([*by_id, *(self.payers[at] for at in found)])
        return list(ordered)[:most]

    def _by_words(self, words: Sequence[str]) -> list[int]:
        """Fewer words left over stand first, then the shorter name."""
        found: dict[int, tuple[int, int]] = {}
        for key, has, at in self.spellings:
            if _begins(words, has):
                rest = sum(1 for word in has if word not in _COMMON) - len(words)
                found[at] = min(found.get(at, (99, 99)), (rest, len(key)))
        return sorted(found, key=lambda at: (found[at], self.payers[at].name))

    def _by_likeness(self, key: str, most: int) -> list[int]:
        like = process.extract(key, self.keys, scorer=fuzz.WRatio, score_cutoff=_LIKE_ENOUGH, limit=most * 4)
        return [self.spellings[place][2] for _, _, place in like]


def _begins(words: Sequence[str], has: Iterable[str]) -> bool:
    """Whether each word typed begins a word of its own."""
    left = list(has)
    for word in sorted(words, key=len, reverse=True):
        for each in left:
            if each.startswith(word):
                left.remove(each)
                break
        else:
            return False
    return True

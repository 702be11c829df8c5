"""How likely two records are one person: points for what agrees, taken away for what speaks against it, each
with its words.

Pairs come from blocking (same birth date and sounding alike, same phone, same member ID), so a pair already
shares something. From `LIKELY` points on it is worth a look; a middle name is no reason to think of two
people, a birth date that differs by one digit none.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

import jellyfish
from rapidfuzz import fuzz

from zax.core.patients.nicknames import same_given_name

LIKELY = 50
NOTICED = 40  # while somebody types, less is known of them
MOST = 100


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is compared. Names are search keys; `members` are member keys."""

    id: int
    first: str
    last: str
    birth: date | None
    phones: frozenset[str] = frozenset()
    members: frozenset[str] = frozenset()
    street: str = ""
    email: str = ""
    sex: str = ""
    used: str = ""


@dataclass(frozen=True, slots=True)
class Pair:
    """Two records with how likely they are one person (0 to 100) and why."""

    a: int
    b: int
    points: int
    reasons: tuple[str, ...]


def compare(a: Known, b: Known) -> Pair:
    """Points and reasons; the order of the two does not matter."""
    found = [*_names(a, b), *_births(a, b), *_contacts(a, b)]
    points = max(0, min(MOST, sum(points for points, _ in found)))
    return Pair(min(a.id, b.id), max(a.id, b.id), points, tuple(words for _, words in found))


def _names(a: Known, b: Known) -> Iterator[tuple[int, str]]:
    if (a.first, a.last) == (b.first, b.last):
        yield 40, "same name"
        return
    if (a.first, a.last) == (b.last, b.first):
        yield 38, "first and last name swapped"
        return
    last = fuzz.ratio(a.last, b.last)
    first = max(
        fuzz.ratio(one, two) for one in (a.first, a.used or a.first) for two in (b.first, b.used or b.first)
    )
    if a.last == b.last:
        yield 18, "same last name"
    elif last >= 80 or jellyfish.metaphone(a.last) == jellyfish.metaphone(b.last) or _part_of(a.last, b.last):
        yield 12, "last names alike"
    if a.first == b.first:
        yield 18, "same first name"
    elif _nickname(a, b):
        yield 16, "one first name is a nickname of the other"
    elif first >= 80 or _short_form(a.first, b.first) or _part_of(a.first, b.first):
        yield 12, "first names alike"
    elif first < 50 and not _begins(a.first, b.first):
        yield -60, "first names differ"


def _part_of(one: str, two: str) -> bool:
    """'garcia' and 'garcia lopez'."""
    words = one.replace("-", " ").split(), two.replace("-", " ").split()
    return words[0] != words[1] and (set(words[0]) <= set(words[1]) or set(words[1]) <= set(words[0]))


def _nickname(a: Known, b: Known) -> bool:
    """'bob' and 'robert', or the name one of them likes to be called."""
    ours, theirs = ({name.split()[0] for name in (each.first, each.used) if name} for each in (a, b))
    return any(same_given_name(one, two) for one in ours for two in theirs)


def _short_form(one: str, two: str) -> bool:
    short, long = sorted((one, two), key=len)
    return 2 <= len(short) < len(long) and long.startswith(short)


def _begins(one: str, two: str) -> bool:
    """'h' says nothing against 'helen'."""
    return one.startswith(two) or two.startswith(one)


def _births(a: Known, b: Known) -> Iterator[tuple[int, str]]:
    if a.birth is None or b.birth is None:
        return
    if a.birth == b.birth:
        yield 35, "same birth date"
    elif a.birth.year == b.birth.year and (a.birth.month, a.birth.day) == (b.birth.day, b.birth.month):
        yield 25, "birth dates with day and month swapped"
    elif jellyfish.damerau_levenshtein_distance(f"{a.birth:%Y%m%d}", f"{b.birth:%Y%m%d}") == 1:
        yield 18, "birth dates differ by one digit"
    else:
        yield -30, "birth dates differ"


def _contacts(a: Known, b: Known) -> Iterator[tuple[int, str]]:
    if a.members & b.members:
        yield 20, "same member ID"
    if a.phones & b.phones:
        yield 20, "same phone"
    if a.email and a.email.lower() == b.email.lower():
        yield 8, "same email"
    if a.street and a.street.lower() == b.street.lower():
        yield 6, "same address"
    if {a.sex, b.sex} == {"F", "M"}:
        yield -20, "sex differs"

"""Looks at patients' records that somebody should see: not wrong by themselves, but rare for the work.

Three kinds: a patient who had no reason to be looked at that day (no visit near it, and nothing was done for
them by the person), a patient with the person's own last name, and very many patients within an hour.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from zax.core.patients.person import search_key

MANY, WITHIN = 40, timedelta(hours=1)
# Days around a visit in which looking is ordinary: preparing it, billing it.
NEAR_DAYS = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class LookFacts:
    """A person’s looks at one patient on one day. `at` is the first (UTC); `near`: a visit lies within
    NEAR_DAYS; `did`: they did something for the patient that day.
    """

    user_id: int
    user_name: str
    patient_id: int
    first: str
    last: str
    at: datetime
    times: int
    near: bool
    did: bool


@dataclass(frozen=True, slots=True)
class Unusual:
    look: LookFacts
    why: str


def unusual(looks: Iterable[LookFacts]) -> list[Unusual]:
    """Those that stand out, each with its strongest reason, newest first."""
    rows = sorted(looks, key=lambda each: (each.user_id, each.at))
    crowded = _crowded(rows)
    found = [Unusual(each, why) for each in rows if (why := _why(each, crowded))]
    return sorted(found, key=lambda each: each.look.at, reverse=True)


def _why(look: LookFacts, crowded: set[int]) -> str:
    if search_key(look.last) and search_key(look.last) == search_key(look.user_name.split()[-1]):
        return "the same last name"
    if not look.near and not look.did:
        return "no visit near, and nothing was done"
    if id(look) in crowded and not look.did:
        return f"one of more than {MANY} patients within an hour"
    return ""


def _crowded(rows: Sequence[LookFacts]) -> set[int]:
    """Which of the rows (by identity) lie in an hour with more than MANY patients of one person."""
    found: set[int] = set()
    start = 0
    for end, row in enumerate(rows):
        while rows[start].user_id != row.user_id or row.at - rows[start].at > WITHIN:
            start += 1
        if end - start + 1 > MANY:
            found |= {id(each) for each in rows[start : end + 1]}
    return found

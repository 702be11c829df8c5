"""Whom to call first: one person, one row, with every reason there is to call them, ranked by a score whose
parts can be read.

A reason counts its weight, which the clinic may change, and more the longer it waits and the more money it
is about; tries of the last two weeks count against the person, so that nobody is called all day. A return
that is overdue stands above any score: it is a matter of safety, not of points.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from typing import NamedTuple


class Why(StrEnum):
    """In the order in which they are said on the phone."""

    RETURN = "return"
    RESULT = "result"
    LOST = "lost"
    MISSED = "missed"
    UNCONFIRMED = "unconfirmed"
    FORM = "form"
    COVERAGE = "coverage"
    RECALL = "recall"
    PLANNED = "planned"
    ESTIMATE = "estimate"
    SOONER = "sooner"
    BALANCE = "balance"


WHY_WORDS: Mapping[Why, str] = {
    Why.RETURN: "asked to return",
    Why.RESULT: "a result to tell",
    Why.LOST: "lost their visit",
    Why.MISSED: "missed, not booked again",
    Why.UNCONFIRMED: "not confirmed",
    Why.FORM: "form not signed",
    Why.COVERAGE: "coverage problem",
    Why.RECALL: "recall",
    Why.PLANNED: "signed, not booked",
    Why.ESTIMATE: "estimate not decided",
    Why.SOONER: "wants sooner",
    Why.BALANCE: "balance",
}
SHIPPED_WEIGHTS: Mapping[Why, int] = {
    Why.RETURN: 60,
    Why.RESULT: 55,
    Why.LOST: 45,
    Why.MISSED: 40,
    Why.UNCONFIRMED: 40,
    Why.FORM: 20,
    Why.COVERAGE: 25,
    Why.RECALL: 20,
    Why.PLANNED: 25,
    Why.ESTIMATE: 15,
    Why.SOONER: 15,
    Why.BALANCE: 15,
}
HEAVIEST = 100
MOST_FOR_WAITING, MOST_FOR_MONEY, MOST_FOR_RISK, URGENT = 20, 20, 20, 20
DAYS_A_POINT, CENTS_A_POINT = 7, 2_500
A_TRY, TRIES_COUNT_DAYS = 10, 14
# What is worth a call: cents owed since so many days, visits that begin within so many.
LEAST_OWED, OWED_FOR_DAYS = 2_000, 30
UNCONFIRMED_WITHIN, COVERAGE_WITHIN, RETURN_WITHIN = 3, 7, 7
UNDECIDED_AFTER, SOONER_AFTER = 7, 30


class Reason(NamedTuple):
    """Why somebody is to be called. `since` is the day from which it waits, which may lie ahead (a visit not
    confirmed); `about` is what a try is noted for, such as "recall-7"; `words` say which one; `risk` is the
    chance in percent that they don't come, where it is worth a word. A tuple, since a large clinic ranks tens
    of thousands at a time.
    """

    patient_id: int
    why: Why
    since: date
    about: str
    words: str = ""
    cents: int = 0
    urgent: bool = False
    overdue: bool = False
    risk: int = 0


class Part(NamedTuple):
    """One part of a score."""

    words: str
    points: int


@dataclass(frozen=True, slots=True)
class Score:
    """`first` stands above any points."""

    points: int
    first: bool
    parts: tuple[Part, ...]

    @property
    def sentence(self) -> str:
        """ "recall 26, balance 21, two tries −20"."""
        said = ", ".join(f"{part.words} {part.points}".replace("-", "−") for part in self.parts)
        return f"an overdue return stands above any score: {said}" if self.first else said


@dataclass(frozen=True, slots=True)
class CallRow:
    """One person with all reasons, the weightiest first."""

    patient_id: int
    reasons: tuple[Reason, ...]
    score: Score


def is_first(reason: Reason) -> bool:
    """Whether it stands above any score."""
    return reason.why is Why.RETURN and reason.overdue


def points_of(reason: Reason, today: date, weights: Mapping[Why, int]) -> int:
    waited = max(0, (today - reason.since).days) // DAYS_A_POINT
    money = reason.cents // CENTS_A_POINT if reason.cents > 0 else 0
    return (
        weights[reason.why]
        + min(MOST_FOR_WAITING, waited)
        + min(MOST_FOR_MONEY, money)
        + (URGENT if reason.urgent else 0)
        + min(MOST_FOR_RISK, reason.risk)
    )


def score_of(reasons: Sequence[Reason], tries: int, today: date, weights: Mapping[Why, int]) -> Score:
    """`tries` are those of the last two weeks that stand."""
    parts = [Part(WHY_WORDS[each.why], points_of(each, today, weights)) for each in reasons]
    if tries:
        parts.append(Part("one try" if tries == 1 else f"{tries} tries", -A_TRY * tries))
    first = any(is_first(each) for each in reasons)
    return Score(sum(part.points for part in parts), first, tuple(parts))


def ranked(
    reasons: Iterable[Reason], tries: Mapping[int, int], today: date, weights: Mapping[Why, int]
) -> list[CallRow]:
    """Everybody once, whom to call first on top; the same reasons always give the same order."""
    of: dict[int, list[Reason]] = {}
    for each in reasons:
        of.setdefault(each.patient_id, []).append(each)
    order = {why: place for place, why in enumerate(Why)}
    rows = []
    for patient_id, mine in of.items():
        mine.sort(
            key=lambda each: (
                not is_first(each),
                -points_of(each, today, weights),
                order[each.why],
                each.about,
            )
        )
        rows.append(
            CallRow(patient_id, tuple(mine), score_of(mine, tries.get(patient_id, 0), today, weights))
        )
    return sorted(rows, key=lambda row: (not row.score.first, -row.score.points, row.patient_id))

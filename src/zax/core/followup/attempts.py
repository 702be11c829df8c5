"""What a try to reach somebody says about the next one: when they may be called again, and at which hours
they pick up.

Days and hours are the clinic's own.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum


class Outcome(StrEnum):
    BOOKED = "booked"
    REACHED = "reached"
    NO_ANSWER = "none"
    MESSAGE = "message"
    AGAIN = "again"
    NO = "no"
    WRONG = "wrong"
    MOVED = "moved"
    SENT = "sent"


OUTCOME_WORDS = {
    Outcome.BOOKED: "booked",
    Outcome.REACHED: "spoke with them",
    Outcome.NO_ANSWER: "no answer",
    Outcome.MESSAGE: "left a message",
    Outcome.AGAIN: "will call back",
    Outcome.NO: "doesn’t want it",
    Outcome.WRONG: "wrong number",
    Outcome.MOVED: "moved away",
    Outcome.SENT: "sent",
}
# Somebody picked up.
SPOKE = frozenset({Outcome.BOOKED, Outcome.REACHED, Outcome.AGAIN, Outcome.NO, Outcome.MOVED})
# Days until they are called again, where nobody said a day.
RESTS = {
    Outcome.NO_ANSWER: 1,
    Outcome.MESSAGE: 2,
    Outcome.AGAIN: 3,
    Outcome.SENT: 3,
    Outcome.NO: 30,
    Outcome.BOOKED: 1,
    Outcome.REACHED: 1,
}
TO_A_LETTER = 3
FIRST_HOUR, LAST_HOUR = 8, 20


@dataclass(frozen=True, slots=True)
class Attempt:
    """One that stands; `at` is local. `again_on` is the day they asked for."""

    at: datetime
    how: str
    outcome: Outcome
    about: Sequence[str] = ()
    again_on: date | None = None


def rests_until(attempts: Iterable[Attempt], about: str, today: date) -> date | None:
    """The day from which they may be called again about this; None for now.

    A day they asked for holds for everything, and so does a try of any kind; a no holds for what it was about
    alone.
    """
    until = date.min
    for each in attempts:
        if each.outcome is Outcome.NO and about not in each.about:
            continue
        days = RESTS.get(each.outcome, 0)
        until = max(until, each.again_on or each.at.date() + timedelta(days=days))
    return until if until > today else None


def tries_after(attempts: Iterable[Attempt], day: date) -> int:
    """How often they were tried since that day."""
    return sum(each.at.date() > day for each in attempts)


def calls_in_vain(attempts: Iterable[Attempt], about: str) -> int:
    """How often they were called about it since anybody last spoke with them."""
    count = 0
    for each in attempts:
        if each.outcome in SPOKE:
            count = 0
        elif each.how == "call" and about in each.about:
            count += 1
    return count


@dataclass(frozen=True, slots=True)
class Hours:
    """By hour from 8 to 20, how often a call was picked up and how often it was not; `best` is the hour at
    which most were, None while nobody ever picked up.
    """

    answered: tuple[int, ...]
    silent: tuple[int, ...]
    best: int | None


def hours_of(attempts: Iterable[Attempt]) -> Hours:
    width = LAST_HOUR - FIRST_HOUR
    answered, silent = [0] * width, [0] * width
    for each in attempts:
        place = each.at.hour - FIRST_HOUR
        if each.how == "call" and 0 <= place < width:
            (answered if each.outcome in SPOKE else silent)[place] += 1
    best = max(range(width), key=lambda place: (answered[place], -silent[place], -place))
    return Hours(tuple(answered), tuple(silent), FIRST_HOUR + best if answered[best] else None)

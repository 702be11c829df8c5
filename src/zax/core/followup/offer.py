"""An offer: one opening, several people in waves, and the first yes takes it.

What is decided here holds however many answer at once, since the desk holds the offer's row while it asks:
whether an offer still stands, who is next, and which offer a reply is about. Moments are UTC, minutes those
of the clinic's wall clock.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum

from zax.core.errors import ProblemCollector, Refused

MOST_PEOPLE = 240
REMEMBERED = timedelta(days=3)


class Stand(StrEnum):
    """OPEN: it is being offered. GONE: somebody else got the time; OVER: its time ran out."""

    OPEN = "open"
    TAKEN = "taken"
    GONE = "gone"
    STOPPED = "stopped"
    OVER = "over"


class Place(StrEnum):
    """How it is with one person of an offer. ASKS: what they answered waits for a person; LATE: they said yes
    after somebody else.
    """

    WAITING = "waiting"
    SENT = "sent"
    YES = "yes"
    NO = "no"
    ASKS = "asks"
    LATE = "late"
    SKIPPED = "skipped"


# Those who can still say yes; those who heard of it and have not said no.
MAY_ANSWER = frozenset({Place.SENT, Place.ASKS})


@dataclass(frozen=True, slots=True)
class Rules:
    """How the clinic offers: `wave` people at a time, `minutes` between, at most `most_a_week` offers to one
    person, until `until_before` minutes before the time. `within_days` 0: never by itself; 1: for what is
    canceled for today, and so on.
    """

    wave: int = 3
    minutes: int = 15
    most_a_week: int = 2
    until_before: int = 60
    within_days: int = 0


LIMITS = {
    "wave": (1, 20),
    "minutes": (1, 24 * 60),
    "most_a_week": (1, 14),
    "until_before": (0, 24 * 60),
    "within_days": (0, 30),
}


def check_rules(rules: Rules) -> None:
    """Raises Problems beside the fields."""
    with ProblemCollector() as wrong:
        for name, (least, most) in LIMITS.items():
            if not least <= getattr(rules, name) <= most:
                wrong.add(name, f"Choose {least} to {most}.")


def ends_at(begins: datetime, now: datetime, rules: Rules) -> datetime:
    """Until when it is offered: some time before it begins, or to the last minute when it is nearly there.
    Refused for a time that has begun.
    """
    if begins <= now:
        raise Refused("This time has begun. Offer one that’s still ahead.")
    until = begins - timedelta(minutes=rules.until_before)
    return until if until > now else begins


@dataclass(frozen=True, slots=True)
class Heard:
    """An offer that went to a phone: `number` tells it from others at that phone."""

    person_id: int
    number: int
    sent_at: datetime
    open: bool
    day: date
    start: int

    def known_at(self, at: datetime) -> bool:
        """Whether a reply may still be about it: while it stands, and some days after it was sent."""
        return self.open or at - self.sent_at <= REMEMBERED


def meant(heard: Sequence[Heard], number: int, at: datetime) -> Heard | None:
    """The offer that a reply of the moment `at` is about; None when it could be several, or none.

    A number is said by it alone. Without one it is the only offer the phone had heard of by then; of several,
    the only one that still stood would be a guess.
    """
    known = [each for each in heard if each.sent_at <= at and each.known_at(at)]
    if number:
        known = [each for each in known if each.number == number]
    return known[0] if len(known) == 1 else None


def next_number(heard: Sequence[Heard], now: datetime) -> int:
    """The smallest number that no offer of late has at this phone."""
    taken = {each.number for each in heard if each.known_at(now)}
    return next(number for number in range(1, len(taken) + 2) if number not in taken)

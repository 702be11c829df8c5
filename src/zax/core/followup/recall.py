"""Recalls: when a patient should come again for what. A visit or a service that was done starts a recall or
moves it on; it repeats until something ends it.

A recall type is the clinic's own: how long it takes, how much earlier or later is still in time, for which
ages, what is booked, what starts and what ends it, and how people are reached about it. The interval may be
another for one patient. Days are the clinic's own.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from enum import StrEnum

from zax.core.book.calendar import step_months
from zax.core.errors import ProblemCollector, Refused
from zax.core.messages.channel import Channel
from zax.core.patients.person import age_on
from zax.core.remits.letters import places_of

LONGEST_NAME, LONGEST_TEXT, LONGEST_LETTER = 60, 320, 3000
LONGEST_YEARS, WIDEST_DAYS, OLDEST, MOST_TRIES = 10, 180, 130, 6


class Unit(StrEnum):
    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    YEAR = "year"


_DAYS = {Unit.DAY: 1, Unit.WEEK: 7}
_MONTHS = {Unit.MONTH: 1, Unit.YEAR: 12}
_UNITS = {"d": Unit.DAY, "w": Unit.WEEK, "m": Unit.MONTH, "mo": Unit.MONTH, "y": Unit.YEAR, "yr": Unit.YEAR}
_TYPED = re.compile(r"(?P<count>[0-9]{1,3}) ?(?P<unit>d|w|mo|m|yr|y|day|week|month|year)s?")


@dataclass(frozen=True, slots=True)
class Interval:
    count: int
    unit: Unit

    @property
    def words(self) -> str:
        """ "6 months", "1 year": as it is typed and read."""
        return f"{self.count} {self.unit}{'' if self.count == 1 else 's'}"


# What a desk chooses from besides the type's own.
USUAL = tuple(Interval(count, Unit.MONTH) for count in (3, 4, 6, 12))
INTERVAL_HELP = "Say how long, such as 6 months, 3 days or 1 year."


PLACES = {
    "first": "the first name",
    "what": "what is due",
    "when": "since or by when",
    "clinic": "the clinic",
    "phone": "the clinic’s phone",
}
TEXT = "Hi {first}, your {what} is due. Call us at {phone} to pick a time. {clinic}"
LETTER = (
    "Dear {first},\n\nyour {what} is due {when}. Please call us at {phone}, and we’ll find a time that suits"
    " you.\n\n{clinic}"
)


@dataclass(frozen=True, slots=True)
class PlannedTry:
    """So many days after the due day (before it: below zero) somebody is reached this way."""

    days: int
    channel: Channel


SHIPPED_TRIES = (
    PlannedTry(-14, Channel.TEXT),
    PlannedTry(7, Channel.TEXT),
    PlannedTry(21, Channel.CALL),
    PlannedTry(45, Channel.LETTER),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class RecallType:
    """`before` and `after` are the days around the due day that are in time. `oldest` 0: for all ages from
    `youngest` on. `starts` and `ends` are service codes; without `starts` a visit of its own type starts it.
    `repeats` false: once it was done it is over. `text` is what a text or mail says, `letter` the paper.
    """

    id: int
    name: str
    every: Interval
    type_id: int
    before: int = 14
    after: int = 28
    youngest: int = 0
    oldest: int = 0
    same_person: bool = True
    starts: tuple[str, ...] = ()
    ends: tuple[str, ...] = ()
    repeats: bool = True
    tries: tuple[PlannedTry, ...] = SHIPPED_TRIES
    text: str = TEXT
    letter: str = LETTER
    active: bool = True
    version: int = 1

    def started_by(self, type_id: int, codes: Collection[str]) -> bool:
        """Whether a finished visit of this type, with these services, starts it or moves it on."""
        return any(code in codes for code in self.starts) if self.starts else type_id == self.type_id

    @property
    def called_after(self) -> int:
        """From so many days after the due day on people are called about it: the first call of its plan, or a
        week after the last try of a plan without one.
        """
        calls = [each.days for each in self.tries if each.channel is Channel.CALL]
        return min(calls) if calls else max((each.days for each in self.tries), default=0) + 7

    def ended_by(self, codes: Collection[str]) -> bool:
        return any(code in codes for code in self.ends)

    def fits(self, birth: date | None, day: date) -> bool:
        """Whether somebody of that age on that day is recalled; an unknown birth date is no reason not to."""
        age = age_on(birth, day) if birth else None
        return age is None or (age >= self.youngest and (not self.oldest or age <= self.oldest))


@dataclass(frozen=True, slots=True)
class NextRecall:
    """A recall of this type is due then; the patient's own interval where it isn't the type's."""

    kind: RecallType
    due: date
    own: Interval | None = None


@dataclass(frozen=True, slots=True)
class AfterVisit:
    """What a finished visit does to the recalls of a patient: those that were done, those that end, and what
    is due next.
    """

    done: tuple[RecallType, ...] = ()
    ended: tuple[RecallType, ...] = ()
    next: tuple[NextRecall, ...] = ()


def read_interval(text: str, field: str = "every") -> Interval:
    """ "6 months", "6m", "1 yr", "3 days". Refused beside the field."""
    typed = _TYPED.fullmatch(" ".join(text.lower().split()))
    if typed is None:
        raise Refused(INTERVAL_HELP, field)
    unit = _UNITS.get(typed["unit"]) or Unit(typed["unit"])
    found = Interval(int(typed["count"]), unit)
    if not found.count or next_due(date(2000, 1, 1), found) > date(2000 + LONGEST_YEARS, 1, 1):
        raise Refused(f"A recall is due after 1 day to {LONGEST_YEARS} years.", field)
    return found


def next_due(done_on: date, every: Interval) -> date:
    """The day on which the patient is due again; the last of a month stays the last."""
    if every.unit in _DAYS:
        return done_on + timedelta(days=every.count * _DAYS[every.unit])
    return step_months(done_on, every.count * _MONTHS[every.unit])


def after_visit(
    types: Iterable[RecallType],
    open_ones: Collection[int],
    own: dict[int, Interval],
    chosen: dict[int, Interval | None],
    *,
    type_id: int,
    codes: Collection[str],
    day: date,
    birth: date | None,
) -> AfterVisit:
    """What a visit of that day does. `open_ones` are the types the patient has a recall of, `own` their
    intervals where they differ, `chosen` what the desk said at checkout, by type: None for no more recalls.
    """
    done, ended, following = [], [], []
    for kind in types:
        if kind.ended_by(codes):
            if kind.id in open_ones:
                ended.append(kind)
            continue
        if not kind.started_by(type_id, codes) or not (kind.active or kind.id in open_ones):
            continue
        # One that doesn't repeat is over once it was done; the same visit may start it only if none ran.
        if kind.id in open_ones:
            done.append(kind)
            if not kind.repeats:
                continue
        every = chosen.get(kind.id, own.get(kind.id, kind.every))
        if every is None or not kind.active:
            continue
        due = next_due(day, every)
        if kind.fits(birth, due):
            following.append(NextRecall(kind, due, None if every == kind.every else every))
    return AfterVisit(tuple(done), tuple(ended), tuple(following))


def next_try(kind: RecallType, due: date, tried: int, today: date) -> tuple[date, Channel] | None:
    """When and how the next try is due, after so many; a day that is over means today. None after the last:
    then a person decides.
    """
    if tried >= len(kind.tries):
        return None
    planned = kind.tries[tried]
    return max(due + timedelta(days=planned.days), today), planned.channel


def read_tries(text: str, field: str = "tries") -> tuple[PlannedTry, ...]:
    """ "text -14, text 7, call 21, letter 45": channel and days after the due day, in order of days."""
    found = [_planned(part, field) for part in text.split(",") if part.strip()]
    if len(found) > MOST_TRIES:
        raise Refused(f"Plan at most {MOST_TRIES} tries; after the last a person decides.", field)
    if any(later.days <= earlier.days for earlier, later in zip(found, found[1:], strict=False)):
        raise Refused("Each try comes later than the one before it.", field)
    return tuple(found)


def _planned(part: str, field: str) -> PlannedTry:
    how, _, days = part.strip().lower().partition(" ")
    number = days.replace("−", "-").strip()
    if how not in list(Channel) or not re.fullmatch(r"[+-]?[0-9]{1,3}", number):
        raise Refused("Write each try like “text 7”: text, email, call or letter, then the days.", field)
    return PlannedTry(int(number), Channel(how))


def tries_words(tries: Sequence[PlannedTry]) -> str:
    """As they are typed."""
    return ", ".join(f"{each.channel} {each.days}" for each in tries)


def checked(kind: RecallType) -> RecallType:
    """A type that may be kept, tidied. Raises Problems beside its fields."""
    wrong = ProblemCollector()
    name = " ".join(kind.name.split())
    if not name or len(name) > LONGEST_NAME:
        wrong.add("name", f"Give it a name of up to {LONGEST_NAME} letters.")
    if not kind.type_id:
        wrong.add("type_id", "Choose what is booked for it.")
    for days, field in ((kind.before, "before"), (kind.after, "after")):
        if not 0 <= days <= WIDEST_DAYS:
            wrong.add(field, f"Between 0 and {WIDEST_DAYS} days.")
    if not 0 <= kind.youngest <= OLDEST or not 0 <= kind.oldest <= OLDEST:
        wrong.add("youngest", f"Ages go from 0 to {OLDEST}.")
    elif kind.oldest and kind.oldest < kind.youngest:
        wrong.add("oldest", "The second age is the higher one.")
    if set(kind.starts) & set(kind.ends):
        wrong.add("ends", "A service can’t start and end it.")
    for text, field, most in ((kind.text, "text", LONGEST_TEXT), (kind.letter, "letter", LONGEST_LETTER)):
        unknown = [name for name in places_of(text) if name not in PLACES]
        if len(text) > most:
            wrong.add(field, f"Keep it to {most} characters.")
        elif unknown:
            wrong.add(field, f"{{{unknown[0][:30]}}} isn’t a place we can fill. Use one of the list.")
    wrong.raise_if_any()
    return replace(kind, name=name, text=kind.text.strip(), letter=kind.letter.strip())

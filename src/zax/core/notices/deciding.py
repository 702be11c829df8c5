"""Whom a rule writes to: each occasion by itself first (is it due, is there a way), then those that go to one
address about one day together, so that three visits tomorrow are one message and so are those of a household
at one phone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, datetime
from itertools import groupby

from zax.core.messages.language import Language
from zax.core.notices.events import EVENTS, Event, Seen
from zax.core.notices.lead import Lead, due_at

# An event told at once waits so long for second thoughts: what is undone by then was never said.
SECOND_THOUGHTS_MINUTES = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Going:
    """One occasion with where it goes, or why nowhere. `index` is its place among those asked about."""

    index: int
    to: str = ""
    why_not: str = ""
    language: Language = Language.ENGLISH
    day: date | None = None
    household: int = 0


def moment_of(
    event: Event,
    lead: Lead,
    anchor: datetime,
    to_utc: Callable[[datetime], datetime],
    to_wall: Callable[[datetime], datetime],
) -> datetime:
    """When it is due, UTC. What happened at a moment is counted from there, the rest from the wall clock."""
    if EVENTS[event].seen is not Seen.MOMENT:
        return due_at(lead, anchor, to_utc)
    return due_at(lead, to_wall(anchor), to_utc) if lead.by_days else anchor + lead.span


def in_time(event: Event, due: datetime, begins: datetime | None, now: datetime) -> bool:
    """Whether it may go now: due, not too old, and before a visit it is to precede has begun. `begins` is the
    visit's time in UTC.
    """
    if due > now:
        return False
    if EVENTS[event].before and begins is not None:
        return now < begins
    return now < due + EVENTS[event].grace


def together(going: Iterable[Going]) -> list[list[int]]:
    """The indexes that make one message each: the same household, address and day. Strangers who happen to
    have one number on file never read of each other.
    """
    found = sorted((each for each in going if each.to), key=lambda each: (*_one_message(each), each.index))
    return [[each.index for each in group] for _, group in groupby(found, key=_one_message)]


def _one_message(each: Going) -> tuple[int, str, date]:
    return (each.household, each.to, each.day or date.min)

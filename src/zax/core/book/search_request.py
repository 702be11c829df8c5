"""What is looked for, what a day offers, and what is found: the values of the search for openings. Units:
minutes of the day (local).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date

from zax.core.book.booking import StaffSlot
from zax.core.book.hours import Span
from zax.core.book.minutes import WHOLE_DAY
from zax.core.patients.wishes import Wishes


@dataclass(frozen=True, slots=True)
class Helpers:
    """People who may fill one staff need: one of `people` for `minutes` at one of `offsets`; `same_as` as in
    StaffNeed.
    """

    people: tuple[int, ...]
    minutes: int
    offsets: tuple[int, ...]
    words: str = "exam"
    same_as: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchRequest:
    """One visit to find a time for. `leads` may lead it, `rooms` may hold it; `hours` are the minutes by
    weekday, as bits, in which it must lie.

    `shortest` is the least minutes that can still be sold to a lead; `goal` how many of the type a day should
    have, `most` how many it may.
    """

    minutes: int
    leads: tuple[int, ...]
    rooms: tuple[int, ...]
    type_id: int = 0
    home_rooms: Mapping[int, int] = field(default_factory=dict)
    helpers: tuple[Helpers, ...] = ()
    lead_parts: tuple[tuple[int, int], ...] = ()
    buffer: int = 0
    hours: tuple[int, ...] = (WHOLE_DAY,) * 7
    shortest: int = 30
    goal: int = 0
    most: int = 0
    wishes: Wishes = Wishes()
    last_person: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class SiteDay:
    """One site on one day. `open` and `busy` are bits by person (busy anywhere), `rooms` busy bits by room.

    `household`: when members of the patient's household are here that day, and their names. `own`: when the
    patient is.
    """

    day: date
    site_id: int
    grid: int
    open: Mapping[int, int]
    busy: Mapping[int, int]
    rooms: Mapping[int, int]
    counts: Mapping[int, int] = field(default_factory=dict)
    household: tuple[tuple[Span, str], ...] = ()
    own: int = 0
    earliest: int = 0

    def free(self, person: int) -> int:
        return self.open.get(person, 0) & ~self.busy.get(person, 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Opening:
    """A time that works: the staff (lead first) and room it takes, what it is worth and why. `then` are the
    visits that follow it.
    """

    site_id: int
    day: date
    start: int
    minutes: int
    lead: int
    room: int
    staff: tuple[StaffSlot, ...]
    score: int = 0
    reasons: tuple[str, ...] = ()
    then: tuple[Opening, ...] = ()

    @property
    def rank(self) -> tuple[int, date, int, int, int]:
        """Best first: the score, then the soonest."""
        return (-self.score, self.day, self.start, self.site_id, self.lead)

"""What can be booked: a visit type says how long, by whom, with whom else at which minutes,
where, and when.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from zax.core.book.booking import StaffNeed
from zax.core.book.hours import Span
from zax.core.clinic.places import Room


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitType:
    """`role` leads it; `needs` are the others. `services` are its own and those of its service set. `hours`
    limit when it may begin and end.

    `for_whom` is all, new or known; `web` is no, firm or held; `most` and `goal` are visits a day at one
    site, 0 for none. `web_words` is what patients call it online, `web_note` a word on it;
    `deposit_cents` is asked for when it is booked online.
    """

    id: int
    name: str
    dental: bool
    minutes: int
    role: str
    needs: tuple[StaffNeed, ...]
    lead_parts: tuple[tuple[int, int], ...]
    services: tuple[int, ...]
    own_services: tuple[int, ...]
    set_id: int
    buffer: int
    hours: tuple[tuple[frozenset[int], Span], ...]
    equipment: frozenset[str]
    room_ids: frozenset[int]
    most: int
    goal: int
    ask_after: int
    for_whom: str
    web: str
    doubles: bool
    active: bool
    version: int
    web_words: str = ""
    web_note: str = ""
    deposit_cents: int = 0

    @property
    def name_online(self) -> str:
        return self.web_words or self.name

    def allows(self, day: date, span: Span) -> bool:
        """Whether the type may be booked then."""
        return not self.hours or any(
            day.weekday() in days and span.within(window) for days, window in self.hours
        )

    def may_use(self, room: Room) -> bool:
        fitting = not self.room_ids or room.id in self.room_ids
        return room.active and room.dental == self.dental and fitting and self.equipment <= room.equipment

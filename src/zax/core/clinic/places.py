"""Where the clinic works: its sites with their clock and hours, and the rooms in them."""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.book.hours import Span


@dataclass(frozen=True, slots=True, kw_only=True)
class Site:
    """`day` is what the Book shows, in minutes of the site's wall clock; `place` the place of service its
    claims say (CMS code set).
    """

    id: int
    name: str
    timezone: str
    address: tuple[str, str, str, str]
    phone: str
    day: Span
    grid: int
    place: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    id: int
    site_id: int
    name: str
    dental: bool
    equipment: frozenset[str]
    active: bool

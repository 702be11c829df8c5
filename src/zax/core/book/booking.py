"""May this visit stand there? Each person's own minutes and the room's must be free, inside hours and in the future.

A visit takes a room for its whole length and each person only for their staff slot. The answer to a collision names who is in
the way. Units: minutes of the day (local), dates local.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.core.book.hours import Span, clock_words, fits
from zax.core.errors import Conflict, Refused

LONGEST_VISIT = 8 * 60


@dataclass(frozen=True, slots=True)
class StaffSlot:
    """The minutes one person is needed inside a visit."""

    provider_id: int
    span: Span


@dataclass(frozen=True, slots=True)
class Column:
    """One provider or room on the day: its working windows (empty tuple of a room: always open) and what is taken."""

    id: int
    name: str
    windows: tuple[Span, ...]
    taken: tuple[tuple[Span, str], ...] = ()

    def in_the_way(self, span: Span) -> tuple[Span, str] | None:
        return next(((other, who) for other, who in self.taken if other.overlaps(span)), None)

    def is_free(self, span: Span) -> bool:
        return fits(self.windows, span) and self.in_the_way(span) is None


@dataclass(frozen=True, slots=True)
class Helper:
    """A second person a visit type needs for a while: `minutes` long, starting at one of `offsets` from the start."""

    minutes: int
    offsets: tuple[int, ...]
    words: str = "exam"


def check_length(minutes: int, grid: int) -> None:
    if minutes <= 0 or minutes > LONGEST_VISIT:
        raise Refused(f"A visit takes from {grid} minutes to {LONGEST_VISIT // 60} hours.", "minutes")
    if minutes % grid:
        raise Refused(f"Lengths go in steps of {grid} minutes.", "minutes")


def check_time(day: date, span: Span, grid: int, now: datetime) -> None:
    """Raises Refused for a time off the grid, past midnight or already gone. `now` is local."""
    if span.start % grid:
        raise Refused(f"Times go in steps of {grid} minutes, such as {clock_words(span.start // grid * grid)}.", "at")
    if span.end > 24 * 60:
        raise Refused("The visit would run past midnight.", "at")
    if (day, span.start) < (now.date(), now.hour * 60 + now.minute):
        raise Refused(f"{clock_words(span.start)} on that day has passed. Choose a later time.", "at")


def check_column(column: Column, span: Span, field: str = "at") -> None:
    """Raises Refused outside working hours and Conflict, naming who is in the way, on a collision."""
    if column.windows and not fits(column.windows, span):
        open_at = [w for w in column.windows if w.minutes >= span.minutes]
        hint = ", ".join(f"{clock_words(w.start)} to {clock_words(w.end)}" for w in open_at) or "not on this day"
        raise Refused(
            f"{column.name} does not work {clock_words(span.start)} to {clock_words(span.end)} here. Hours: {hint}.",
            field,
        )
    other = column.in_the_way(span)
    if other:
        taken, who = other
        raise Conflict(
            f"{column.name} is taken {clock_words(taken.start)} to {clock_words(taken.end)} by {who}.", field
        )


def nearest_free(column: Column, span: Span, grid: int, earliest: int) -> Span | None:
    """The free time of the same length closest to `span` in the column, or None."""
    starts = range(0, 24 * 60 - span.minutes + 1, grid)
    for start in sorted(starts, key=lambda minute: (abs(minute - span.start), minute)):
        candidate = Span(start, start + span.minutes)
        if start >= earliest and column.windows and column.is_free(candidate):
            return candidate
    return None


def place_helper(helper: Helper, start: int, people: Sequence[Column]) -> StaffSlot | None:
    """The first offset at which somebody of the role is free, people in the order given; None if nobody is."""
    for offset in helper.offsets:
        span = Span(start + offset, start + offset + helper.minutes)
        for person in people:
            if person.windows and person.is_free(span):
                return StaffSlot(person.id, span)
    return None

"""May this visit stand there? Each person's own minutes and the room's must be free, inside hours and in the
future.

A visit takes a room for its whole length and its buffer, its lead for the parts the type needs them, and each
other person only for their staff slot. Two visits share a person only where the person and both types allow
it; never a room. The answer to a collision names who is in the way. Units: minutes of the day (local), dates
local.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime

from zax.core.book.hours import Span, fits
from zax.core.book.minutes import STEP, WHOLE_DAY, bits_of, bits_within, minutes_in, on_grid, starts
from zax.core.errors import Conflict, Refused, ZaxError
from zax.core.json import KeptJson
from zax.core.wording import clock_span, clock_words

LONGEST_VISIT = 8 * 60


@dataclass(frozen=True, slots=True)
class StaffSlot:
    """The minutes one person is needed inside a visit; `words` is empty for the lead."""

    provider_id: int
    span: Span
    words: str = ""


@dataclass(frozen=True, slots=True)
class StaffNeed:
    """Somebody besides the lead: one of `role` for `minutes`, beginning at one of `offsets`, the best first.

    `same_as` is the number (from 0) of an earlier need that the same person must fill.
    """

    role: str
    minutes: int
    offsets: tuple[int, ...]
    words: str = "exam"
    same_as: int | None = None


def needs_from(kept: Sequence[KeptJson]) -> tuple[StaffNeed, ...]:
    """Staff needs as a visit type keeps them."""
    return tuple(
        StaffNeed(each["role"], each["minutes"], tuple(each["offsets"]), each["words"], each["same_as"])
        for each in kept
    )


@dataclass(frozen=True, slots=True)
class Taken:
    """Time somebody has in a column. `doubles`: the visit's type may share its people."""

    span: Span
    who: str
    doubles: bool = False


@dataclass(frozen=True, slots=True)
class Column:
    """One provider or room on the day: its working windows (empty tuple of a room: always open) and what is
    taken.

    `at_once` is how many visits a person may have at the same minute.
    """

    id: int
    name: str
    windows: tuple[Span, ...]
    taken: tuple[Taken, ...] = ()
    at_once: int = 1

    def in_the_way(self, span: Span, doubles: bool = False) -> Taken | None:
        """The first visit that keeps the span from being used, or None."""
        there = [other for other in self.taken if other.span.overlaps(span)]
        if not there or (doubles and all(o.doubles for o in there) and _deepest(there) < self.at_once):
            return None
        return next((other for other in there if not other.doubles), there[0])

    def shut_bits(self, doubles: bool = False) -> int:
        """The minutes, as bits, in which somebody else is in the way whatever else there is."""
        shares = doubles and self.at_once > 1
        return bits_of(each.span for each in self.taken if not (shares and each.doubles))

    def is_free(self, span: Span) -> bool:
        return fits(self.windows, span) and self.in_the_way(span) is None


def _deepest(taken: Sequence[Taken]) -> int:
    """The most that overlap at any one minute."""
    return max(sum(other.span.start <= each.span.start < other.span.end for other in taken) for each in taken)


@dataclass(frozen=True, slots=True, kw_only=True)
class Want:
    """A visit to be placed. `lead_parts` are (offset, minutes) in which the lead is needed; none means
    throughout.

    `people` are those of each role in the order in which they are asked, `rooms` the allowed ones, the best
    first.
    """

    span: Span
    lead: Column
    rooms: Sequence[Column]
    needs: tuple[StaffNeed, ...] = ()
    people: Mapping[str, Sequence[Column]] = field(default_factory=dict)
    lead_parts: tuple[tuple[int, int], ...] = ()
    buffer: int = 0
    doubles: bool = False


@dataclass(frozen=True, slots=True)
class Placed:
    """Who is needed when (the lead first) and the room. The lead's last slot includes the buffer."""

    staff: tuple[StaffSlot, ...]
    room_id: int


def check_length(minutes: int, grid: int) -> None:
    if minutes <= 0 or minutes > LONGEST_VISIT:
        raise Refused(f"A visit takes from {grid} minutes to {LONGEST_VISIT // 60} hours.", "minutes")
    if minutes % grid:
        raise Refused(f"Visit lengths go in steps of {grid} minutes.", "minutes")


def check_time(day: date, span: Span, grid: int, now: datetime) -> None:
    """Raises Refused for a time off the grid, past midnight or already gone. `now` is local."""
    if span.start % grid:
        raise Refused(
            f"Times go in steps of {grid} minutes, such as {clock_words(span.start // grid * grid)}.", "at"
        )
    if span.end > 24 * 60:
        raise Refused("The visit would run past midnight.", "at")
    if (day, span.start) < (now.date(), now.hour * 60 + now.minute):
        raise Refused(f"{clock_words(span.start)} on that day has passed. Choose a later time.", "at")


def lead_spans(span: Span, parts: Sequence[tuple[int, int]]) -> tuple[Span, ...]:
    """The stretches of the visit in which its lead is needed."""
    if not parts:
        return (span,)
    return tuple(Span(span.start + offset, span.start + offset + minutes) for offset, minutes in parts)


def place(want: Want) -> Placed:
    """Where everybody is needed and which room it takes; Refused outside hours, Conflict on a collision,
    naming who.
    """
    parts = lead_spans(want.span, want.lead_parts)
    for number, part in enumerate(parts):
        check_column(want.lead, part, want.doubles, want.buffer if number == len(parts) - 1 else 0)
    helpers = _assign(want, 0, ())
    if helpers is None:
        raise Conflict(_nobody_free(want), "at")
    room = next(
        (room for room in want.rooms if room.in_the_way(_with_buffer(want.span, want.buffer)) is None), None
    )
    if room is None:
        raise Conflict(_no_room(want), "at")
    mine = [StaffSlot(want.lead.id, part) for part in parts]
    mine[-1] = StaffSlot(want.lead.id, _with_buffer(mine[-1].span, want.buffer))
    return Placed((*mine, *helpers), room.id)


def check_column(column: Column, span: Span, doubles: bool = False, buffer: int = 0) -> None:
    """Raises Refused outside working hours and Conflict, naming who is in the way, on a collision."""
    if not fits(column.windows, span):
        open_at = [w for w in column.windows if w.minutes >= span.minutes]
        hint = ", ".join(clock_span(w.start, w.end) for w in open_at) or "not this day"
        raise Refused(
            f"{column.name} does not work {clock_span(span.start, span.end)} here. Hours: {hint}.",
            "at",
        )
    other = column.in_the_way(_with_buffer(span, buffer), doubles)
    if other:
        raise Conflict(
            f"{column.name} is taken {clock_span(other.span.start, other.span.end)} by {other.who}.",
            "at",
        )


def _with_buffer(span: Span, buffer: int) -> Span:
    return Span(span.start, min(span.end + buffer, 24 * 60))


def _assign(want: Want, number: int, chosen: tuple[StaffSlot, ...]) -> tuple[StaffSlot, ...] | None:
    """Fill the needs from `number` on, trying people and minutes in order of preference; None if it cannot be
    done.
    """
    if number == len(want.needs):
        return chosen
    need = want.needs[number]
    for offset in need.offsets:
        span = Span(want.span.start + offset, want.span.start + offset + need.minutes)
        for person in want.people.get(need.role, ()):
            if person.id == want.lead.id:
                continue
            if need.same_as is not None and person.id != chosen[need.same_as].provider_id:
                continue
            if any(slot.provider_id == person.id and slot.span.overlaps(span) for slot in chosen):
                continue
            if person.is_free(span):
                filled = _assign(want, number + 1, (*chosen, StaffSlot(person.id, span, need.words)))
                if filled is not None:
                    return filled
    return None


def _nobody_free(want: Want) -> str:
    need = want.needs[0]
    names = ", ".join(person.name for person in want.people.get(need.role, ()) if person.id != want.lead.id)
    if not names:
        return f"No one working that day can do the {need.words}. Choose another day."
    return (
        f"No one is free for the {need.words} in the middle of this visit. Choose a time at which one of"
        f" {names} can step in."
    )


def _no_room(want: Want) -> str:
    if not want.rooms:
        return "No room here is set up for this type of visit. Choose another site or type."
    blocked = ((room, room.in_the_way(_with_buffer(want.span, want.buffer))) for room in want.rooms)
    who = ", ".join(f"{room.name} by {taken.who}" for room, taken in blocked if taken)
    return f"Every room for this type of visit is taken at that time: {who}. Choose another time."


def nearest_fit(
    wants: Iterable[Want], grid: int, earliest: int, allowed: Callable[[Span], bool]
) -> Want | None:
    """Of these wants, moved through the day on the grid, the one that can be placed closest to where it
    stands now.
    """
    best: tuple[int, int, Want] | None = None
    for order, want in enumerate(wants):
        possible = [start for start in minutes_in(_possible(want) & on_grid(grid)) if start >= earliest]
        for start in sorted(possible, key=lambda minute: (abs(minute - want.span.start), minute)):
            distance = abs(start - want.span.start)
            if best is not None and (distance, order) >= best[:2]:
                break
            moved = replace(want, span=Span(start, start + want.span.minutes))
            if allowed(moved.span) and _can_stand(moved):
                best = (distance, order, moved)
                break
    return best[2] if best else None


def _possible(want: Want) -> int:
    """The starts, as bits, at which the lead and some room may be free; outside of them nothing is."""
    free = bits_within(want.lead.windows) & ~want.lead.shut_bits(want.doubles)
    found = WHOLE_DAY
    for offset, minutes in want.lead_parts or ((0, want.span.minutes),):
        found &= starts(free, minutes) >> offset // STEP
    rooms = 0
    for room in want.rooms:
        rooms |= starts(WHOLE_DAY & ~room.shut_bits(), want.span.minutes)
    return found & rooms


def _can_stand(want: Want) -> bool:
    try:
        place(want)
    except ZaxError:
        return False
    return True

"""Which room to offer to each who waits: their own while nobody sits there, or one that fits, is free and is
nobody else's soon. No room is offered to two; where none is left, a person decides.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Waiting:
    """A visit that waits: the room it is planned in, its minutes, and the rooms that fit, the likeliest
    first.
    """

    visit_id: int
    room_id: int
    minutes: int
    fitting: tuple[int, ...]


def rooms_to_offer(
    waiting: Sequence[Waiting], inside: Collection[int], expected: Sequence[tuple[int, int]], now: int
) -> dict[int, int]:
    """A room by visit, in the order of who waits longest; 0 for none. `inside` are rooms somebody sits in,
    `expected` (room, minute) of visits still to come, `now` minutes from midnight.
    """
    taken = set(inside)
    own = {each.room_id for each in waiting} - taken
    found: dict[int, int] = {}
    for each in waiting:
        soon = own | {room for room, at in expected if at < now + each.minutes}
        free = [room for room in each.fitting if room not in taken and room not in soon - {each.room_id}]
        found[each.visit_id] = free[0] if free else 0
        taken |= {found[each.visit_id]} - {0}
    return found

"""A visit's one track, from booked to settled: which moves are legal, who may make them, and what each is
called.

The state is one value. Every move is a row (who, when, from, to), so times such as waiting are computed from
rows, never stored. LEFT is the road between checkout and settled: the patient has gone, some money is still
open. SHELF is beside the line: taken off the book by somebody who is about to place it again.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from zax.core.errors import Conflict, Refused


class Stop(StrEnum):
    HELD = "held"
    BOOKED = "booked"
    CONFIRMED = "confirmed"
    HERE = "here"
    ROOM = "room"
    CHECKOUT = "checkout"
    LEFT = "left"
    SETTLED = "settled"
    MISSED = "missed"
    CANCELED = "canceled"
    SHELF = "shelf"


STOP_WORDS = {
    Stop.HELD: "held",
    Stop.BOOKED: "booked",
    Stop.CONFIRMED: "confirmed",
    Stop.HERE: "here",
    Stop.ROOM: "in room",
    Stop.CHECKOUT: "checkout",
    Stop.LEFT: "left, balance due",
    Stop.SETTLED: "settled",
    Stop.MISSED: "no-show",
    Stop.CANCELED: "canceled",
    Stop.SHELF: "on the shelf",
}

EXPECTED = frozenset({Stop.BOOKED, Stop.CONFIRMED})
ON_THE_BOOK = frozenset({Stop.HELD, Stop.BOOKED, Stop.CONFIRMED})
INSIDE = frozenset({Stop.HERE, Stop.ROOM, Stop.CHECKOUT})
FINISHED = frozenset({Stop.LEFT, Stop.SETTLED})
PRESENT = frozenset({Stop.HERE, Stop.ROOM})
CALLED_OFF = frozenset({Stop.MISSED, Stop.CANCELED})
# Not in a room yet, so a delay still moves its beginning.
NOT_IN_ROOM = EXPECTED | {Stop.HERE}
# The patient came, however far the visit has got.
CAME = INSIDE | FINISHED
# What was done is charged; before that a visit has only what is planned for it.
CHARGED = frozenset({Stop.CHECKOUT}) | FINISHED
AHEAD = EXPECTED | PRESENT
NOT_CHARGED = ON_THE_BOOK | AHEAD
# Charged, and money is still taken for it at the counter.
PAYING = frozenset({Stop.CHECKOUT, Stop.LEFT})
# It stands on the Book or waits on the shelf, so it can be put down elsewhere.
CAN_BE_PLACED = ON_THE_BOOK | {Stop.SHELF}
HAPPENED = CAME | {Stop.MISSED}
FREES_THE_TIME = frozenset({Stop.MISSED, Stop.CANCELED, Stop.SHELF})
NOT_ARRANGED = FREES_THE_TIME | {Stop.HELD}


@dataclass(frozen=True, slots=True)
class Move:
    """A legal move: the right it needs (see zax.core.people.roles) and whether a reason must be given."""

    right: str
    needs_reason: bool = False


_FORWARD = {
    (Stop.HELD, Stop.BOOKED): Move("book"),
    (Stop.BOOKED, Stop.CONFIRMED): Move("book"),
    (Stop.BOOKED, Stop.HERE): Move("arrivals"),
    (Stop.CONFIRMED, Stop.HERE): Move("arrivals"),
    (Stop.HERE, Stop.ROOM): Move("arrivals"),
    (Stop.ROOM, Stop.CHECKOUT): Move("charges"),
    (Stop.CHECKOUT, Stop.LEFT): Move("payments"),
    (Stop.CHECKOUT, Stop.SETTLED): Move("payments"),
    (Stop.LEFT, Stop.SETTLED): Move("payments"),
}
_OFF = {
    (Stop.HELD, Stop.CANCELED): Move("book"),
    (Stop.BOOKED, Stop.CANCELED): Move("book", needs_reason=True),
    (Stop.CONFIRMED, Stop.CANCELED): Move("book", needs_reason=True),
    (Stop.BOOKED, Stop.MISSED): Move("arrivals"),
    (Stop.CONFIRMED, Stop.MISSED): Move("arrivals"),
    (Stop.BOOKED, Stop.SHELF): Move("book"),
    (Stop.CONFIRMED, Stop.SHELF): Move("book"),
    (Stop.HELD, Stop.SHELF): Move("book"),
    (Stop.SHELF, Stop.HELD): Move("book"),
    (Stop.SHELF, Stop.BOOKED): Move("book"),
    (Stop.SHELF, Stop.CONFIRMED): Move("book"),
    (Stop.SHELF, Stop.CANCELED): Move("book", needs_reason=True),
    # The patient leaves without being seen.
    (Stop.HERE, Stop.CANCELED): Move("arrivals", needs_reason=True),
    (Stop.ROOM, Stop.CANCELED): Move("arrivals", needs_reason=True),
    # A visit moved to another time is no longer confirmed for it.
    (Stop.CONFIRMED, Stop.BOOKED): Move("book"),
}
_BACK = {
    (Stop.HERE, Stop.BOOKED): Move("arrivals", needs_reason=True),
    (Stop.HERE, Stop.CONFIRMED): Move("arrivals", needs_reason=True),
    (Stop.ROOM, Stop.HERE): Move("arrivals", needs_reason=True),
    (Stop.CHECKOUT, Stop.ROOM): Move("charges", needs_reason=True),
    (Stop.LEFT, Stop.CHECKOUT): Move("payments", needs_reason=True),
    (Stop.SETTLED, Stop.LEFT): Move("payments", needs_reason=True),
    (Stop.MISSED, Stop.HERE): Move("arrivals"),
    (Stop.MISSED, Stop.BOOKED): Move("arrivals", needs_reason=True),
}
MOVES: dict[tuple[Stop, Stop], Move] = {**_FORWARD, **_OFF, **_BACK}


# What undoing an act on the Book may do besides, see zax.desk.book.undo: no person can ask for these moves.
UNDOING = frozenset(
    {
        (Stop.CANCELED, stop)
        for stop in (Stop.HELD, Stop.BOOKED, Stop.CONFIRMED, Stop.SHELF, Stop.HERE, Stop.ROOM)
    }
    | {
        (Stop.BOOKED, Stop.HELD),
        (Stop.BOOKED, Stop.CANCELED),
        (Stop.HELD, Stop.CANCELED),
        (Stop.MISSED, Stop.CONFIRMED),
        (Stop.MISSED, Stop.BOOKED),
        (Stop.CONFIRMED, Stop.SHELF),
        (Stop.BOOKED, Stop.CONFIRMED),
    }
)


def check_undo(now: Stop, to: Stop) -> None:
    """Raises Conflict unless undoing may put the visit back from the one stop to the other."""
    if (now, to) not in UNDOING and (now, to) not in MOVES:
        raise Conflict(f"This visit is already “{STOP_WORDS[now]}”, so that can’t be undone.")


def check_move(now: Stop, to: Stop, reason: str = "") -> Move:
    """The move, if the track allows it; raises Conflict when it does not and Refused when its reason is
    missing.
    """
    move = MOVES.get((now, to))
    if move is None:
        raise Conflict(f"This visit is already “{STOP_WORDS[now]}”, so it can’t go to “{STOP_WORDS[to]}”.")
    if move.needs_reason and not reason.strip():
        raise Refused("Say briefly why.", "reason")
    return move


@dataclass(frozen=True, slots=True)
class Moved:
    """One row of a visit's track. `at` is UTC."""

    to: Stop
    at: datetime
    by: str = ""


def reached(rows: Sequence[Moved], stop: Stop) -> datetime | None:
    """When the visit last came to `stop`, or None."""
    return next((row.at for row in reversed(rows) if row.to == stop), None)


def minutes_since(rows: Sequence[Moved], stop: Stop, now: datetime) -> int | None:
    """Whole minutes since the visit came to `stop`; never negative."""
    at = reached(rows, stop)
    return None if at is None else max(0, int((now - at).total_seconds() // 60))


def replay(rows: Sequence[Moved], start: Stop) -> Stop:
    """The state that the rows lead to; raises Conflict if a row was never legal."""
    state = start
    for row in rows:
        check_undo(state, row.to)
        state = row.to
    return state

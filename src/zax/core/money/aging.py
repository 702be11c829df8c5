"""How old open money is, counted from the day it came to whoever owes it: current, 31 to 60, 61 to 90, over
90 days.

What came to somebody in several moves is open in several pieces, each with the day of its own move: a small
move later makes the old debt no younger. What is paid or taken off goes against the oldest piece first.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.money.journal import Entry, Parts, unreversed

BUCKETS = ("now", "31–60 days", "61–90 days", "over 90")
_EDGES = (30, 60, 90)


@dataclass(frozen=True, slots=True)
class Piece:
    """Cents that are open, and since when."""

    cents: int
    since: date


@dataclass(frozen=True, slots=True)
class OpenPieces:
    """What of a line is open with the patient and with the insurer, each oldest first; a negative part is one
    piece of the day it was written.
    """

    patient: tuple[Piece, ...] = ()
    insurer: tuple[Piece, ...] = ()

    @property
    def since(self) -> date | None:
        """Since when the patient owes the oldest piece; None when nothing is open."""
        return next((piece.since for piece in self.patient if piece.cents > 0), None)


def open_pieces(entries: Sequence[Entry], parts: Mapping[int, Parts]) -> dict[int, OpenPieces]:
    """{line_id: its open pieces}; `parts` is what is open on each line (`journal.line_parts`), and the pieces
    of a line add up to it.
    """
    raised: dict[int, tuple[list[Piece], list[Piece]]] = {line_id: ([], []) for line_id in parts}
    for entry in unreversed(entries):
        if entry.line_id in raised:
            for moves, cents in zip(
                raised[entry.line_id], (entry.patient_cents, entry.insurer_cents), strict=True
            ):
                if cents:
                    moves.append(Piece(cents, entry.day))
    return {
        line_id: OpenPieces(_left(raised[line_id][0], each.patient), _left(raised[line_id][1], each.insurer))
        for line_id, each in parts.items()
    }


def _left(moves: Sequence[Piece], left: int) -> tuple[Piece, ...]:
    """The newest `left` cents of what was raised: the older ones are paid. A line that was reversed whole has
    no pieces.
    """
    if not moves:
        return ()
    if left < 0:
        return (Piece(left, moves[-1].since),)
    found: list[Piece] = []
    for move in reversed(moves):
        part = min(left, max(0, move.cents))
        if part:
            found.insert(0, Piece(part, move.since))
            left -= part
    if left:  # more is open than ever was raised: a journal that the audit will report
        found.insert(0, Piece(left, moves[0].since))
    return tuple(found)


def bucket(since: date, today: date) -> int:
    """0 to 3; a day still to come counts as now."""
    age = (today - since).days
    return sum(age > edge for edge in _EDGES)


def aging(open_since: Iterable[Piece], today: date) -> list[int]:
    """Cents by age; the four add up to all of it."""
    found = [0] * len(BUCKETS)
    for piece in open_since:
        found[bucket(piece.since, today)] += piece.cents
    return found

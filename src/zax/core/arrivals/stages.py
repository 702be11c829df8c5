"""In-between stages: what happens between "here" and checkout in the clinic's own words, whose turn it is,
and the time in each.

A stage never decides anything by itself: the track does. It says where in the house somebody is and who acts
next. Times are computed from the rows that say when somebody came to a room or a stage.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

WHOSE = {
    "desk": "the front desk",
    "assistant": "an assistant",
    "provider": "the provider",
    "patient": "the patient",
}


@dataclass(frozen=True, slots=True)
class Stage:
    """`whose` is a key of WHOSE."""

    id: int
    name: str
    whose: str
    dental: bool
    active: bool = True


@dataclass(frozen=True, slots=True)
class Whereabouts:
    """From `at` (UTC) on the patient is in the room (None: waiting) and at the stage (None: none named)."""

    at: datetime
    room_id: int | None
    stage_id: int | None


@dataclass(frozen=True, slots=True)
class Stay:
    """A stretch at one place and stage; `minutes` are whole ones."""

    room_id: int | None
    stage_id: int | None
    since: datetime
    minutes: int


def stays(rows: Sequence[Whereabouts], until: datetime) -> list[Stay]:
    """The stretches in order; the last runs until `until` (now, or when the patient was ready to leave).

    Minutes are differences of whole minutes since the first row, so they add up to the whole.
    """
    if not rows:
        return []
    first = rows[0].at
    ends = [*(row.at for row in rows[1:]), max(until, rows[-1].at)]

    def minute(moment: datetime) -> int:
        return int((moment - first).total_seconds() // 60)

    return [
        Stay(row.room_id, row.stage_id, row.at, minute(end) - minute(row.at))
        for row, end in zip(rows, ends, strict=True)
    ]


def first_stage(stages: Sequence[Stage], dental: bool) -> Stage | None:
    """The stage that begins by itself when somebody comes into a room: the clinic's first for this kind of
    visit, if it has any.
    """
    return next((stage for stage in stages if stage.active and stage.dental == dental), None)

"""Where somebody on the premises is and was: room, stage and the minutes in each; and the setup of the
stages.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from zax.core.arrivals.stages import WHOSE, Stage, Stay, Whereabouts, stays
from zax.core.book.track import CHARGED, Stop
from zax.core.errors import NotFound, Refused
from zax.core.form import Form, a_number, one_of
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.book import stages as stored


@dataclass(frozen=True, slots=True)
class StayShown:
    """A stretch in words: where, at which stage, for how long; `now` for the present one."""

    where: str
    stage: str
    minutes: int
    now: bool


def stays_of(
    clinic: Clinic, whereabouts: Sequence[Whereabouts], state: str, now: datetime
) -> list[StayShown]:
    """The visit's stretches on the premises; the last one runs until now while the patient is in a room or
    waiting.
    """
    found = stays(whereabouts, now)
    here = state in {Stop.HERE, Stop.ROOM}
    if state in CHARGED and found and found[-1].room_id is None:
        found = found[:-1]  # the time at checkout is the track's to tell
    return [_shown(clinic, each, here and at == len(found) - 1) for at, each in enumerate(found)]


def _shown(clinic: Clinic, stay: Stay, now: bool) -> StayShown:
    room = clinic.rooms.get(stay.room_id or 0)
    stage = clinic.stages.get(stay.stage_id or 0)
    return StayShown(room.name if room else "waiting", stage.name if stage else "", stay.minutes, now)


@act("setup")
def save_stage(tx: Transaction, stage_id: int, name: str, whose: str, dental: bool, active: bool) -> int:
    """Change a stage, or add one at the end (`stage_id` 0); its id."""
    words = " ".join(name.split())
    if not 2 <= len(words) <= 40:
        raise Refused("Name the stage in 2 to 40 letters.", "name")
    if whose not in WHOSE:
        raise Refused("Choose whose turn it is then.", "whose")
    others = [each for each in tx.clinic.stages.values() if each.id != stage_id and each.dental == dental]
    if any(each.name.lower() == words.lower() for each in others):
        raise Refused("There’s already a stage with that name.", "name")
    if stage_id and stage_id not in tx.clinic.stages:
        raise NotFound("There is no such stage.")
    stage_id = stored.save_stage(
        tx.connection, Stage(stage_id, words, whose, dental, active), position=len(tx.clinic.stages) + 1
    )
    tx.change_setup("stage.saved", stage=stage_id, name=words)
    return stage_id


@act("setup")
def order_stages(tx: Transaction, ids: Sequence[int]) -> None:
    """The stages in this order."""
    if set(ids) != set(tx.clinic.stages):
        raise Refused("The list changed in the meantime. Take another look.", "order")
    stored.order_stages(tx.connection, ids)
    tx.change_setup("stage.ordered", stages=list(ids))


class DayHabits(Form):
    """How long is too long (minutes), how the corridor screen names people, how teeth, times and
    dates are written."""

    wait_limit: Annotated[int, a_number(1, 120, "Minutes from 1 to 120.")]
    late_limit: Annotated[int, a_number(1, 120, "Minutes from 1 to 120.")]
    wall_names: Annotated[str, one_of(("initials", "first"), "Choose how people are named.")]
    numbering: Annotated[str, one_of(("universal", "fdi"), "Choose how teeth are written.")]
    clock: Annotated[str, one_of(("12", "24"), "Choose how times are written.")]
    day_order: Annotated[str, one_of(("month", "day"), "Choose how dates are written.")]


@act("setup")
def save_day_habits(tx: Transaction, habits: DayHabits) -> None:
    for name, value in (
        ("wait_limit_minutes", habits.wait_limit),
        ("late_limit_minutes", habits.late_limit),
        ("wall_names", habits.wall_names),
        ("tooth_numbering", habits.numbering),
        ("clock", habits.clock),
        ("day_order", habits.day_order),
    ):
        tx.keep_setting(name, value)
    tx.change_setup("day.habits")

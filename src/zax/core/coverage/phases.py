"""Planned work over time: what one phase uses up of a plan is gone for the next, and a new benefit year
brings the yearly amounts back.

Deductible and yearly maxima count within one benefit year of each plan; lifetime maxima and what was done
count for ever.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from zax.core.coverage.benefits import benefit_year
from zax.core.coverage.estimate import Cover, LineEstimate, PricedLine, estimate
from zax.core.coverage.limits import Done
from zax.core.coverage.used import more_used


@dataclass(frozen=True, slots=True)
class Phase:
    """Lines that are to be done about one day, in order."""

    day: date
    lines: tuple[PricedLine, ...]


def estimate_phases(
    phases: Sequence[Phase], covers: Sequence[Cover], known_on: date
) -> list[list[LineEstimate]]:
    """One list of answers a phase, in the order of the phases' days as given. `covers` say what is used as of
    `known_on`.

    Phases must come in order of time; raises ValueError when they do not.
    """
    days = [phase.day for phase in phases]
    if days != sorted(days):
        raise ValueError("phases come in order of time")
    answers = []
    at = known_on
    current = list(covers[:2])
    for phase in phases:
        current = [_turn(cover, at, phase.day) for cover in current]
        made = estimate(phase.lines, current, phase.day)
        current = [_use(cover, phase, made, place) for place, cover in enumerate(current)]
        answers.append(made)
        at = phase.day
    return answers


def _turn(cover: Cover, before: date, day: date) -> Cover:
    """A new benefit year since `before` starts with nothing used of the yearly amounts."""
    starts = cover.benefits.year_starts_month
    if benefit_year(before, starts) == benefit_year(day, starts):
        return cover
    return replace(cover, used=cover.used.new_year())


def _use(cover: Cover, phase: Phase, made: Sequence[LineEstimate], place: int) -> Cover:
    """The cover once the phase is done: what its lines use of this plan is gone."""
    uses = [answer.uses[place] for answer in made if len(answer.uses) > place]
    used = more_used(cover.used, cover.benefits, uses)
    done = [
        Done(line.code, phase.day, line.tooth, line.area, answer.uses[place].paid > 0)
        for line, answer in zip(phase.lines, made, strict=True)
        if len(answer.uses) > place
        for _ in range(line.units)
    ]
    pending = used.pending + used.paid - cover.used.paid
    return replace(cover, used=replace(used, done=(*used.done, *done), pending=pending))

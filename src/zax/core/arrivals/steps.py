"""Arrival steps: the clinic's own check-in list. A required step that is still to be done stands between the
door and "here".

A step that has nothing to do for this visit (nothing is missing, nothing is due, the form is signed) is done
by itself and says why.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from enum import StrEnum

from zax.core.book.calendar import step_months
from zax.core.json import KeptJson


class StepKind(StrEnum):
    DETAILS = "details"
    COVERAGE = "coverage"
    ELIGIBILITY = "eligibility"
    GAPS = "gaps"
    COLLECT = "collect"
    FORM = "form"
    PHOTO = "photo"
    OWN = "own"


KIND_WORDS = {
    StepKind.DETAILS: "Confirm details",
    StepKind.COVERAGE: "Insurance card, both sides",
    StepKind.ELIGIBILITY: "Review the payer’s response",
    StepKind.GAPS: "Fill in what’s missing",
    StepKind.COLLECT: "Collect copay and balance",
    StepKind.FORM: "Sign a form",
    StepKind.PHOTO: "Take a photo",
    StepKind.OWN: "Own step",
}


@dataclass(frozen=True, slots=True)
class ForWhom:
    """Every limit that is given must hold; none given means everybody at every visit."""

    new: bool = False
    flags: frozenset[int] = frozenset()
    types: frozenset[int] = frozenset()
    yearly: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    id: int
    kind: StepKind
    words: str
    note: str = ""
    required: bool = False
    for_whom: ForWhom = ForWhom()
    template_id: int | None = None


@dataclass(frozen=True, slots=True)
class Arriving:
    """The person as the list needs them. `last_done` is when each step was last done at an earlier visit;
    `by_itself` says by step why there is nothing to do.
    """

    new: bool = False
    flags: frozenset[int] = frozenset()
    type_id: int = 0
    last_done: Mapping[int, date] = field(default_factory=dict)
    by_itself: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Answer:
    """What was done about a step at this visit: done or skipped, by whom and when (shown as given)."""

    step_id: int
    how: str
    note: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Stand:
    """Where a step stands: `state` is done, skipped, itself (nothing to do) or open; `why` explains the last
    but one.
    """

    step: Step
    state: str
    answer: Answer | None = None
    why: str = ""

    @property
    def blocks(self) -> bool:
        return self.step.required and self.state in {"open", "skipped"}


def for_whom_from(kept: KeptJson) -> ForWhom:
    """From the setup's JSON; what is missing limits nothing."""
    return ForWhom(
        bool(kept.get("new")),
        frozenset(kept.get("flags", ())),
        frozenset(kept.get("types", ())),
        bool(kept.get("yearly")),
    )


def applies(step: Step, who: Arriving, today: date) -> bool:
    """Whether the step is on this visit's list."""
    limits = step.for_whom
    last = who.last_done.get(step.id)
    return (
        (not limits.new or who.new)
        and (not limits.flags or bool(limits.flags & who.flags))
        and (not limits.types or who.type_id in limits.types)
        and not (limits.yearly and last is not None and step_months(last, 12) > today)
    )


def standing(steps: Sequence[Step], who: Arriving, answers: Mapping[int, Answer], today: date) -> list[Stand]:
    """The visit's list in the clinic's order. A step once answered stays on it even if it would no longer
    apply.
    """
    made = []
    for step in steps:
        answer = answers.get(step.id)
        if answer is not None:
            made.append(Stand(step, answer.how, answer))
        elif applies(step, who, today):
            why = who.by_itself.get(step.id, "")
            made.append(Stand(step, "itself" if why else "open", None, why))
    return made


def blocking(stands: Sequence[Stand]) -> list[Stand]:
    """The required steps that keep the patient from being checked in."""
    return [stand for stand in stands if stand.blocks]


def next_open(stands: Sequence[Stand]) -> Stand | None:
    """The step to do now."""
    return next((stand for stand in stands if stand.state == "open"), None)


@dataclass(frozen=True, slots=True)
class ArrivalStep:
    """A step of the check-in list with what only the setup page needs."""

    step: Step
    position: int
    active: bool

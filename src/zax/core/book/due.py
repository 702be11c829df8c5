"""What a patient is due for, the most pressing first: what the booking form puts forward, and what Openings
looks for.

What a clinician asked them back for goes first, then what they wait for, a recall that is due, planned
work, a recall that is still ahead; somebody new is offered what is for new patients. What is booked already
is not due.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from zax.core.wording import day_words

SOON = timedelta(days=60)


@dataclass(frozen=True, slots=True)
class Due:
    """A visit of this type, not before `since` (None: any time); `planned` are the planned services it
    does.
    """

    type_id: int
    words: str
    since: date | None = None
    planned: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class DueFacts:
    """What is known of a patient: returns as (type, what for, last day), types waited for with the reason's
    words, recalls as (type, due day), planned services as (id, type that does it, words), types for new
    patients (empty for known ones), and the types that are booked ahead.
    """

    returns: Sequence[tuple[int, str, date]] = ()
    waits: Sequence[tuple[int, str]] = ()
    recalls: Sequence[tuple[int, date]] = ()
    planned: Sequence[tuple[int, int, str]] = ()
    first_visits: Sequence[int] = ()
    booked: Collection[int] = ()


def what_is_due(facts: DueFacts, today: date) -> list[Due]:
    """Each type once, in order."""
    found: dict[int, Due] = {}
    for due in _in_order(facts, today):
        if due.type_id not in facts.booked:
            found.setdefault(due.type_id, due)
    return list(found.values())


def _in_order(facts: DueFacts, today: date) -> Iterator[Due]:
    for type_id, words, day in facts.returns:
        yield Due(type_id, f"asked back: {words.lower()}, by {day_words(day, year=day.year != today.year)}")
    for type_id, words in facts.waits:
        yield Due(type_id, f"on the waitlist: {words}")
    soon = [recall for recall in facts.recalls if recall[1] <= today + SOON]
    yield from (_recall(*each, today) for each in soon)
    for type_id in dict.fromkeys(each[1] for each in facts.planned):
        mine = [each for each in facts.planned if each[1] == type_id]
        more = f" and {len(mine) - 1} more" if len(mine) > 1 else ""
        yield Due(type_id, f"planned: {mine[0][2]}{more}", planned=tuple(each[0] for each in mine))
    yield from (_recall(*each, today) for each in facts.recalls if each not in soon)
    for type_id in facts.first_visits:
        yield Due(type_id, "new patient")


def _recall(type_id: int, day: date, today: date) -> Due:
    if day < today:
        return Due(type_id, f"recall overdue since {day_words(day, year=day.year != today.year)}")
    return Due(type_id, f"recall due {day_words(day, year=day.year != today.year)}", since=day)

"""Doors that rest for a while after they gave no answer, for a process that must not be held up by one: each
call would wait for its own time-out, so two hundred texts to a gateway that hangs would keep a card payment
waiting for an hour. While a door rests, calls fail at once; the first after it tries the door again, and an
answer of any kind ends it.

Each call of a door rests for itself: a payer that hangs holds up questions, not claim files. What never
raises is always passed on: nobody knows yet what became of a card.
"""

from __future__ import annotations

import functools
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from zax.outside.doors import DoorRests, NoAnswer, Outside
from zax.outside.passing_on import passing_on

# Short, so that what was sent by hand goes soon after the door is back.
LONGEST_SECONDS = 60.0
NEVER_RAISE = frozenset({"sell", "give_back"})


@dataclass(frozen=True, slots=True)
class Rest:
    """`until` by the clock of the process; `times` it gave no answer in a row, the last time in `words`."""

    until: float
    times: int
    words: str


def next_rest(before: Rest | None, now: float, words: str) -> Rest:
    """After one more call without an answer: 2, 4, 8 seconds and so on."""
    times = before.times + 1 if before else 1
    return Rest(now + min(LONGEST_SECONDS, 2.0 ** min(times, 10)), times, words)


def resting(outside: Outside, now: Callable[[], float] = time.monotonic) -> Outside:
    """The doors, with a memory of those that gave no answer; `now` in seconds."""
    rests: dict[tuple[str, str], Rest] = {}

    def around(door: str, call: str, work: Callable[..., Any]) -> Callable[..., Any]:
        if call in NEVER_RAISE:
            return work

        @functools.wraps(work)
        def asked(*args: Any, **more: Any) -> Any:
            rest = rests.get((door, call))
            if rest and now() < rest.until:
                raise DoorRests(rest.words, rest.until - now())
            try:
                answer = work(*args, **more)
            except NoAnswer as error:
                rests[door, call] = next_rest(rest, now(), str(error))
                raise
            except Exception:
                rests.pop((door, call), None)
                raise
            rests.pop((door, call), None)
            return answer

        return asked

    return passing_on(lambda: outside, around)

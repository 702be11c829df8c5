"""Doors that rest for a while after they gave no answer, for a process that must not be held up by one: each
call would wait for its own time-out, so two hundred texts to a gateway that hangs would keep a card payment
waiting for an hour. While a door rests, calls fail at once; the first after it tries the door again, and an
answer of any kind ends it.

A question for a payer rests for itself: a payer that hangs keeps no claim file from the clearinghouse. What
never raises is always passed on: nobody knows yet what became of a card.
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
# A door takes a quarter of the time at most.
TIMES_AS_LONG = 3
NEVER_RAISE = frozenset({"sell", "give_back"})
FOR_A_PAYER = frozenset({"ask", "ask_status"})


@dataclass(frozen=True, slots=True)
class Rest:
    """`until` by the clock of the process; `times` it gave no answer in a row, the last time in `words`."""

    until: float
    times: int
    words: str


def next_rest(before: Rest | None, began: float, now: float, words: str) -> Rest:
    """After one more call without an answer: 2, 4, 8 seconds and so on, and longer where it took long."""
    times = before.times + 1 if before else 1
    seconds = max(2.0 ** min(times, 10), TIMES_AS_LONG * (now - began))
    return Rest(now + min(LONGEST_SECONDS, seconds), times, words)


def resting(outside: Outside, now: Callable[[], float] = time.monotonic) -> Outside:
    """The doors, with a memory of those that gave no answer; `now` in seconds."""
    rests: dict[str, Rest] = {}

    def around(door: str, call: str, work: Callable[..., Any]) -> Callable[..., Any]:
        if call in NEVER_RAISE:
            return work
        name = call if call in FOR_A_PAYER else door

        @functools.wraps(work)
        def asked(*args: Any, **more: Any) -> Any:
            rest, began = rests.get(name), now()
            if rest and began < rest.until:
                raise DoorRests(rest.words)
            try:
                answer = work(*args, **more)
            except NoAnswer as error:
                rests[name] = next_rest(rest, began, now(), str(error))
                raise
            except Exception:
                rests.pop(name, None)
                raise
            rests.pop(name, None)
            return answer

        return asked

    return passing_on(lambda: outside, around)

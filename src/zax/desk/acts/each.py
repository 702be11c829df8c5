"""Many things of one kind, each done for itself: one that cannot be done does not stop the next. What failed
is told at the end, so that it is never ignored.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

import structlog

from zax.store.engine import TROUBLE

T = TypeVar("T")
log = structlog.get_logger()


class SomeFailed(RuntimeError):
    """Some could not be done; the first of their errors is its cause."""


def each_for_itself(things: Iterable[T], work: Callable[[T], object]) -> int:
    """Do the work with every thing; how many. Raises SomeFailed after the last when some failed, and at once
    when it is the database that does not answer.
    """
    done, errors = 0, []
    for thing in things:
        try:
            work(thing)
            done += 1
        except TROUBLE:
            raise
        except Exception as error:
            log.error("one.failed", exc_info=error)
            errors.append(error)
    if errors:
        raise SomeFailed(f"{len(errors)} of {done + len(errors)} failed") from errors[0]
    return done

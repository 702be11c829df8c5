"""Doors that are timed and counted: each call as what it was and how it ended."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any

from zax.metrics import DOOR_SECONDS, DOORS, timed
from zax.outside.doors import Outside
from zax.outside.passing_on import passing_on


def measured(doors: Callable[[], Outside]) -> Outside:
    """The doors as they are at each call, counted under their names."""
    return passing_on(doors, _counted)


def _counted(door: str, call: str, work: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(work)
    def counted(*args: Any, **more: Any) -> Any:
        with timed(DOOR_SECONDS, DOORS, door, call):
            return work(*args, **more)

    return counted

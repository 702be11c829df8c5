"""Doors that are timed and counted: each call as what it was and how it ended. Which doors they are is asked
at each call, so that one that was changed is used at once.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import fields
from typing import Any

from zax.metrics import DOOR_SECONDS, DOORS, timed
from zax.outside.doors import Outside


class _Measured:
    """Stands before a door and passes everything on."""

    def __init__(self, doors: Callable[[], Outside], name: str) -> None:
        self._doors, self._name = doors, name

    def __getattr__(self, call: str) -> Any:
        found = getattr(getattr(self._doors(), self._name), call)
        if not callable(found):
            return found

        @functools.wraps(found)
        def measured(*args: Any, **more: Any) -> Any:
            with timed(DOOR_SECONDS, DOORS, self._name, call):
                return found(*args, **more)

        return measured


def measured(doors: Callable[[], Outside]) -> Outside:
    """The doors as they are at each call, counted under their names."""
    made: dict[str, Any] = {each.name: _Measured(doors, each.name) for each in fields(Outside)}
    return Outside(**made)

"""What stands before the doors and passes every call on, with something done around it. Which doors they are
is asked at each call, so that one that was changed is used at once.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields
from typing import Any, TypeAlias

from zax.outside.doors import Outside

# Of a door's name, the call's name, and the call: what is called in its place.
Around: TypeAlias = Callable[[str, str, Callable[..., Any]], Callable[..., Any]]


class _PassingOn:
    """Stands before one door."""

    def __init__(self, doors: Callable[[], Outside], name: str, around: Around) -> None:
        self._doors, self._name, self._around = doors, name, around

    def __getattr__(self, call: str) -> Any:
        found = getattr(getattr(self._doors(), self._name), call)
        return self._around(self._name, call, found) if callable(found) else found


def passing_on(doors: Callable[[], Outside], around: Around) -> Outside:
    """The doors as they are at each call, with this around every call."""
    made: dict[str, Any] = {each.name: _PassingOn(doors, each.name, around) for each in fields(Outside)}
    return Outside(**made)

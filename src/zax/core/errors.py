"""The small family of errors the rules raise: a message for people and, where there is one, the field.

Rule: whatever goes wrong because of what somebody asked for is one of these. Everything else is a defect and
is shown as such. `status` is what the web answers with.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import ParamSpec, TypeVar

_P = ParamSpec("_P")
_T = TypeVar("_T")


class ZaxError(Exception):
    """Something the person can understand and fix. `message` is a whole sentence."""

    status = 422

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.problems: dict[str, str] = {field: message}


class Mendable(ZaxError):
    """What the person can fix in the form that was sent: it is shown again with what was typed. NotFound is
    not one: the form's thing is gone.
    """


class Refused(Mendable):
    """What was entered cannot be taken as it is."""


class Problems(Refused):
    """Several fields are wrong at once: `problems` maps field to message."""

    def __init__(self, problems: dict[str, str]) -> None:
        super().__init__(next(iter(problems.values())))
        self.problems = problems


class Conflict(Mendable):
    """Somebody or something else already has the time, the room or the money."""

    status = 409


class Stale(Mendable):
    """The thing changed since the form was shown; says what changed and by whom."""

    status = 409


class DoneBefore(ZaxError):
    """The very same form was sent before and is done: pressed twice, it counts once."""

    status = 409


class NotAllowed(Mendable):
    """The role may not do this."""

    status = 403


class NotFound(ZaxError):
    """There is no such thing, or not anymore."""

    status = 404


class ProblemCollector:
    """Gathers field problems so that all of them are shown at once, then raises them together."""

    def __init__(self) -> None:
        self.problems: dict[str, str] = {}

    def __enter__(self) -> ProblemCollector:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, _: object) -> None:
        if error is None:
            self.raise_if_any()

    def take(self, check: Callable[_P, _T], *args: _P.args, **kwargs: _P.kwargs) -> _T | None:
        """What the check returns, or None with its problem kept."""
        try:
            return check(*args, **kwargs)
        except ZaxError as error:
            for field, message in error.problems.items():
                self.add(field, message)
            return None

    def add(self, field: str, message: str) -> None:
        self.problems.setdefault(field, message)

    def raise_if_any(self) -> None:
        if self.problems:
            raise Problems(self.problems)

"""Who acts, and with which form."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import count

from zax.core.people.roles import Role


class Once:
    """The key of a form that was sent: each act that it leads to is done once, whoever sends it again."""

    def __init__(self, key: str) -> None:
        self._key, self._acts = key, count(1)

    def next_key(self) -> str:
        """That of the next act of this form: the second one is not the first one again."""
        return f"{self._key}-{next(self._acts)}"


@dataclass(frozen=True, slots=True)
class Actor:
    """A signed-in person, or the worker (`id` None). `once` is the form they sent."""

    id: int | None
    name: str
    role: Role
    initials: str = ""
    once: Once | None = field(default=None, compare=False, repr=False)


WORKER = Actor(None, "Zax", Role.MANAGER)

"""Who acts, and with which form."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import count

from zax.core.people.roles import MANAGER, Role


class Once:
    """The key of a form that was sent: each act that it leads to is done once, whoever sends it again."""

    def __init__(self, key: str) -> None:
        self._key, self._acts = key, count(1)

    def next_key(self) -> str:
        """That of the next act of this form: the second one is not the first one again."""
        return f"{self._key}-{next(self._acts)}"


@dataclass(frozen=True, slots=True)
class Actor:
    """A signed-in person, or the worker (`id` None). `once` is the form they sent, `provider_id` who they are
    on the Book, `site_ids` where they work, none for everywhere. `locked`: the desk is locked until they are
    back; `owes_second`: they have to set up a second factor first.
    """

    id: int | None
    name: str
    role: Role
    initials: str = ""
    once: Once | None = field(default=None, compare=False, repr=False)
    provider_id: int | None = None
    site_ids: frozenset[int] = frozenset()
    locked: bool = False
    owes_second: bool = False

    def works_at(self, site_id: int) -> bool:
        return not self.site_ids or site_id in self.site_ids


WORKER = Actor(None, "Zax", MANAGER)

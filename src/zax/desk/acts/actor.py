"""Who acts."""

from __future__ import annotations

from dataclasses import dataclass

from zax.core.people.roles import Role


@dataclass(frozen=True, slots=True)
class Actor:
    """A signed-in person, or the worker (`id` None)."""

    id: int | None
    name: str
    role: Role
    initials: str = ""


WORKER = Actor(None, "Zax", Role.MANAGER)

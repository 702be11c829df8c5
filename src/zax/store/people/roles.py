"""The clinic's roles."""

from __future__ import annotations

from sqlalchemy import Connection, select, update

from zax.core.errors import NotFound, Stale
from zax.core.people.roles import Role
from zax.store.people.tables import role, user
from zax.store.rows import add, at_end


def roles(connection: Connection) -> dict[str, Role]:
    """All of them by key, in the clinic's order, those no longer in use too."""
    return {
        row.key: Role(
            key=row.key,
            words=row.words,
            rights=frozenset(row.rights),
            position=row.position,
            active=row.active,
            version=row.version,
        )
        for row in connection.execute(select(role).order_by(role.c.position, role.c.id))
    }


def add_role(connection: Connection, kept: Role) -> None:
    values = {"key": kept.key, "words": kept.words, "rights": sorted(kept.rights)}
    add(connection, role, **values, **at_end(connection, role))


def change_role(connection: Connection, kept: Role) -> None:
    """Raises NotFound, and Stale when its version is no longer that of `kept`."""
    at = role.c.key == kept.key
    found = connection.execute(select(role.c.version).where(at).with_for_update()).scalar()
    if found is None:
        raise NotFound("There is no such role.")
    if found != kept.version:
        raise Stale("Someone changed this role since you opened it. Check it again, then save.")
    values = {"words": kept.words, "rights": sorted(kept.rights), "active": kept.active}
    connection.execute(update(role).where(at).values(**values, version=kept.version + 1))


def people_with(connection: Connection, key: str) -> int:
    """How many who sign in have the role."""
    found = connection.execute(select(user.c.id).where(user.c.role == key, user.c.active)).all()
    return len(found)

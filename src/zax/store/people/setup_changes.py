"""The setup's changes as they are read: who changed what, newest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, or_, select

from zax.core.json import KeptJson
from zax.store.acts.tables import setup_change
from zax.store.people.tables import user
from zax.store.rows import many, one


@dataclass(frozen=True, slots=True, kw_only=True)
class SetupChange:
    """A change as it is shown; `by_name` is empty for what Zax did by itself."""

    id: int
    at: datetime
    act: str
    words: str
    by_name: str | None
    changes: Sequence[KeptJson]
    undone_at: datetime | None


_c = setup_change
_WITH_NAME = select(setup_change, user.c.name.label("by_name")).join(
    user, user.c.id == setup_change.c.by_id, isouter=True
)


def setup_changes(connection: Connection, limit: int, before: int = 0) -> list[SetupChange]:
    """The newest first; `before` an id."""
    query = _WITH_NAME.order_by(setup_change.c.id.desc()).limit(limit)
    if before:
        query = query.where(setup_change.c.id < before)
    return many(connection, query, SetupChange)


def last_change_of(connection: Connection, begins: Sequence[str]) -> SetupChange | None:
    """The newest whose act is one of these, or begins with one and a dot."""
    if not begins:
        return None
    mine = or_(*(or_(_c.c.act == each, _c.c.act.startswith(f"{each}.")) for each in begins))
    return one(connection, _WITH_NAME.where(mine).order_by(_c.c.id.desc()).limit(1), SetupChange)


def locked_change(connection: Connection, change_id: int) -> SetupChange | None:
    query = _WITH_NAME.where(setup_change.c.id == change_id).with_for_update(of=setup_change)
    return one(connection, query, SetupChange)

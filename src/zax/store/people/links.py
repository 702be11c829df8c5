"""Links that work once: invitations and new passwords. What the link carries is kept as its hash."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select, update

from zax.store.people.tables import user_link
from zax.store.rows import add, many, one

_l = user_link


@dataclass(frozen=True, slots=True, kw_only=True)
class UserLink:
    """`purpose` is invite or reset; ended once it was used or another took its place."""

    id: int
    user_id: int
    purpose: str
    made_at: datetime
    until: datetime
    ended_at: datetime | None


def add_link(
    connection: Connection,
    *,
    user_id: int,
    token_hash: str,
    purpose: str,
    made_at: datetime,
    until: datetime,
    by_id: int | None,
) -> int:
    """The others of this person end."""
    end_links(connection, user_id, made_at)
    return add(
        connection,
        _l,
        user_id=user_id,
        token_hash=token_hash,
        purpose=purpose,
        made_at=made_at,
        until=until,
        by_id=by_id,
    )


def end_links(connection: Connection, user_id: int, at: datetime) -> None:
    still = (_l.c.user_id == user_id, _l.c.ended_at.is_(None))
    connection.execute(update(_l).where(*still).values(ended_at=at))


def open_link(connection: Connection, token_hash: str, now: datetime, lock: bool = False) -> UserLink | None:
    """The link that still works; `lock` holds it until the transaction ends."""
    query = select(_l).where(_l.c.token_hash == token_hash, _l.c.ended_at.is_(None), _l.c.until > now)
    return one(connection, query.with_for_update() if lock else query, UserLink)


def open_links(connection: Connection, now: datetime) -> dict[int, UserLink]:
    """Those that still work, by person."""
    query = select(_l).where(_l.c.ended_at.is_(None), _l.c.until > now)
    return {each.user_id: each for each in many(connection, query, UserLink)}

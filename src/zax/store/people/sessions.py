"""Reading and writing sessions. One is good while it has not ended, its person is active and their password
is the one they signed in with.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, bindparam, func, select, update

from zax.store.people.people import User
from zax.store.people.tables import session, user
from zax.store.rows import add, many, one

_s = session
_PASSWORD = func.left(func.sha2(user.c.password_hash, 256), 16)
_GOOD = and_(
    _s.c.ended_at.is_(None),
    _s.c.until > bindparam("now"),
    user.c.active,
    _s.c.password_mark == _PASSWORD,
)
_USER = select(user).join(_s, _s.c.user_id == user.c.id).where(_s.c.token_hash == bindparam("token"), _GOOD)
_OPEN = (
    select(_s.c.user_id, user.c.name, user.c.role, _s.c.at)
    .join(user, user.c.id == _s.c.user_id)
    .where(_GOOD)
    .order_by(user.c.name, _s.c.at)
)


@dataclass(frozen=True, slots=True)
class OpenSession:
    user_id: int
    name: str
    role: str
    at: datetime


def add_session(connection: Connection, user_id: int, token_hash: str, at: datetime, until: datetime) -> None:
    mark = connection.execute(select(_PASSWORD).where(user.c.id == user_id)).scalar_one()
    add(connection, _s, user_id=user_id, token_hash=token_hash, password_mark=mark, at=at, until=until)


def user_of_session(connection: Connection, token_hash: str, now: datetime) -> User | None:
    return one(connection, _USER, User, token=token_hash, now=now)


def user_of_mark(connection: Connection, mark: str) -> int | None:
    """Whose session begins with these figures of its hash, ended or not."""
    return connection.execute(select(_s.c.user_id).where(_s.c.token_hash.startswith(mark))).scalar()


def open_sessions(connection: Connection, now: datetime) -> list[OpenSession]:
    return many(connection, _OPEN, OpenSession, now=now)


def end_sessions(connection: Connection, now: datetime, token_hash: str) -> None:
    mine = (_s.c.token_hash == token_hash, _s.c.ended_at.is_(None))
    connection.execute(update(_s).where(*mine).values(ended_at=now))


def end_sessions_of(connection: Connection, now: datetime, user_id: int) -> int:
    """How many there were."""
    mine = (_s.c.user_id == user_id, _s.c.ended_at.is_(None), _s.c.until > now)
    return connection.execute(update(_s).where(*mine).values(ended_at=now)).rowcount

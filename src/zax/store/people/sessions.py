"""Reading and writing sessions. One is good while it has not ended, its person is active and their password
is the one they signed in with.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
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
_USER = (
    select(user, _s.c.locked_at)
    .join(_s, _s.c.user_id == user.c.id)
    .where(_s.c.token_hash == bindparam("token"), _GOOD)
)
_OPEN = (
    select(_s.c.id, _s.c.user_id, user.c.name, user.c.role, _s.c.at, _s.c.address, _s.c.device, _s.c.by_pin)
    .join(user, user.c.id == _s.c.user_id)
    .where(_GOOD)
    .order_by(user.c.name, user.c.id, _s.c.at)
)


@dataclass(frozen=True, slots=True)
class OpenSession:
    """`address` it came from, `device` the mark of the browser, `by_pin` whether a PIN opened it."""

    id: int
    user_id: int
    name: str
    role: str
    at: datetime
    address: str
    device: str
    by_pin: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class NewSession:
    user_id: int
    token_hash: str
    at: datetime
    until: datetime
    address: str = ""
    device: str = ""
    by_pin: bool = False


def add_session(connection: Connection, new: NewSession) -> None:
    mark = connection.execute(select(_PASSWORD).where(user.c.id == new.user_id)).scalar_one()
    add(connection, _s, password_mark=mark, **asdict(new))


def signed_in_at(connection: Connection, device: str, since: datetime) -> list[User]:
    """Who signed in with their password in this browser since then, and still may, by name."""
    here = (_s.c.device == device, _s.c.at >= since, _s.c.by_pin.is_(False), _s.c.password_mark == _PASSWORD)
    query = select(user).join(_s, _s.c.user_id == user.c.id).where(*here, user.c.active)
    return many(connection, query.distinct().order_by(user.c.name), User)


def lock_session(connection: Connection, token_hash: str, at: datetime | None) -> None:
    """`at` None opens it again."""
    connection.execute(update(_s).where(_s.c.token_hash == token_hash).values(locked_at=at))


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionUser(User):
    """Whose session it is; `locked_at` since when it does nothing."""

    locked_at: datetime | None


def user_of_session(connection: Connection, token_hash: str, now: datetime) -> SessionUser | None:
    return one(connection, _USER, SessionUser, token=token_hash, now=now)


def user_of_mark(connection: Connection, mark: str) -> int | None:
    """Whose session begins with these figures of its hash, ended or not."""
    return connection.execute(select(_s.c.user_id).where(_s.c.token_hash.startswith(mark))).scalar()


def open_sessions(connection: Connection, now: datetime) -> list[OpenSession]:
    return many(connection, _OPEN, OpenSession, now=now)


def end_sessions(connection: Connection, now: datetime, token_hash: str) -> None:
    mine = (_s.c.token_hash == token_hash, _s.c.ended_at.is_(None))
    connection.execute(update(_s).where(*mine).values(ended_at=now))


def end_session_numbered(connection: Connection, now: datetime, session_id: int) -> int | None:
    """Whose it was; None when it had ended."""
    whose = connection.execute(
        select(_s.c.user_id).where(_s.c.id == session_id, _s.c.ended_at.is_(None))
    ).scalar()
    connection.execute(update(_s).where(_s.c.id == session_id, _s.c.ended_at.is_(None)).values(ended_at=now))
    return whose


def end_sessions_of(connection: Connection, now: datetime, user_id: int, but: str = "") -> int:
    """How many there were, without the one `but` whose hash this is."""
    mine = (_s.c.user_id == user_id, _s.c.token_hash != but, _s.c.ended_at.is_(None), _s.c.until > now)
    return connection.execute(update(_s).where(*mine).values(ended_at=now)).rowcount

"""Who signs in, their wrong tries, and who looked at which patient."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, bindparam, delete, func, select

from zax.store.people.tables import look, sign_in_try, user
from zax.store.rows import add, one

_BY_ID = select(user).where(user.c.id == bindparam("user_id"), user.c.active)
_BY_NAME = select(user).where(user.c.sign_in == bindparam("sign_in"), user.c.active)


@dataclass(frozen=True, slots=True, kw_only=True)
class User:
    """`provider_id` is who they are on the Book, None for whoever sees no patients."""

    id: int
    sign_in: str
    name: str
    role: str
    password_hash: str
    provider_id: int | None


def active_user(connection: Connection, user_id: int) -> User | None:
    return one(connection, _BY_ID, User, user_id=user_id)


def user_called(connection: Connection, sign_in: str) -> User | None:
    """The active user who signs in with this name."""
    return one(connection, _BY_NAME, User, sign_in=sign_in)


def count_tries(connection: Connection, sign_in: str, address: str, since: datetime) -> int:
    """How often this name was tried in vain from this address after the moment (UTC)."""
    t = sign_in_try
    query = select(func.count()).where(t.c.at > since, t.c.sign_in == sign_in, t.c.address == address)
    return int(connection.execute(query).scalar_one())


def add_try(connection: Connection, sign_in: str, address: str, at: datetime) -> None:
    add(connection, sign_in_try, sign_in=sign_in, address=address, at=at)


def forget_tries(connection: Connection, sign_in: str, address: str) -> None:
    t = sign_in_try
    connection.execute(delete(t).where(t.c.sign_in == sign_in, t.c.address == address))


def add_look(connection: Connection, at: datetime, user_id: int, patient_id: int, screen: str) -> None:
    add(connection, look, at=at, user_id=user_id, patient_id=patient_id, screen=screen)

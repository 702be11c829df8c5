"""Signing in, throttled; and the record of who looked at which patient."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import cache
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from sqlalchemy import Connection, Engine, bindparam, delete, func, insert, select

from zax.core.errors import Refused
from zax.core.people.roles import Role
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.store import schema

TRIES = 6
TRIES_WITHIN = timedelta(minutes=5)
hasher = PasswordHasher()
_USER = select(schema.user).where(schema.user.c.id == bindparam("user_id"), schema.user.c.active)


@cache
def _nobody() -> str:
    """A hash to check against when there is no such user, so that the answer takes as long."""
    return hasher.hash("nobody at all")


def sign_in(desk: Desk, name: str, password: str, address: str) -> Actor:
    """Who it is, with the signing in on record."""
    actor = authenticate(desk, name, password, address)
    in_transaction(desk, WORKER, lambda tx: _welcome(tx, actor, name.strip().lower()[:40], address))
    return actor


def authenticate(desk: Desk, name: str, password: str, address: str) -> Actor:
    """Whose name and password these are; Refused for a wrong pair or after too many tries from this address at this name."""
    name = name.strip().lower()[:40]
    tries = in_transaction(desk, WORKER, lambda tx: _count_tries(tx, name, address))
    if tries >= TRIES:
        minutes = int(TRIES_WITHIN.total_seconds() // 60)
        raise Refused(f"Too many tries. Wait {minutes} minutes, then sign in again.", "password")
    with desk.engine.connect() as connection:
        row = connection.execute(
            select(schema.user).where(schema.user.c.sign_in == name, schema.user.c.active)
        ).first()
    if not _matches(row.password_hash if row else _nobody(), password) or row is None:
        in_transaction(desk, WORKER, lambda tx: tx.add(schema.sign_in_try, sign_in=name, address=address, at=tx.now))
        raise Refused("Name and password do not belong together. Check both and try again.", "password")
    return actor_of(row)


def _matches(stored: str, password: str) -> bool:
    try:
        return hasher.verify(stored, password[:200])
    except VerificationError:
        return False


def _count_tries(tx: Transaction, name: str, address: str) -> int:
    t = schema.sign_in_try
    since = tx.now - TRIES_WITHIN
    query = select(func.count()).where(t.c.at > since, t.c.sign_in == name, t.c.address == address)
    return int(tx.connection.execute(query).scalar_one())


def _welcome(tx: Transaction, actor: Actor, name: str, address: str) -> None:
    tx.connection.execute(
        delete(schema.sign_in_try).where(
            schema.sign_in_try.c.sign_in == name, schema.sign_in_try.c.address == address
        )
    )
    tx.connection.execute(insert(schema.audit).values(at=tx.now, by_id=actor.id, act="signed_in", detail={}))


def actor_of(row: Any) -> Actor:
    initials = "".join(part[0] for part in row.name.split()[-2:])
    return Actor(row.id, row.name, Role(row.role), initials)


def signed_in_user(connection: Connection, user_id: int) -> Actor | None:
    """The user of a session, if still active."""
    row = connection.execute(_USER, {"user_id": user_id}).first()
    return actor_of(row) if row else None


def note_look(engine: Engine, at: datetime, user_id: int, patient_id: int, screen: str) -> None:
    """Write down that somebody looked at a patient; called once the page is on its way."""
    with engine.begin() as connection:
        connection.execute(insert(schema.look).values(at=at, user_id=user_id, patient_id=patient_id, screen=screen))

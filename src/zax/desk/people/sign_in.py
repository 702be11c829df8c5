"""Signing in, throttled; and the record of who looked at which patient.

Passwords are made slow to check on purpose; two are checked at a time, so that somebody who tries thousands
slows down the signing in and not the clinic.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import cache
from threading import BoundedSemaphore

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError

from zax.core.errors import NotFound
from zax.core.people.roles import Role
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.tries import TRIES_WITHIN, Try, judge
from zax.store.acts.traces import write_audit
from zax.store.engine import Engine
from zax.store.people import people
from zax.store.people.people import User

_MINUTES = int(TRIES_WITHIN.total_seconds() // 60)
hasher = PasswordHasher()
_at_once = BoundedSemaphore(2)


@cache
def nobody() -> str:
    """A hash to check against when there is no such user, so that the answer takes as long."""
    return hasher.hash("no one at all")


def welcome(desk: Desk, user_id: int) -> None:
    """The signing in goes on record."""
    in_transaction(desk, WORKER, lambda tx: _welcome(tx, user_id))


def owes_code(desk: Desk, user_id: int) -> bool:
    """Whether a password alone does not let them in."""
    with desk.engine.connect() as connection:
        user = people.active_user(connection, user_id)
    return user is None or user.second_at is not None


def authenticate(desk: Desk, name: str, password: str, address: str) -> Actor:
    """Whose name and password these are; Refused for a wrong pair or after too many tries from this address
    at this name.
    """
    name = name.strip().lower()[:40]
    with desk.engine.connect() as connection:
        user = people.user_called(connection, name)
    tried = Try(
        kind="password",
        name=name,
        address=address,
        field="password",
        wrong="The name and password don’t match. Check both and try again.",
        shut=f"Too many tries. Wait {_MINUTES} minutes, then sign in again.",
        user_id=user.id if user else None,
    )
    judge(desk, tried, lambda: matches(user.password_hash if user else nobody(), password) and bool(user))
    assert user is not None
    return actor_of(user, desk.clinic.roles)


def check_password(desk: Desk, actor: Actor, password: str, field: str) -> User:
    """Whoever is signed in proves again that it is them, before they change how they sign in (ASVS 7.5.1).
    Refused beside `field`.
    """
    with desk.engine.connect() as connection:
        user = people.active_user(connection, actor.id or 0)
    if user is None:
        raise NotFound("There is no such person.")
    tried = Try(
        kind="password",
        name=f"own {user.id}",
        address="",
        field=field,
        wrong="That isn’t your password.",
        shut=f"Too many tries. Wait {_MINUTES} minutes, then try again.",
        user_id=user.id,
    )
    judge(desk, tried, lambda: matches(user.password_hash, password))
    return user


def matches(stored: str, password: str) -> bool:
    """Whoever has none yet (`stored` empty) matches nothing, and takes as long."""
    with _at_once:
        try:
            return hasher.verify(stored or nobody(), password[:200]) and bool(stored)
        except VerificationError:
            return False


def _welcome(tx: Transaction, user_id: int) -> None:
    write_audit(tx.connection, at=tx.now, by_id=user_id, act="signed_in", detail={})


def actor_of(user: User, roles: Mapping[str, Role]) -> Actor:
    initials = "".join(part[0] for part in user.name.split()[-2:])
    return Actor(
        user.id,
        user.name,
        roles[user.role],
        initials,
        provider_id=user.provider_id,
        site_ids=frozenset(user.site_ids),
        owes_second=user.must_second and user.second_at is None,
    )


def note_looks(engine: Engine, at: datetime, user_id: int, patient_ids: Sequence[int], screen: str) -> None:
    """Write down that somebody looked at these patients; called once the page is on its way."""
    with engine.begin() as connection:
        people.add_looks(connection, at, user_id, patient_ids, screen)

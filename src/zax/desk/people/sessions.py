"""Who is signed in: sessions in the database, so that one can be ended from here, by a manager, or by a new
password.

A session lasts twelve hours at most, whatever is done in it; that it also ends after half an hour without use
is the cookie's matter. What the browser holds is a secret of which only the hash is kept.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from zax.clock import local, system_now
from zax.core.errors import NotFound
from zax.core.people.roles import Role
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import actor_of
from zax.store.engine import Connection
from zax.store.people import sessions as stored
from zax.store.people.sessions import NewSession

LONGEST = timedelta(hours=12)
_MARK = 16


@dataclass(frozen=True, slots=True)
class Browser:
    """Where somebody signs in: the address the request came from, and the mark of the browser."""

    address: str = ""
    device: str = ""


NOWHERE = Browser()


def open_session(desk: Desk, user_id: int, at: Browser = NOWHERE, by_pin: bool = False) -> str:
    """A new session; the secret for the browser."""
    secret = secrets.token_urlsafe(32)
    now = system_now()
    new = NewSession(
        user_id=user_id,
        token_hash=hash_of(secret),
        at=now,
        until=now + LONGEST,
        address=at.address[:45],
        device=at.device,
        by_pin=by_pin,
    )
    in_transaction(desk, WORKER, lambda tx: stored.add_session(tx.connection, new))
    return secret


def hash_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def mark_of(secret: str) -> str:
    """What may be shown of a session: it leads to it in our database and nowhere else."""
    return hash_of(secret)[:_MARK]


def who_is(connection: Connection, secret: str, roles: Mapping[str, Role]) -> Actor | None:
    """The person of a session that is still good, or None."""
    user = stored.user_of_session(connection, hash_of(secret), system_now())
    return replace(actor_of(user, roles), locked=user.locked_at is not None) if user else None


def user_of_mark(connection: Connection, mark: str) -> int | None:
    """Whose session it was, also when it has ended."""
    return stored.user_of_mark(connection, mark)


def end_session(desk: Desk, secret: str) -> None:
    in_transaction(desk, WORKER, lambda tx: stored.end_sessions(tx.connection, system_now(), hash_of(secret)))


@dataclass(frozen=True, slots=True)
class SignedIn:
    """An open session; `since` is the wall clock of the clinic's first site, `here` the browser that asks."""

    id: int
    user_id: int
    name: str
    role: str
    since: datetime
    address: str
    by_pin: bool
    here: bool


def signed_in(connection: Connection, zone: str, device: str = "") -> list[SignedIn]:
    """Every open session, by name and age."""
    return [
        SignedIn(
            each.id,
            each.user_id,
            each.name,
            each.role,
            local(each.at, zone),
            each.address,
            each.by_pin,
            bool(device) and each.device == device,
        )
        for each in stored.open_sessions(connection, system_now())
    ]


def end_own(desk: Desk, actor: Actor, session_id: int) -> None:
    """One of one's own sessions, left open somewhere. NotFound for anybody else's."""

    def work(tx: Transaction) -> None:
        if stored.end_session_numbered(tx.connection, system_now(), session_id) != actor.id:
            raise NotFound("That isn’t one of your sign-ins.")
        tx.audit("sessions.ended", user=actor.id)

    in_transaction(desk, actor, work)


def end_elsewhere(desk: Desk, actor: Actor, secret: str) -> None:
    """All of one's own sessions but the one of this secret. NotFound when there is no other."""

    def work(tx: Transaction) -> None:
        if not stored.end_sessions_of(tx.connection, system_now(), actor.id or 0, but=hash_of(secret)):
            raise NotFound("You aren’t signed in anywhere else.")
        tx.audit("sessions.ended", user=actor.id)

    in_transaction(desk, actor, work)


@act("people")
def sign_out_everywhere(tx: Transaction, user_id: int) -> None:
    """End every session of a person: a lost tablet, somebody who has left."""
    if not stored.end_sessions_of(tx.connection, system_now(), user_id):
        raise NotFound("This person isn’t signed in anywhere.")
    tx.audit("sessions.ended", user=user_id)

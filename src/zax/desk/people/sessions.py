"""Who is signed in: sessions in the database, so that one can be ended from here, by a manager, or by a new
password.

A session lasts twelve hours at most, whatever is done in it; that it also ends after half an hour without use
is the cookie's matter. What the browser holds is a secret of which only the hash is kept.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from zax.clock import local, system_now
from zax.core.errors import NotFound
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import actor_of
from zax.store.engine import Connection
from zax.store.people import sessions as stored
from zax.store.people.sessions import OpenSession

LONGEST = timedelta(hours=12)
_MARK = 16


def open_session(desk: Desk, user_id: int) -> str:
    """A new session; the secret for the browser."""
    secret = secrets.token_urlsafe(32)
    now = system_now()
    in_transaction(
        desk,
        WORKER,
        lambda tx: stored.add_session(tx.connection, user_id, hash_of(secret), now, now + LONGEST),
    )
    return secret


def hash_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def mark_of(secret: str) -> str:
    """What may be shown of a session: it leads to it in our database and nowhere else."""
    return hash_of(secret)[:_MARK]


def who_is(connection: Connection, secret: str) -> Actor | None:
    """The person of a session that is still good, or None."""
    user = stored.user_of_session(connection, hash_of(secret), system_now())
    return actor_of(user) if user else None


def user_of_mark(connection: Connection, mark: str) -> int | None:
    """Whose session it was, also when it has ended."""
    return stored.user_of_mark(connection, mark)


def end_session(desk: Desk, secret: str) -> None:
    in_transaction(desk, WORKER, lambda tx: stored.end_sessions(tx.connection, system_now(), hash_of(secret)))


@dataclass(frozen=True, slots=True)
class SignedIn:
    """Somebody with an open session; `since` is the wall clock of the clinic's first site."""

    user_id: int
    name: str
    role: str
    since: datetime
    sessions: int


def signed_in(connection: Connection, zone: str) -> list[SignedIn]:
    """Everybody who is signed in now, by name."""
    found: dict[int, list[OpenSession]] = {}
    for each in stored.open_sessions(connection, system_now()):
        found.setdefault(each.user_id, []).append(each)
    return [
        SignedIn(user_id, mine[0].name, mine[0].role, local(min(each.at for each in mine), zone), len(mine))
        for user_id, mine in found.items()
    ]


@act("setup")
def sign_out_everywhere(tx: Transaction, user_id: int) -> None:
    """End every session of a person: a lost tablet, somebody who has left."""
    if not stored.end_sessions_of(tx.connection, system_now(), user_id):
        raise NotFound("This person isn’t signed in anywhere.")
    tx.audit("sessions.ended", user=user_id)

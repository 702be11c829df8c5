"""One desk, several people: somebody who signed in there today comes back by PIN, and a desk that nobody
touched for a while is locked with what was typed on it kept.

A PIN opens nothing where its person has not signed in that day with password and second factor, in that very
browser. A few wrong ones shut it until the password is typed.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta

from zax.clock import local, system_now, to_utc
from zax.core.errors import NotFound, Refused
from zax.core.people.pins import check_pin
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sessions import Browser, hash_of, open_session
from zax.desk.people.sign_in import check_password, hasher, matches
from zax.desk.people.tries import Try, judge
from zax.store.engine import Connection
from zax.store.people import people
from zax.store.people import sessions as stored
from zax.store.people.people import TryLimits, User

LOCK_SETTING = "lock_minutes"
USUAL_LOCK = 10
SHORTEST_LOCK, LONGEST_LOCK = 2, 30
TRIES_WITHIN = timedelta(minutes=15)
# A PIN has few digits: five wrong ones in a quarter of an hour, from anywhere.
_LIMITS = TryLimits(pair=5, name=5, address=20, altogether=300)
_SHUT = "Too many wrong PINs. Sign in with your password."


def lock_minutes(about: Mapping[str, object]) -> int:
    """After how many minutes without a touch a desk is locked; 0 for never."""
    return int(str(about.get(LOCK_SETTING, USUAL_LOCK)))


def set_pin(desk: Desk, actor: Actor, pin: str, password: str) -> None:
    """Their own, with their password. Refused beside `pin` and `password`."""
    kept = check_pin(pin)
    user = check_password(desk, actor, password, "pin_password")
    hashed = hasher.hash(kept)

    def work(tx: Transaction) -> None:
        people.change_user(tx.connection, user.id, pin_hash=hashed)
        tx.audit("people.pin", user=user.id)

    in_transaction(desk, actor, work)


def people_here(desk: Desk, connection: Connection, at: Browser) -> list[User]:
    """Who may come back by PIN at this browser today."""
    if not at.device:
        return []
    found = stored.signed_in_at(connection, at.device, _began(desk))
    return [each for each in found if each.pin_hash]


def _began(desk: Desk) -> datetime:
    """Midnight of today at the clinic, in UTC. By the machine's clock, as sessions are."""
    zone = desk.clinic.first_site.timezone
    return to_utc(local(system_now(), zone).replace(hour=0, minute=0, second=0, microsecond=0), zone)


def switch(desk: Desk, user_id: int, pin: str, at: Browser) -> str:
    """A session of whoever it is, by their PIN; its secret. Refused beside `pin`."""
    with desk.engine.connect() as connection:
        here = {each.id: each for each in people_here(desk, connection, at)}
    user = here.get(user_id)
    if user is None:
        raise Refused("Sign in with your password first; your PIN works here for the rest of the day.", "pin")
    _check_pin(desk, user, pin, at)
    secret = open_session(desk, user.id, at, by_pin=True)
    in_transaction(desk, WORKER, lambda tx: tx.audit("people.switched", user=user.id))
    return secret


def _check_pin(desk: Desk, user: User, pin: str, at: Browser) -> None:
    tried = _try(user, at, "PIN", "pin", "That isn’t the PIN.", _SHUT)
    judge(desk, tried, lambda: bool(user.pin_hash) and matches(user.pin_hash, pin.strip()))


def _try(user: User, at: Browser, kind: str, name: str, wrong: str, shut: str) -> Try:
    return Try(
        kind=kind,
        name=f"{name} {user.id}",
        address=at.address,
        field="pin",
        wrong=wrong,
        shut=shut,
        limits=_LIMITS,
        within=TRIES_WITHIN,
        user_id=user.id,
    )


def lock(desk: Desk, secret: str) -> None:
    """The session does nothing until its person is back."""
    in_transaction(desk, WORKER, lambda tx: stored.lock_session(tx.connection, hash_of(secret), system_now()))


def unlock(desk: Desk, actor: Actor, secret: str, typed: str, at: Browser) -> None:
    """By their PIN or their password. Refused beside `pin`."""
    with desk.engine.connect() as connection:
        user = _person(connection, actor.id or 0)
    by_password = not (typed.strip().isdecimal() and user.pin_hash and len(typed.strip()) <= 8)
    if by_password:
        _check_password(desk, user, typed, at)
    else:
        _check_pin(desk, user, typed, at)
    in_transaction(desk, WORKER, lambda tx: stored.lock_session(tx.connection, hash_of(secret), None))


def _check_password(desk: Desk, user: User, typed: str, at: Browser) -> None:
    shut = "Too many tries. Wait 15 minutes, or sign out and in again."
    tried = _try(user, at, "password", "lock", "That isn’t your PIN or your password.", shut)
    judge(desk, tried, lambda: matches(user.password_hash, typed))


@act("people")
def set_lock_minutes(tx: Transaction, minutes: int) -> None:
    if minutes and not SHORTEST_LOCK <= minutes <= LONGEST_LOCK:
        raise Refused(f"{SHORTEST_LOCK} to {LONGEST_LOCK} minutes, or 0 for never.", "minutes")
    tx.keep_setting(LOCK_SETTING, minutes)
    tx.change_setup("people.lock", minutes=minutes)


def _person(connection: Connection, user_id: int) -> User:
    user = people.active_user(connection, user_id)
    if user is None:
        raise NotFound("There is no such person.")
    return user

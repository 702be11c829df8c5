"""Somebody's second factor: set up by themselves, asked for at sign-in, taken away by themselves or a
manager.

The secret lies sealed by the vault, so that a copy of the database opens nothing. It counts once its first
code was typed back.
"""

from __future__ import annotations

import hashlib

from zax.clock import system_now
from zax.core.errors import NotFound, Refused
from zax.core.people.second_factor import (
    new_recovery_codes,
    new_secret,
    plain_recovery_code,
    step_of,
)
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER, Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.people.sign_in import check_password
from zax.desk.people.tries import Try, judge
from zax.store.people import people
from zax.store.people import second as stored
from zax.store.people.passkeys import drop_passkeys_of
from zax.store.people.people import User
from zax.store.vault import Vault

WRONG_CODE = "That code doesn’t match. Wait for the next one, then type it."
# Where the password stands with which somebody changes their second factor.
FIELD = "second_password"


def begin(desk: Desk, vault: Vault, actor: Actor) -> str:
    """The secret to put into the app: the one that was begun and not confirmed, or a new one."""

    def work(tx: Transaction) -> str:
        user = _locked(tx, actor.id or 0)
        if user.second_at is not None:
            raise Refused("Your second factor is on already. Turn it off first, then set up another.")
        if user.second_sealed:
            return vault.open(user.second_sealed)
        secret = new_secret()
        people.change_user(tx.connection, user.id, second_sealed=vault.seal(secret))
        return secret

    return in_transaction(desk, actor, work)


def confirm(desk: Desk, vault: Vault, actor: Actor, password: str, code: str) -> list[str]:
    """It counts from now on; the recovery codes, to be shown this once. Refused beside `second_password` and
    `code`.
    """
    check_password(desk, actor, password, FIELD)

    def work(tx: Transaction) -> list[str]:
        user = _locked(tx, actor.id or 0)
        if not user.second_sealed or user.second_at is not None:
            raise Refused("Begin again: scan the code on this page.", "code")
        step = step_of(vault.open(user.second_sealed), code, system_now())
        if step is None or not people.take_step(tx.connection, user.id, step):
            raise Refused(WRONG_CODE, "code")
        people.change_user(tx.connection, user.id, second_at=tx.now)
        tx.audit("second.on", user=user.id)
        return _new_codes(tx, user.id)

    return in_transaction(desk, actor, work)


def fresh_codes(desk: Desk, actor: Actor, password: str) -> list[str]:
    """New recovery codes; the old ones open nothing anymore. Refused beside `second_password`."""
    check_password(desk, actor, password, FIELD)

    def work(tx: Transaction) -> list[str]:
        if _locked(tx, actor.id or 0).second_at is None:
            raise Refused("Set up your second factor first.")
        tx.audit("second.codes", user=actor.id)
        return _new_codes(tx, actor.id or 0)

    return in_transaction(desk, actor, work)


def _new_codes(tx: Transaction, user_id: int) -> list[str]:
    codes = new_recovery_codes()
    stored.replace_codes(tx.connection, user_id, [_hash(each) for each in codes])
    return codes


def check_second(desk: Desk, vault: Vault, user_id: int, code: str, address: str) -> None:
    """Refused beside `code` for a wrong one, and after too many."""
    with desk.engine.connect() as connection:
        user = people.active_user(connection, user_id)
    tried = Try(
        kind="code",
        name=f"code {user_id}",
        address=address,
        field="code",
        wrong=WRONG_CODE,
        shut="Too many tries. Wait a few minutes, then sign in again.",
        user_id=user_id,
    )
    judge(desk, tried, lambda: user is not None and passes(desk, vault, user, code))


def check_second_of(desk: Desk, vault: Vault, user_id: int, code: str, address: str) -> None:
    """The same for somebody who may have none: then nothing is asked."""
    with desk.engine.connect() as connection:
        user = people.active_user(connection, user_id)
    if user is not None and user.second_at is not None:
        check_second(desk, vault, user_id, code, address)


def passes(desk: Desk, vault: Vault, user: User, code: str) -> bool:
    """Whether this is the person's code of now, or a recovery code not used before; it is used up by this.
    Whoever has no second factor has no code.
    """
    if user.second_at is None:
        return False

    def work(tx: Transaction) -> bool:
        step = step_of(vault.open(user.second_sealed), code, system_now())
        if step is not None:
            return people.take_step(tx.connection, user.id, step)
        plain = plain_recovery_code(code)
        if not plain or not stored.use_code(tx.connection, user.id, _hash(code), tx.now):
            return False
        left = stored.codes_left(tx.connection, user.id)
        tx.audit("second.recovery", user=user.id, left=left)
        return True

    return in_transaction(desk, WORKER, work)


def turn_off(desk: Desk, actor: Actor, password: str) -> None:
    """By themselves. Refused beside `second_password`, and where the clinic asks it of them."""
    check_password(desk, actor, password, FIELD)

    def work(tx: Transaction) -> None:
        if _locked(tx, actor.id or 0).must_second:
            raise Refused("The clinic asks for a second factor. Set up a new one in place of this.")
        _drop(tx, actor.id or 0)

    in_transaction(desk, actor, work)


@act("people")
def drop_second(tx: Transaction, user_id: int) -> None:
    """By a manager, for somebody who lost their phone and their codes; asked for again at the next sign-in
    where the clinic wants it. Their passkeys go, too: the phone may hold them.
    """
    drop_passkeys_of(tx.connection, user_id)
    _drop(tx, user_id)


@act("people")
def ask_for_second(tx: Transaction, user_id: int) -> None:
    """They set one up at their next sign-in."""
    people.change_user(tx.connection, _locked(tx, user_id).id, must_second=True)
    tx.audit("second.asked", user=user_id)


def unasked(user: User) -> bool:
    """Whether a password alone lets them in, and nobody asked for more."""
    return user.active and user.second_at is None and not user.must_second


@act("people")
def ask_everyone(tx: Transaction) -> int:
    """All who were not asked; how many. New people are asked by their invitation."""
    alone = [each for each in people.active_users(tx.connection) if unasked(each)]
    for each in alone:
        people.change_user(tx.connection, each.id, must_second=True)
        tx.audit("second.asked", user=each.id)
    return len(alone)


def _drop(tx: Transaction, user_id: int) -> None:
    user = _locked(tx, user_id)
    people.change_user(tx.connection, user.id, second_sealed="", second_at=None)
    stored.replace_codes(tx.connection, user.id, [])
    tx.audit("second.off", user=user_id)


def _locked(tx: Transaction, user_id: int) -> User:
    user = people.locked_user(tx.connection, user_id)
    if user is None or not user.active:
        raise NotFound("There is no such person.")
    return user


def _hash(code: str) -> str:
    return hashlib.sha256(plain_recovery_code(code).encode()).hexdigest()

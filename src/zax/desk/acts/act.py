"""`@act("right")` makes a function an act: it checks the actor's right, opens the transaction, and tries
again when the database breaks a deadlock, or somebody else wrote the same key first: then it finds what they
wrote. That is the only place where anything is tried again.

An act that a form asked for claims the form's key first, in its own transaction: sent a second time, however
soon, it raises DoneBefore and changes nothing; refused, it leaves the key free.

What the database cannot take as it was sent, though no rule said so before, is refused in words here: an act
never ends as a defect because of what somebody typed.
"""

from __future__ import annotations

import functools
import random
import threading
from collections.abc import Callable
from contextlib import nullcontext
from typing import Concatenate, ParamSpec, TypeVar, cast

from zax.core.errors import Conflict, DoneBefore, Refused
from zax.core.people.roles import require
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import load
from zax.metrics import ACT_SECONDS, ACTS, timed
from zax.store.acts.setup_log import recording
from zax.store.acts.traces import claim_form
from zax.store.clinic.settings import setup_version
from zax.store.engine import NOT_TAKEN, TROUBLE, DBAPIError, error_number

P = ParamSpec("P")
T = TypeVar("T")
TRIES = 8
# Acts of these rights change the setup.
SETUP_RIGHTS = frozenset({"setup", "plans", "people"})
_DEADLOCK, _LOCK_TIMEOUT, _THERE_BEFORE = 1213, 1205, 1062
# By MariaDB's number: a row that is named is not there, a text is too long, a number too large.
_NOT_TAKEN = {
    1452: "Something on this form no longer exists. Reload the page and try again.",
    1406: "One of the fields is too long. Shorten it and try again.",
    1264: "One of the numbers is too large. Check it and try again.",
}


def act(
    right: str,
) -> Callable[[Callable[Concatenate[Transaction, P], T]], Callable[Concatenate[Desk, Actor, P], T]]:
    """Make `f(tx, ...)` an act called as `f(desk, actor, ...)`; errors of the core roll everything back."""

    def wrap(function: Callable[Concatenate[Transaction, P], T]) -> Callable[Concatenate[Desk, Actor, P], T]:
        name = f"{function.__module__.removeprefix('zax.desk.')}.{function.__name__}"

        @functools.wraps(function)
        def run(desk: Desk, actor: Actor, *args: P.args, **kwargs: P.kwargs) -> T:
            with timed(ACT_SECONDS, ACTS, name):
                require(actor.role, right, desk.clinic.roles.values())
                return in_transaction(
                    desk, actor, lambda tx: function(tx, *args, **kwargs), records=right in SETUP_RIGHTS
                )

        return cast("Callable[Concatenate[Desk, Actor, P], T]", run)

    return wrap


def in_transaction(desk: Desk, actor: Actor, work: Callable[[Transaction], T], records: bool = False) -> T:
    """Run `work` in a transaction; again on a deadlock, with a short random pause so that two do not meet
    again. `records`: what it changes of the setup is noted row by row.
    """
    key = actor.once.next_key() if actor.once else ""
    for attempt in range(1, TRIES + 1):
        try:
            return _once(desk, actor, work, key, records)
        except NOT_TAKEN as error:
            if error_number(error) != _THERE_BEFORE:
                raise refusal_of(error) from error
            if attempt == TRIES:
                raise Conflict("This was just done. Take another look.") from error
            _pause(attempt)
        except TROUBLE as error:
            if error_number(error) not in {_DEADLOCK, _LOCK_TIMEOUT} or attempt == TRIES:
                raise
            _pause(attempt)
    raise AssertionError("unreachable")


def _once(desk: Desk, actor: Actor, work: Callable[[Transaction], T], key: str, records: bool) -> T:
    with desk.engine.begin() as connection, recording(connection) if records else nullcontext():
        if key and not claim_form(connection, key, desk.clock.now()):
            raise DoneBefore("That’s already done.")
        version = setup_version(connection)
        if version is not None and version != desk.clinic.version:
            desk.adopt(load(connection))
        tx = Transaction(connection, desk, actor, desk.clock.now())
        done = work(tx)
        tx.flush()
    if tx.changed_clinic is not None:
        desk.adopt(tx.changed_clinic)
    return done


def refusal_of(error: DBAPIError) -> Refused:
    """What the database does not take, in words. One that we know nothing of is raised as it is."""
    words = _NOT_TAKEN.get(error_number(error))
    if words is None:
        raise error
    return Refused(words)


def _pause(attempt: int) -> None:
    threading.Event().wait(random.uniform(0.005, 0.03) * attempt)

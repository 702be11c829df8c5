"""The one way in which a password, a PIN or a code is judged: its try is counted before it is judged, so that
many at once count as many; too many shut that way for a while; and a wrong one goes on record.

Counted by the machine's clock, as sessions are, for they are about the machine and not the clinic's day.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from zax.clock import system_now
from zax.core.errors import Refused
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.people import people
from zax.store.people.people import TryLimits

TRIES_WITHIN = timedelta(minutes=5)
# For one name from one address, for a name, from an address, altogether.
LIMITS = TryLimits(pair=6, name=20, address=40, altogether=300)


@dataclass(frozen=True, slots=True, kw_only=True)
class Try:
    """`kind` of proof (password, PIN, code), `name` whose it is tried as, `field` where a refusal stands;
    `wrong` and `shut` what it says, and `user_id` whose it is where that is known.
    """

    kind: str
    name: str
    address: str
    field: str
    wrong: str
    shut: str
    limits: TryLimits = LIMITS
    within: timedelta = TRIES_WITHIN
    user_id: int | None = None


def judge(desk: Desk, tried: Try, right: Callable[[], bool]) -> None:
    """Refused for a wrong one, and after too many from this address, at this name, or altogether."""
    now, address = system_now(), tried.address[:45]

    def claim(tx: Transaction) -> bool:
        return people.claim_try(tx.connection, tried.name, address, now, now - tried.within, tried.limits)

    if not in_transaction(desk, WORKER, claim):
        raise Refused(tried.shut, tried.field)
    if not right():
        in_transaction(
            desk,
            WORKER,
            lambda tx: tx.audit("signed_in.refused", proof=tried.kind, address=address, user=tried.user_id),
        )
        raise Refused(tried.wrong, tried.field)
    in_transaction(desk, WORKER, lambda tx: people.forget_tries(tx.connection, tried.name, address))

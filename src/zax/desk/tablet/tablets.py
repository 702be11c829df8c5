"""Check-in tablets: the manager makes one for a site and opens its link on it once; from then on it shows
nothing but checking in there, until it is ended.
"""

from __future__ import annotations

import hashlib
import secrets

from zax.core.errors import NotFound, Refused
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.tablet import tablets as stored
from zax.store.tablet.tablets import Tablet

LONGEST_NAME = 40
NOT_SET_UP = "This tablet isn’t set up."


@act("setup")
def make_tablet(tx: Transaction, name: str, site_id: int) -> str:
    """A tablet for a site; the secret of the link that sets it up, told once. Refused beside `name`."""
    words = " ".join(name.split())
    if not words or len(words) > LONGEST_NAME:
        raise Refused(f"Give it a name of up to {LONGEST_NAME} letters, such as Front door.", "name")
    if site_id not in tx.clinic.sites:
        raise Refused("Choose the site.", "site")
    secret = secrets.token_urlsafe(24)
    number = stored.add_tablet(
        tx.connection,
        name=words,
        site_id=site_id,
        secret=hash_of(secret),
        made_at=tx.now,
        made_by=tx.actor.id,
    )
    tx.audit("tablet.made", tablet=number, name=words)
    return secret


@act("setup")
def end_tablet(tx: Transaction, number: int) -> None:
    """It shows nothing anymore."""
    row = next((each for each in stored.tablets(tx.connection) if each.id == number), None)
    if row is None:
        raise NotFound("There is no such tablet.")
    stored.end_stays(tx.connection, number, tx.now)
    stored.change_tablet(tx.connection, number, ended_at=tx.now)
    tx.audit("tablet.ended", tablet=number, name=row.name)


def hash_of(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def set_up(desk: Desk, secret: str) -> str:
    """The link was opened on a tablet: from now on only what it is given here opens it; the link is over.
    NotFound for one that names nothing.
    """

    def take(tx: Transaction) -> str:
        row = _known(tx, secret)
        if row.opened_at is not None:
            raise NotFound(NOT_SET_UP)
        kept = secrets.token_urlsafe(32)
        stored.change_tablet(tx.connection, row.id, secret=hash_of(kept), opened_at=tx.now)
        tx.audit("tablet.set_up", tablet=row.id)
        return kept

    return in_transaction(desk, WORKER, take)


def _known(tx: Transaction, secret: str) -> Tablet:
    row = stored.tablet_of(tx.connection, hash_of(secret)) if secret else None
    if row is None:
        raise NotFound(NOT_SET_UP)
    return row


def tablet_with(tx: Transaction, secret: str) -> Tablet:
    """The tablet that holds this secret. NotFound for none, or one that isn't set up yet."""
    row = _known(tx, secret)
    if row.opened_at is None:
        raise NotFound(NOT_SET_UP)
    return row

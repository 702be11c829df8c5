"""Cards on file: the terminal's token, the last four digits and the month of expiry. A number is never seen here, so it can never leak."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, select, update

from zax.core.errors import NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.outside.doors import Sale
from zax.store import schema


def cards_of(connection: Connection, household_id: int) -> list[Any]:
    """The household's cards that may be charged, the newest first."""
    c, p = schema.card_on_file, schema.patient
    query = select(c, p.c.first).join(p, p.c.id == c.c.patient_id)
    query = query.where(p.c.household_id == household_id, c.c.removed_at.is_(None)).order_by(c.c.id.desc())
    return list(connection.execute(query).all())


def usable_card(tx: Transaction, card_id: int, patient_id: int) -> Any:
    """A card on file of the patient's household; Refused when it was removed or is somebody else's."""
    p = schema.patient
    row = tx.one(select(p.c.household_id).where(p.c.id == patient_id))
    found = next(
        (each for each in cards_of(tx.connection, row.household_id if row else 0) if each.id == card_id), None
    )
    if found is None:
        raise Refused("This card is not on file any more. Choose another tender.", "tender-1")
    return found


def keep_card(tx: Transaction, patient_id: int, sale: Sale) -> None:
    """Put the card of an approved sale on file; the same token is kept once."""
    c = schema.card_on_file
    if tx.one(select(c.c.id).where(c.c.token == sale.token, c.c.removed_at.is_(None))) is None:
        tx.add(
            c,
            patient_id=patient_id,
            token=sale.token,
            ending=sale.card_ending,
            expires=sale.expires,
            made_at=tx.now,
            by_id=tx.actor.id,
        )
        tx.audit("card.kept", patient_id=patient_id, ending=sale.card_ending)


@act("payments")
def remove_card(tx: Transaction, card_id: int) -> str:
    """Take a card off file; plans that charged it wait for the desk from then on. Its ending."""
    c, plan = schema.card_on_file, schema.payment_plan
    row = tx.one(select(c).where(c.c.id == card_id, c.c.removed_at.is_(None)).with_for_update())
    if row is None:
        raise NotFound("There is no such card on file.")
    tx.connection.execute(update(c).where(c.c.id == card_id).values(removed_at=tx.now))
    tx.connection.execute(update(plan).where(plan.c.card_id == card_id).values(card_id=None))
    tx.audit("card.removed", patient_id=row.patient_id, ending=row.ending)
    return str(row.ending)

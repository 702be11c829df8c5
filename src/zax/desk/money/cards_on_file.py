"""Cards on file: the terminal's token, the last four digits and the month of expiry. A number is never seen
here, so it can never leak.
"""

from __future__ import annotations

from zax.core.errors import NotFound, Refused
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.outside.doors import Sale
from zax.store.money import payments
from zax.store.money.records import CardOnFile
from zax.store.patients.patients import household_of


def usable_card(tx: Transaction, card_id: int, patient_id: int) -> CardOnFile:
    """A card on file of the patient's household; Refused when it was removed or is somebody else's."""
    household_id = household_of(tx.connection, patient_id) or 0
    cards = payments.cards_of(tx.connection, household_id)
    found = next((each for each in cards if each.id == card_id), None)
    if found is None:
        raise Refused("This card isn’t on file anymore. Choose another payment type.", "tender-1")
    return found


def keep_card(tx: Transaction, patient_id: int, sale: Sale) -> None:
    """Put the card of an approved sale on file; the same token is kept once."""
    if not payments.token_known(tx.connection, sale.token):
        payments.add_card(
            tx.connection,
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
    card = payments.card_of(tx.connection, card_id) if payments.hold_card(tx.connection, card_id) else None
    if card is None:
        raise NotFound("There is no such card on file.")
    payments.remove_card(tx.connection, card_id, tx.now)
    tx.audit("card.removed", patient_id=card.patient_id, ending=card.ending)
    return card.ending

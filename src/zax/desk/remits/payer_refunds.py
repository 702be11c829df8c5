"""A payer that paid too much gets it back: a check of ours, drawn on the credit that its overpayment became.
It stands on the payer's account until the payer says that it has it (PLB 72), or takes the money another way.
"""

from __future__ import annotations

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.form import Form, Reference
from zax.core.money.journal import Kind, credit_left
from zax.core.remits.provider_level import REFUND_SENT, level_words
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.claims.claims import add_event
from zax.desk.money.ledger import OwnLedger, add_entry, books_day
from zax.desk.money.posting import lock_household, tell_money
from zax.store.engine import Connection
from zax.store.money import journal
from zax.store.money import queries as money
from zax.store.remits import payer_account
from zax.store.remits.payer_account import OverpaidCredit


class RefundForm(Form):
    """`entry_id` is the credit, `number` that of the clinic's check."""

    entry_id: Reference
    number: str = ""


def overpaid_credits(connection: Connection) -> list[OverpaidCredit]:
    """Credits that came of a payer's overpayment and have something left."""
    return [each for each in payer_account.overpaid(connection) if each.left_cents > 0]


@act("claims")
def refund_payer(tx: Transaction, form: RefundForm) -> int:
    """Give what is left of the credit back to its payer; the entry. Refused without a check number."""
    credit = journal.entry_of(tx.connection, form.entry_id)
    source = journal.entry_of(tx.connection, credit.of_id) if credit and credit.of_id else None
    if credit is None or source is None or source.claim_id is None or credit.visit_id is not None:
        raise NotFound("There is no such credit of a payer.")
    if not form.number.strip():
        raise Refused("Enter the number of the check you send.", "number")
    lock_household(tx, credit.patient_id)
    own = OwnLedger(credit.patient_id, credit.site_id)
    entries = money.ledger_entries(tx.connection, credit.patient_id, None)
    given = money.ledger_allocations(tx.connection, credit.patient_id, None)
    left = credit_left(entries, given).get(credit.id, 0)
    if left <= 0:
        raise Conflict("Nothing of this credit is left. Look at the account.")
    who = payer_account.payer_of_claim(tx.connection, source.claim_id)
    words = f"Refunded to {who.name}, check {form.number.strip()[:30]}"
    made = add_entry(tx, own, Kind.REFUND, left, 0, words, of_id=credit.id, claim_id=source.claim_id)
    payer_account.add_entry(
        tx.connection,
        payer=who.name,
        payer_id=who.id,
        claim_id=source.claim_id,
        site_id=credit.site_id,
        day=books_day(tx, credit.site_id),
        reason=REFUND_SENT,
        reference=form.number.strip(),
        cents=left,
        words=f"{level_words(REFUND_SENT)}, check {form.number.strip()[:30]}",
        at=tx.now,
        by_id=tx.actor.id,
    )
    add_event(tx, source.claim_id, f"{words}: {dollars(left)}")
    tx.audit("payment.payer_refund", patient_id=credit.patient_id, cents=left)
    tell_money(tx, own)
    return made

"""What the terminal said of a payment, or did not say: writing it down, once, by the payment's key; asking
again later when no answer came.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta

from zax.core.errors import NotFound
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.track import locked_visit
from zax.desk.money.cards_on_file import keep_card
from zax.desk.money.ledger import books_day, settle
from zax.desk.money.posting import ledger_of, post_back, post_payment, tell_money
from zax.desk.money.receipts import mail_receipt
from zax.outside.doors import OutsideTrouble, Sale, Terminal
from zax.store.book.records import Visit
from zax.store.money import payments
from zax.store.money.records import Payment

CLARIFY_AFTER = timedelta(seconds=15)


@dataclass(frozen=True, slots=True, kw_only=True)
class TenderResult:
    """What became of one tender; `words` is the sentence to show."""

    payment_id: int
    key: str
    tender: str
    state: PaymentState
    cents: int
    asked: int
    words: str

    @property
    def whole(self) -> bool:
        return self.state == PaymentState.TAKEN and self.cents == self.asked


@act("payments")
def close_payment(tx: Transaction, key: str, sale: Sale) -> TenderResult:
    """Write down what the terminal said; a payment already closed stays as it is."""
    payment = payments.payment_by_key(tx.connection, key)
    if payment is None:
        raise NotFound("There is no such payment.")
    named = payments.ledgers_of_payment(tx.connection, payment.id)
    ledgers = [ledger_of(tx, row.patient_id, row.visit_id, payment.site_id) for row in named]
    payment = held_payment(tx, key)
    if payment.state not in OPEN_STATES:
        return result_of(payment)
    state = {"approved": PaymentState.TAKEN, "unknown": PaymentState.UNKNOWN}.get(
        sale.state, PaymentState.DECLINED
    )
    closed = _closed(tx, payment, sale, state)
    payments.save_payment(tx.connection, payment, closed)
    _shrink(tx, payment.id, payment.cents - closed.cents)
    if sale.token:
        keep_card(tx, payment.patient_id, sale)
    payment = closed
    if state == PaymentState.TAKEN:
        _post(tx, payment)
    if state != PaymentState.UNKNOWN:
        for ledger in ledgers:
            settle(tx, locked_visit(tx, ledger.id) if isinstance(ledger, Visit) else ledger)
        mail_receipt(tx, payment.receipt_id)
    tx.audit(
        "payment.closed",
        patient_id=payment.patient_id,
        visit_id=payment.visit_id,
        state=state,
        words=sale.words,
    )
    for ledger in ledgers:
        tell_money(tx, ledger)
    return result_of(payment)


def _post(tx: Transaction, payment: Payment) -> None:
    if payment.kind == "payment":
        post_payment(tx, payment)
    else:
        post_back(tx, payment)


def _closed(tx: Transaction, payment: Payment, sale: Sale, state: PaymentState) -> Payment:
    """The payment as the terminal left it: it may have approved less."""
    closed = replace(
        payment,
        state=state,
        card_ending=sale.card_ending or payment.card_ending,
        terminal_ref=sale.reference,
    )
    if payment.kind == "payment" or state == PaymentState.DECLINED:
        closed = replace(closed, words=sale.words[:200])  # else why it was given back stays
    if state != PaymentState.TAKEN:
        return closed
    # The day may have been closed while the terminal was silent.
    closed = replace(closed, day=books_day(tx, payment.site_id))
    less = sale.cents is not None and 0 < sale.cents < payment.cents
    return replace(closed, cents=sale.cents) if less and sale.cents is not None else closed


def _shrink(tx: Transaction, payment_id: int, less: int) -> None:
    """The terminal approved less: the parts named last go without."""
    for part in reversed(payments.parts_of(tx.connection, payment_id) if less else []):
        off = min(less, part.cents)
        less -= off
        if off:
            payments.shrink_part(tx.connection, part, off)


def held_payment(tx: Transaction, key: str) -> Payment:
    """The payment of this key, held until the act ends; NotFound when there is none."""
    payment = payments.payment_by_key_for_update(tx.connection, key)
    if payment is None:
        raise NotFound("There is no such payment.")
    return payment


def ask_later(tx: Transaction, key: str) -> None:
    """Should this process die before the answer is written, the worker asks the terminal by the key."""
    tx.send("terminal", f"terminal-{key}", {"key": key}, tx.now + CLARIFY_AFTER)


def result_of(payment: Payment) -> TenderResult:
    state = PaymentState(payment.state)
    return TenderResult(
        payment_id=payment.id,
        key=payment.request_key,
        tender=payment.tender,
        state=state,
        cents=payment.cents,
        asked=payment.asked_cents,
        words=_said(payment, state),
    )


def _said(payment: Payment, state: PaymentState) -> str:
    """What became of it, as a sentence for the page."""
    back = payment.kind != "payment"
    if state == PaymentState.DECLINED:
        why = payment.words or "no reason given"
        return (
            f"The bank declined it: {why}. Nothing was refunded."
            if back
            else f"The card was declined: {why}. Try another card or payment type."
        )
    if state == PaymentState.UNKNOWN:
        what = (
            "The refund isn’t confirmed yet. It’s never done twice."
            if back
            else "The payment isn’t confirmed yet. It’s never charged twice."
        )
        return f"The terminal didn’t answer. {what}"
    if state == PaymentState.ASKING:
        return "The terminal is being asked."
    if payment.cents != payment.asked_cents:
        return (
            f"Only {dollars(payment.cents)} of {dollars(payment.asked_cents)} was approved."
            " Take the rest another way."
        )
    return "Refunded." if back else "Paid."


def clarify(desk: Desk, terminal: Terminal, key: str) -> None:
    """The worker's part: ask the terminal what became of a payment that is not closed yet. Raises
    OutsideTrouble while it does not know.
    """
    with desk.engine.connect() as connection:
        payment = payments.payment_by_key(connection, key)
    if payment is None or payment.state not in OPEN_STATES:
        return
    sale = terminal.look_up(key)
    if sale.state == "unknown":
        raise OutsideTrouble(sale.words)
    close_payment(desk, WORKER, key, sale)

"""What the terminal said of a payment, or did not say: writing it down, once, by the payment's key; asking again later when no answer came."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import delete, select, update

from zax.core.errors import NotFound
from zax.core.money.cents import plain
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.desk.acts.act import act
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.track import locked_visit
from zax.desk.money.cards_on_file import keep_card
from zax.desk.money.ledger import books_day, settle
from zax.desk.money.posting import ledger_of, post_back, post_payment, tell_money
from zax.desk.money.receipts import mail_receipt
from zax.outside.doors import OutsideTrouble, Sale, Terminal
from zax.store import schema

CLARIFY_AFTER = timedelta(seconds=15)


@dataclass(frozen=True, slots=True)
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
    p, part = schema.payment, schema.payment_part
    payment = tx.one(select(p).where(p.c.request_key == key))
    if payment is None:
        raise NotFound("There is no such payment.")
    named = tx.rows(select(part.c.patient_id, part.c.visit_id).where(part.c.payment_id == payment.id).distinct())
    named = sorted(named, key=lambda row: (row.visit_id is None, row.visit_id or 0))
    ledgers = [ledger_of(tx, row.patient_id, row.visit_id, payment.site_id) for row in named]
    payment = payment_by_key(tx, key)
    if payment.state not in OPEN_STATES:
        return result_of(payment)
    state = {"approved": PaymentState.TAKEN, "unknown": PaymentState.UNKNOWN}.get(sale.state, PaymentState.DECLINED)
    values: dict[str, Any] = {
        "state": state,
        "card_ending": sale.card_ending or payment.card_ending,
        "terminal_ref": sale.reference,
    }
    if payment.kind == "payment" or state == PaymentState.DECLINED:
        values["words"] = sale.words[:200]  # else why it was given back stays
    if state == PaymentState.TAKEN:
        values["day"] = books_day(tx, payment.site_id)  # the day may have been closed while the terminal was silent
    if state == PaymentState.TAKEN and sale.cents is not None and 0 < sale.cents < payment.cents:
        values["cents"] = sale.cents
        _shrink(tx, payment.id, payment.cents - sale.cents)
    tx.connection.execute(update(p).where(p.c.id == payment.id).values(**values))
    if sale.token:
        keep_card(tx, payment.patient_id, sale)
    payment = payment_by_key(tx, key)
    if state == PaymentState.TAKEN:
        _post(tx, payment)
    if state != PaymentState.UNKNOWN:
        for ledger in ledgers:
            settle(tx, locked_visit(tx, ledger.id) if ledger.id is not None else ledger)
        mail_receipt(tx, payment.receipt_id)
    tx.audit(
        "payment.closed", patient_id=payment.patient_id, visit_id=payment.visit_id, state=state, words=sale.words
    )
    for ledger in ledgers:
        tell_money(tx, ledger)
    return result_of(payment)


def _post(tx: Transaction, payment: Any) -> None:
    if payment.kind == "payment":
        post_payment(tx, payment)
    else:
        post_back(tx, payment)


def _shrink(tx: Transaction, payment_id: int, less: int) -> None:
    """The terminal approved less: the parts named last go without."""
    part = schema.payment_part
    for row in tx.rows(select(part).where(part.c.payment_id == payment_id).order_by(part.c.id.desc())):
        off = min(less, row.cents)
        less -= off
        change = update(part).values(cents=row.cents - off) if off < row.cents else delete(part)
        tx.connection.execute(change.where(part.c.id == row.id))
        if not less:
            return


def payment_by_key(tx: Transaction, key: str) -> Any:
    return tx.one(select(schema.payment).where(schema.payment.c.request_key == key).with_for_update())


def ask_later(tx: Transaction, key: str) -> None:
    """Should this process die before the answer is written, the worker asks the terminal by the key."""
    tx.send("terminal", f"terminal-{key}", {"key": key}, tx.now + CLARIFY_AFTER)


def result_of(payment: Any) -> TenderResult:
    state = PaymentState(payment.state)
    return TenderResult(
        payment.id,
        payment.request_key,
        payment.tender,
        state,
        payment.cents,
        payment.asked_cents,
        _said(payment, state),
    )


def _said(payment: Any, state: PaymentState) -> str:
    """What became of it, as a sentence for the page."""
    back = payment.kind != "payment"
    if state == PaymentState.DECLINED:
        why = payment.words or "no reason given"
        return (
            f"The bank refused it: {why}. Nothing was given back."
            if back
            else f"The card was declined: {why}. Try another card or tender."
        )
    if state == PaymentState.UNKNOWN:
        what = (
            "Giving it back is being clarified and is never done twice."
            if back
            else "The payment is being clarified and is never charged twice."
        )
        return f"The terminal gave no answer. {what}"
    if state == PaymentState.ASKING:
        return "The terminal is being asked."
    if payment.cents != payment.asked_cents:
        return f"Only {plain(payment.cents)} of {plain(payment.asked_cents)} was approved. Take the rest another way."
    return "Given back." if back else "Paid."


def clarify(desk: Desk, terminal: Terminal, key: str) -> None:
    """The worker's part: ask the terminal what became of a payment that is not closed yet. Raises OutsideTrouble while it does not know."""
    with desk.engine.connect() as connection:
        query = select(schema.payment.c.state).where(schema.payment.c.request_key == key)
        state = connection.execute(query).scalar_one()
    if state not in OPEN_STATES:
        return
    sale = terminal.look_up(key)
    if sale.state == "unknown":
        raise OutsideTrouble(sale.words)
    close_payment(desk, WORKER, key, sale)

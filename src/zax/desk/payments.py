"""Taking a payment. It is written down before the terminal is asked, under the key of the form, so that pressing twice, a lost
answer or a crash can neither charge twice nor forget: what is not known is *being clarified* until the terminal says.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import select, update

from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.journal import Kind
from zax.core.money.tender import TENDER_WORDS, PaymentState, Tender, check_not_over, check_tender
from zax.desk.money import add_entry, due_now, settle_visit
from zax.desk.track import locked_visit
from zax.desk.unit import Actor, Desk, Unit, act
from zax.outside.doors import Sale, Terminal
from zax.store import schema

CLARIFY_AFTER = timedelta(seconds=15)


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of a payment: `words` is the sentence to show."""

    payment_id: int
    state: PaymentState
    cents: int
    words: str


def take_payment(
    desk: Desk,
    actor: Actor,
    terminal: Terminal,
    visit_id: int,
    tender: str,
    amount: str,
    cheque_number: str,
    key: str,
) -> Taken:
    """Take one tender for a visit. Raises Problems or Refused before anything is asked of the terminal."""
    if not key or len(key) > 40:
        raise Refused("This form is out of date. Reload the page; nothing was taken.", "amount")
    opened, is_new = open_payment(desk, actor, visit_id, tender, amount, cheque_number, key)
    if not is_new or opened.state != PaymentState.ASKING:
        return opened
    return close_payment(desk, actor, key, terminal.sell(key, opened.cents))


@act("payments")
def open_payment(
    unit: Unit, visit_id: int, tender: str, amount: str, cheque_number: str, key: str
) -> tuple[Taken, bool]:
    """The payment of this key, and whether this call made it. Cash and cheque are final at once."""
    visit = locked_visit(unit, visit_id)
    found = _by_key(unit, key)
    if found is not None:
        return _taken(found), False
    tendered = check_tender(tender, amount, cheque_number)
    if visit.state not in {Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED}:
        raise Conflict("Nothing is charged for this visit yet, so there is nothing to pay.", "amount")
    check_not_over(tendered.cents, due_now(unit.connection, visit.id))
    state = PaymentState.ASKING if tendered.tender == Tender.CARD else PaymentState.TAKEN
    unit.add(
        schema.payment, request_key=key, patient_id=visit.patient_id, visit_id=visit.id, tender=tendered.tender, cents=tendered.cents,
        cheque_number=tendered.cheque_number, state=state, day=unit.business_day(visit.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    payment = _by_key(unit, key)
    if state == PaymentState.TAKEN:
        _post(unit, visit, payment)
    else:
        _ask_later(unit, key)
    unit.audit(
        "payment.opened", patient_id=visit.patient_id, visit_id=visit.id, tender=tendered.tender, cents=tendered.cents
    )
    return _taken(payment), True


@act("payments")
def close_payment(unit: Unit, key: str, sale: Sale) -> Taken:
    """Write down what the terminal said; a payment already closed stays as it is."""
    payment = unit.one(select(schema.payment).where(schema.payment.c.request_key == key))
    if payment is None:
        raise NotFound("There is no such payment.")
    visit = locked_visit(unit, payment.visit_id)
    payment = _by_key(unit, key)
    if payment.state not in {PaymentState.ASKING, PaymentState.UNKNOWN}:
        return _taken(payment)
    state = {"approved": PaymentState.TAKEN, "unknown": PaymentState.UNKNOWN}.get(sale.state, PaymentState.DECLINED)
    unit.connection.execute(
        update(schema.payment)
        .where(schema.payment.c.id == payment.id)
        .values(state=state, words=sale.words[:200], card_ending=sale.card_ending, terminal_ref=sale.reference)
    )
    payment = _by_key(unit, key)
    if state == PaymentState.TAKEN:
        _post(unit, visit, payment)
    elif state == PaymentState.DECLINED:
        settle_visit(unit, visit)
    unit.audit("payment.closed", patient_id=visit.patient_id, visit_id=visit.id, state=state, words=sale.words)
    unit.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return _taken(payment)


def _by_key(unit: Unit, key: str) -> Any:
    return unit.one(select(schema.payment).where(schema.payment.c.request_key == key).with_for_update())


def _post(unit: Unit, visit: Any, payment: Any) -> None:
    words = f"Patient paid, {tender_words(payment)}"
    add_entry(unit, visit, Kind.PAYMENT, -payment.cents, 0, words, payment_id=payment.id)
    settle_visit(unit, visit)
    unit.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


def tender_words(payment: Any) -> str:
    words = TENDER_WORDS[Tender(payment.tender)].lower()
    if payment.cheque_number:
        return f"{words} {payment.cheque_number}"
    return f"{words} ending {payment.card_ending}" if payment.card_ending else words


def _ask_later(unit: Unit, key: str) -> None:
    """Should this process die before the answer is written, the worker asks the terminal by the key."""
    unit.connection.execute(
        schema.outbox.insert().values(
            kind="terminal", request_key=f"terminal-{key}", payload={"key": key}, state="waiting",
            due_at=unit.now + CLARIFY_AFTER, made_at=unit.now,
        )
    )  # fmt: skip


def _taken(payment: Any) -> Taken:
    words = {
        PaymentState.TAKEN: "Paid.",
        PaymentState.DECLINED: f"The card was declined: {payment.words or 'no reason given'}. Try another card or tender.",
        PaymentState.UNKNOWN: "The terminal gave no answer. The payment is being clarified and is never charged twice.",
        PaymentState.ASKING: "The terminal is still being asked. Nothing is charged twice.",
    }
    state = PaymentState(payment.state)
    return Taken(payment.id, state, payment.cents, words[state])

"""Money refunded: refund, void and the check that the bank returned. Each is a payment with the sign
turned that names its original.
"""

from __future__ import annotations

from pydantic import Field

from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.form import CentsOrNone, Form, Reference
from zax.core.money.adjust import check_limit
from zax.core.money.cents import no_amount
from zax.core.money.journal import Kind
from zax.core.money.tender import BY_CARD, PaymentState, Tender
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.money.corrections import charge_own
from zax.desk.money.ledger import OwnLedger, books_day
from zax.desk.money.posting import ledger_of, post_back, tell_money
from zax.desk.money.terminal import TenderResult, ask_later, close_payment, held_payment, result_of
from zax.outside.doors import Terminal
from zax.store.money import payments
from zax.store.money.records import NewPart, NewPayment, Payment


class BackForm(Form):
    """Money to refund; a voided payment goes back whole, without an amount. `key` is the form's own."""

    payment_id: Reference = Field(default=0, validation_alias="payment")
    amount: CentsOrNone = None
    why: str = ""
    key: str


def refund(desk: Desk, actor: Actor, terminal: Terminal, form: BackForm) -> TenderResult:
    """Give (part of) a payment back to the tender it came from. Raises Refused above what was paid,
    NotAllowed above the role's limit.
    """
    return _give_back(desk, actor, terminal, *open_back(desk, actor, "refund", form))


def void(desk: Desk, actor: Actor, terminal: Terminal, form: BackForm) -> TenderResult:
    """Undo a payment of today's books whole, as if it had not been taken."""
    return _give_back(desk, actor, terminal, *open_back(desk, actor, "void", form))


def _give_back(
    desk: Desk, actor: Actor, terminal: Terminal, opened: TenderResult, is_new: bool, reference: str
) -> TenderResult:
    if not is_new or opened.state != PaymentState.ASKING:
        return opened
    return close_payment(desk, actor, opened.key, terminal.give_back(opened.key, -opened.asked, reference))


@act("payments")
def open_back(tx: Transaction, kind: str, form: BackForm) -> tuple[TenderResult, bool, str]:
    """Write the refund down before anything is paid; again with the same key it is the same one."""
    paid = _held_payment(tx, form.payment_id)
    known = payments.payment_by_key_for_update(tx.connection, f"{form.key}-1")
    if known is not None:
        return result_of(known), False, paid.terminal_ref
    left = paid.cents - given_back(tx, paid.id)
    cents = left if kind == "void" else form.amount
    if cents is None:
        raise no_amount()
    _check_back(tx, kind, paid, cents, left, form.why)
    state = PaymentState.ASKING if paid.tender in BY_CARD else PaymentState.TAKEN
    back = _write_back(tx, paid, kind, form.key, cents, state, form.why)
    if state == PaymentState.TAKEN:
        post_back(tx, back)
    else:
        ask_later(tx, back.request_key)
    tx.audit(
        f"payment.{kind}",
        patient_id=paid.patient_id,
        visit_id=paid.visit_id,
        payment=paid.id,
        cents=cents,
        why=form.why.strip(),
    )
    return result_of(back), True, paid.terminal_ref


def _held_payment(tx: Transaction, payment_id: int) -> Payment:
    """A taken payment, its ledgers locked first, in the order of every act on money."""
    paid = payments.payment_of(tx.connection, payment_id)
    if paid is None or paid.kind != "payment":
        raise NotFound("There is no such payment.")
    for row in payments.ledgers_of_payment(tx.connection, payment_id):
        ledger_of(tx, row.patient_id, row.visit_id, paid.site_id)
    paid = payments.payment_for_update(tx.connection, payment_id) or paid
    if paid.state != PaymentState.TAKEN:
        raise Conflict("This payment wasn’t taken, so there’s nothing to refund.", "amount")
    return paid


def given_back(tx: Transaction, payment_id: int) -> int:
    """Cents of a payment that were refunded, voided or returned, or that the terminal is being asked to give
    back.
    """
    back = payments.given_back_of(tx.connection, [payment_id])
    return -sum(each.cents for each in back if each.state != PaymentState.DECLINED)


def _check_back(tx: Transaction, kind: str, paid: Payment, cents: int, left: int, why: str) -> None:
    wrong = ProblemCollector()
    if not why.strip():
        wrong.add("why", "Say why. It shows on the account.")
    if left <= 0:
        wrong.add("amount", "This payment was already fully refunded.")
    elif cents > left:
        wrong.add(
            "amount", f"Only {dollars(left)} of this payment is left, so that’s the most you can refund."
        )
    wrong.raise_if_any()
    if kind == "void" and paid.day != books_day(tx, paid.site_id):
        raise Conflict("Its day is closed or over, so it can’t be voided. Refund it instead.", "amount")
    if kind == "refund":
        before = payments.refunded_by(tx.connection, paid.id, books_day(tx, paid.site_id), tx.actor.role.key)
        check_limit(cents, tx.actor.role, tx.clinic.money.limits, "refund", before, tx.clinic.roles.values())


def _write_back(
    tx: Transaction, paid: Payment, kind: str, key: str, cents: int, state: PaymentState, why: str
) -> Payment:
    """A receipt that gives `cents` of a payment back, with one tender: the one it was paid with."""
    day = books_day(tx, paid.site_id)
    receipt_id = payments.add_receipt(
        tx.connection,
        request_key=key,
        patient_id=paid.patient_id,
        site_id=paid.site_id,
        day=day,
        at=tx.now,
        by_id=tx.actor.id,
    )
    made = NewPayment(
        request_key=f"{key}-1",
        receipt_id=receipt_id,
        kind=kind,
        of_id=paid.id,
        patient_id=paid.patient_id,
        visit_id=paid.visit_id,
        site_id=paid.site_id,
        tender=paid.tender,
        cents=-cents,
        check_number=paid.check_number,
        card_ending=paid.card_ending,
        card_id=paid.card_id,
        state=state,
        words=why.strip()[:200],
        day=day,
        at=tx.now,
        by_id=tx.actor.id,
    )
    back_id = payments.add_payment(tx.connection, made)
    payments.add_parts(tx.connection, back_id, _negative_parts(tx, paid.id, cents))
    return held_payment(tx, made.request_key)


def _negative_parts(tx: Transaction, payment_id: int, cents: int) -> list[NewPart]:
    """The parts of what is refunded mirror those of the payment, the last named first."""
    made = []
    for part in reversed(payments.parts_of(tx.connection, payment_id)):
        off = min(cents, part.cents)
        cents -= off
        if off:
            made.append(NewPart(part.patient_id, part.visit_id, part.line_id, -off))
    return made


@act("payments")
def check_returned(tx: Transaction, payment_id: int, why: str, with_fee: bool) -> int:
    """The bank sent a check back: it is undone, what it paid is open again, and the clinic's fee is charged.
    The fee in cents.
    """
    paid = _held_payment(tx, payment_id)
    if paid.tender != Tender.CHECK:
        raise Refused("Only a check can be returned by the bank.", "why")
    if _was_undone(tx, paid):
        raise Conflict("This check was already returned or voided.", "why")
    ledger = _undo_whole(tx, paid, why, f"Check {paid.check_number} was returned")
    fee = tx.clinic.money.returned_fee if with_fee else 0
    if fee:
        charge_own(tx, ledger, "fee", Kind.FEE, fee, f"Fee, check {paid.check_number} was returned")
    tx.audit("check.returned", patient_id=paid.patient_id, visit_id=paid.visit_id, payment=paid.id, fee=fee)
    tell_money(tx, ledger)
    return fee


def _was_undone(tx: Transaction, paid: Payment) -> bool:
    back = payments.given_back_of(tx.connection, [paid.id])
    return any(each.kind in {"returned", "void"} and each.state != PaymentState.DECLINED for each in back)


def _undo_whole(tx: Transaction, paid: Payment, why: str, what: str) -> OwnLedger:
    """The bank has the money back: what it paid is open again, and what was refunded before is owed."""
    before = given_back(tx, paid.id)
    back = _write_back(tx, paid, "returned", f"returned-{paid.id}", paid.cents, PaymentState.TAKEN, why)
    unpaid = post_back(tx, back)
    ledger = OwnLedger(paid.patient_id, paid.site_id)
    if unpaid and before:  # refunded before it bounced: the person had that money
        words = f"{what} after {dollars(unpaid)} of it was refunded"
        charge_own(tx, ledger, "fee", Kind.FEE, unpaid, words)
    return ledger


def card_taken_back(tx: Transaction, key: str, why: str) -> int | None:
    """The bank took a card payment back, by the payment's key: its patient. None where it isn't ours, or is
    undone already; nothing then happens twice.
    """
    known = payments.payment_by_key(tx.connection, key)
    if known is None or known.tender not in BY_CARD or known.state != PaymentState.TAKEN:
        return None
    paid = _held_payment(tx, known.id)
    if _was_undone(tx, paid):
        return None
    ledger = _undo_whole(tx, paid, why, "A card payment was taken back by the bank")
    tx.audit("card.taken_back", patient_id=paid.patient_id, visit_id=paid.visit_id, payment=paid.id, why=why)
    tell_money(tx, ledger)
    return paid.patient_id

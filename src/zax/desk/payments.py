"""Taking a payment. It is written down before the terminal is asked, under the key of the form, so that pressing twice, a lost
answer or a crash can neither charge twice nor forget: what is not known is *being clarified* until the terminal says.

A payment has a part for every visit it is for: today's, and what was still open from earlier ones. Before anything is charged it
stays as credit of its visit, and the charges find it there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import insert, select, update

from zax.core.book.track import FREES_THE_TIME, Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.journal import Kind
from zax.core.money.tender import TENDER_WORDS, PaymentState, Tender, check_not_over, check_tender, split_over
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


@dataclass(frozen=True, slots=True)
class PayForm:
    """A payment as typed; `also` are earlier visits of the household that it is to pay as well, `key` the form's own."""

    tender: str
    amount: str
    cheque_number: str
    key: str
    also: Sequence[int] = ()


def take_payment(desk: Desk, actor: Actor, terminal: Terminal, visit_id: int, form: PayForm) -> Taken:
    """Take one tender for a visit. Raises Problems or Refused before anything is asked of the terminal."""
    if not form.key or len(form.key) > 40:
        raise Refused("This form is out of date. Reload the page; nothing was taken.", "amount")
    opened, is_new = open_payment(desk, actor, visit_id, form)
    if not is_new or opened.state != PaymentState.ASKING:
        return opened
    return close_payment(desk, actor, form.key, terminal.sell(form.key, opened.cents))


@act("payments")
def open_payment(unit: Unit, visit_id: int, form: PayForm) -> tuple[Taken, bool]:
    """The payment of this key, and whether this call made it. Cash and cheque are final at once."""
    wanted = sorted({visit_id, *form.also})
    locked = {number: locked_visit(unit, number) for number in wanted}  # always in the same order
    visit = locked[visit_id]
    found = _by_key(unit, form.key)
    if found is not None:
        return _taken(found), False
    tendered = check_tender(form.tender, form.amount, form.cheque_number)
    if visit.state in FREES_THE_TIME or visit.state == Stop.HELD:
        raise Conflict("This visit is not on the Book, so nothing can be taken for it.", "amount")
    if any(row.household_id != visit.household_id for row in locked.values()):
        raise Refused("One of these visits belongs to another household. Reload the page; nothing was taken.", "also")
    parts = _parts(unit, visit, [row for number, row in locked.items() if number != visit_id], tendered.cents)
    state = PaymentState.ASKING if tendered.tender == Tender.CARD else PaymentState.TAKEN
    payment_id = unit.add(
        schema.payment, request_key=form.key, patient_id=visit.patient_id, visit_id=visit.id, tender=tendered.tender, cents=tendered.cents,
        cheque_number=tendered.cheque_number, state=state, day=unit.business_day(visit.site_id), at=unit.now, by_id=unit.actor.id,
    )  # fmt: skip
    rows = [{"payment_id": payment_id, "visit_id": number, "cents": cents} for number, cents in parts]
    unit.connection.execute(insert(schema.payment_part), rows)
    payment = _by_key(unit, form.key)
    if state == PaymentState.TAKEN:
        _post(unit, payment)
    else:
        _ask_later(unit, form.key)
    unit.audit(
        "payment.opened", patient_id=visit.patient_id, visit_id=visit.id, tender=tendered.tender, cents=tendered.cents
    )
    return _taken(payment), True


def _parts(unit: Unit, visit: Any, earlier: Sequence[Any], cents: int) -> list[tuple[int, int]]:
    """What of the payment is for which visit: this one first, then the earlier ones, oldest first. Money before charges is all this visit's."""
    earlier = sorted(earlier, key=lambda row: (row.day, row.id))
    owed = [(row.id, due_now(unit.connection, row.id)) for row in earlier]
    if visit.state not in {Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED}:
        return split_over(cents, [*owed, (visit.id, cents)] if earlier else [(visit.id, cents)])
    due = [(visit.id, due_now(unit.connection, visit.id)), *owed]
    check_not_over(cents, sum(max(0, each) for _, each in due))
    return split_over(cents, due)


@act("payments")
def close_payment(unit: Unit, key: str, sale: Sale) -> Taken:
    """Write down what the terminal said; a payment already closed stays as it is."""
    p, part = schema.payment, schema.payment_part
    payment = unit.one(select(p).where(p.c.request_key == key))
    if payment is None:
        raise NotFound("There is no such payment.")
    visits = [row.visit_id for row in unit.rows(select(part.c.visit_id).where(part.c.payment_id == payment.id))]
    locked = [locked_visit(unit, number) for number in sorted(visits)]
    payment = _by_key(unit, key)
    if payment.state not in {PaymentState.ASKING, PaymentState.UNKNOWN}:
        return _taken(payment)
    state = {"approved": PaymentState.TAKEN, "unknown": PaymentState.UNKNOWN}.get(sale.state, PaymentState.DECLINED)
    unit.connection.execute(
        update(p).where(p.c.id == payment.id).values(
            state=state, words=sale.words[:200], card_ending=sale.card_ending, terminal_ref=sale.reference
        )
    )  # fmt: skip
    payment = _by_key(unit, key)
    if state == PaymentState.TAKEN:
        _post(unit, payment)
    elif state == PaymentState.DECLINED:
        for visit in locked:
            settle_visit(unit, visit)
    unit.audit(
        "payment.closed", patient_id=payment.patient_id, visit_id=payment.visit_id, state=state, words=sale.words
    )
    for visit in locked:
        unit.tell("money", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return _taken(payment)


def _by_key(unit: Unit, key: str) -> Any:
    return unit.one(select(schema.payment).where(schema.payment.c.request_key == key).with_for_update())


def _post(unit: Unit, payment: Any) -> None:
    """An entry for every part, each settled with its visit."""
    part = schema.payment_part
    words = f"Patient paid, {tender_words(payment)}"
    for row in unit.rows(select(part).where(part.c.payment_id == payment.id).order_by(part.c.visit_id)):
        visit = locked_visit(unit, row.visit_id)
        add_entry(unit, visit, Kind.PAYMENT, -row.cents, 0, words, payment_id=payment.id)
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

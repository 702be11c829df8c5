"""Paying online: on the card door's own page, so that no card number ever reaches us. It is written down
before anybody is sent there, under one key, so that a lost answer or a crash can neither charge twice nor
forget.

What comes in is a proposal: taken, with a receipt, and shown as credit; which charges it pays is suggested,
and a poster accepts or changes it, or the clinic has set that it is applied by itself. A bank that takes a
payment back reverses it (NACHA and card rules: a dispute is the bank's to decide), and a person is told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import partial

from zax.core.book.track import ON_THE_BOOK
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.cents import parse_amount
from zax.core.money.tender import OPEN_STATES, PaymentState, Tender
from zax.core.own.suggesting import OpenCharge, fits, suggest
from zax.core.people.roles import BILLER
from zax.core.wording import dollars
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.hand_overs import HandOverForm, hand
from zax.desk.money.credits import apply_credit
from zax.desk.money.dues import open_items
from zax.desk.money.ledger import books_day
from zax.desk.money.payment_page import copay_of
from zax.desk.money.posting import lock_household
from zax.desk.money.refunds import card_taken_back
from zax.desk.money.terminal import close_payment
from zax.desk.online.habits import online_habits
from zax.desk.own.account import OwnAccount, own_account
from zax.outside.doors import OutsideTrouble, PayPage, Sale
from zax.store.book.queries import one_visit
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.money import journal, payments
from zax.store.money import queries as money
from zax.store.money.records import NewPart, NewPayment
from zax.store.own import payments as stored
from zax.store.own.payments import OwnPayment
from zax.store.patients.records import Patient

CLARIFY_AFTER = timedelta(minutes=22)  # the page is over by then
ABOUT = ("balance", "part", "copay", "installment", "deposit")
AWAY = "The card page isn’t answering. Nothing was charged. Please try again later, or call us."
_Parts = Sequence[tuple[int, int]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """What somebody wants to pay: `amount` as typed for a part, `visit_id` of a copay, `plan_id` of an
    installment; `key` is the form's own.
    """

    about: str
    amount: str = ""
    visit_id: int = 0
    plan_id: int = 0
    key: str


def begin_payment(desk: Desk, page: PayPage, owner: Patient, wish: Wish, back: str) -> OwnPayment:
    """Write it down and get the address of the card page; the same key is the same payment. `back` is where
    the browser comes back to, without the key. Refused beside `amount` or `about`, nothing then is charged.
    """
    row = in_transaction(desk, WORKER, lambda tx: _begin(tx, owner, wish))
    if row.page or row.state != "begun":
        return row
    key = _payment_key(row)
    words = str(desk.clinic.about["clinic_name"])
    try:
        address = page.open(key, row.cents, words, f"{back}/{row.request_key}")
    except OutsideTrouble as error:
        _close(desk, row.request_key, Sale(state="absent", words="the card page was away"))
        raise Refused(AWAY, "about") from error
    in_transaction(desk, WORKER, lambda tx: stored.change_own_payment(tx.connection, row.id, page=address))
    found = in_transaction(desk, WORKER, lambda tx: stored.own_payment_of(tx.connection, row.request_key))
    assert found is not None
    return found


def _payment_key(row: OwnPayment) -> str:
    return f"{row.request_key}-1"


def _begin(tx: Transaction, owner: Patient, wish: Wish) -> OwnPayment:
    lock_household(tx, owner.id)
    known = stored.own_payment_of(tx.connection, wish.key)
    if known is not None:
        if known.patient_id != owner.id:
            raise NotFound("There is no such payment.")
        return known
    if not wish.key or len(wish.key) > 30 or wish.about not in ABOUT:
        raise Refused("Choose what you want to pay.", "about")
    account = own_account(tx.connection, tx.clinic, owner, tx.clinic_day)
    cents, part, first = _amount(tx, account, wish)
    site_id = tx.clinic.first_site.id
    receipt_id = payments.add_receipt(
        tx.connection,
        request_key=wish.key,
        patient_id=owner.id,
        site_id=site_id,
        day=books_day(tx, site_id),
        at=tx.now,
        by_id=None,
    )
    payment = NewPayment(
        request_key=f"{wish.key}-1",
        receipt_id=receipt_id,
        patient_id=owner.id,
        visit_id=part.visit_id,
        site_id=site_id,
        tender=Tender.ONLINE,
        cents=cents,
        state=PaymentState.ASKING,
        day=books_day(tx, site_id),
        at=tx.now,
        by_id=None,
    )
    payments.add_parts(tx.connection, payments.add_payment(tx.connection, payment), [part])
    lines = [] if part.visit_id else suggest(cents, account.charges, first)
    stored.add_own_payment(
        tx.connection,
        request_key=wish.key,
        patient_id=owner.id,
        household_id=owner.household_id,
        receipt_id=receipt_id,
        visit_id=part.visit_id,
        about=wish.about,
        cents=cents,
        lines=[list(each) for each in lines],
        made_at=tx.now,
    )
    tx.send("online_payment", f"online-{wish.key}", {"key": wish.key}, tx.now + CLARIFY_AFTER)
    tx.audit("own.payment_begun", patient_id=owner.id, cents=cents, about=wish.about)
    made = stored.own_payment_of(tx.connection, wish.key)
    assert made is not None
    return made


def _amount(tx: Transaction, account: OwnAccount, wish: Wish) -> tuple[int, NewPart, frozenset[int]]:
    """Cents, what they are for, and the lines they are meant for first. Refused where nothing is due, or
    another payment of the household is being made.
    """
    owner, begun = account.owner, stored.begun_of(tx.connection, account.owner.household_id)
    if wish.about in {"copay", "deposit"}:
        if any(each.visit_id == wish.visit_id for each in begun):
            raise Refused(
                "A payment for this visit is being made. Finish it first, or wait 20 minutes.", "about"
            )
        return *_before_visit(tx, account, wish), frozenset()
    pending = sum(each.cents for each in begun)
    if pending:
        raise Refused(
            f"A payment of {dollars(pending)} is being made. Finish it first, or wait 20 minutes.", "about"
        )
    first: frozenset[int] = frozenset()
    most = account.owed
    if wish.about == "installment":
        plan = next((each for each in account.plans if each.row.id == wish.plan_id), None)
        if plan is None:
            raise NotFound("There is no such payment plan.")
        cents, first = plan.standing.due, frozenset(plan.open)
    else:
        cents = account.asked if wish.about == "balance" else parse_amount(wish.amount, "amount")
    if cents <= 0 or most <= 0:
        raise Refused("Nothing is due now.", "amount")
    if cents > most:
        raise Refused(f"You owe {dollars(most)}, so that’s the most you can pay here.", "amount")
    return cents, NewPart(owner.id, None, None, cents), first


def _before_visit(tx: Transaction, account: OwnAccount, wish: Wish) -> tuple[int, NewPart]:
    """A copay or a deposit, which waits as credit of its visit. Refused where nothing is asked for it."""
    visit = one_visit(tx.connection, wish.visit_id)
    if visit is None or visit.patient_id not in {account.owner.id, *_household(account)}:
        raise NotFound("There is no such visit.")
    if wish.about == "deposit":
        cents = deposit_due(tx.connection, tx.clinic, visit)
    else:
        coming = payments.coming_visits(tx.connection, visit.household_id, tx.clinic_day)
        row = next((each for each in coming if each.id == visit.id), None)
        cents = copay_of(tx.connection, tx.clinic, row) if row else 0
    if cents <= 0:
        raise Refused("Nothing is due before this visit.", "about")
    return cents, NewPart(visit.patient_id, visit.id, None, cents)


def deposit_due(connection: Connection, clinic: Clinic, visit: Visit) -> int:
    """What the type asks for when it is booked online and isn't paid yet; cents."""
    kind = clinic.types.get(visit.type_id)
    if kind is None or not kind.deposit_cents or visit.state not in ON_THE_BOOK:
        return 0
    entries = money.visit_entries(connection, visit.id)
    return max(0, kind.deposit_cents + sum(each.patient_cents for each in entries if each.line_id is None))


def _household(account: OwnAccount) -> set[int]:
    """Whose visits who pays for the household may pay for."""
    return {each.view.patient_id for each in account.visits} if account.owner.guarantor else set()


def come_back(desk: Desk, page: PayPage, owner: Patient, key: str) -> OwnPayment:
    """What became of a payment, asked of the card door; as it is kept while that can't be reached. NotFound
    for anybody else's.
    """
    row = in_transaction(desk, WORKER, lambda tx: stored.own_payment_of(tx.connection, key))
    if row is None or row.patient_id != owner.id:
        raise NotFound("There is no such payment.")
    if row.state != "begun":
        return row
    try:
        sale = page.look_up(_payment_key(row))
    except OutsideTrouble:
        return row
    return row if sale.state == "unknown" else _close(desk, key, sale)


def give_up(desk: Desk, page: PayPage, owner: Patient, key: str) -> OwnPayment:
    """They don't pay after all: the page is shut first, so that it can't be paid on anymore."""
    row = come_back(desk, page, owner, key)
    if row.state != "begun":
        return row
    try:
        sale = page.shut(_payment_key(row))
    except OutsideTrouble as error:
        raise Refused(AWAY, "about") from error
    return row if sale.state == "unknown" else _close(desk, key, sale)


def clarify_online(desk: Desk, page: PayPage, key: str) -> None:
    """The worker's part: nobody came back. Raises OutsideTrouble while it isn't known."""
    row = in_transaction(desk, WORKER, lambda tx: stored.own_payment_of(tx.connection, key))
    if row is None or row.state != "begun":
        return
    sale = page.look_up(_payment_key(row))
    if sale.state == "unknown":
        raise OutsideTrouble("the card page is still open")
    _close(desk, key, sale)


def _close(desk: Desk, key: str, sale: Sale) -> OwnPayment:
    """Written down as for a terminal, then made a proposal; either is done once, whoever comes first."""
    close_payment(desk, WORKER, f"{key}-1", sale)
    return in_transaction(desk, WORKER, partial(_propose, key=key))


def _propose(tx: Transaction, *, key: str) -> OwnPayment:
    row = stored.hold_own_payment(tx.connection, key)
    assert row is not None, "it was written down before"
    payment = payments.payment_by_key(tx.connection, _payment_key(row))
    if row.state == "begun" and payment is not None and payment.state not in OPEN_STATES:
        if payment.state != PaymentState.TAKEN:
            _end(tx, row, "declined")
        elif row.visit_id is not None:
            _end(tx, row, "applied")  # it waits as credit of its visit
        elif online_habits(tx.clinic).applies_payments:
            charges = _charges(tx, row)
            apply_parts(tx, row, suggest(row.cents, charges, frozenset(line for line, _ in row.lines)))
            _end(tx, row, "applied")
        else:
            stored.change_own_payment(tx.connection, row.id, state="proposed")
            tx.tell("reply", patient_id=row.patient_id)
    found = stored.own_payment_of(tx.connection, key)
    assert found is not None
    return found


def _end(tx: Transaction, row: OwnPayment, state: str) -> None:
    stored.change_own_payment(tx.connection, row.id, state=state, done_at=tx.now, done_by=tx.actor.id)
    tx.audit("own.payment_ended", patient_id=row.patient_id, payment=row.id, state=state)
    tx.tell("reply", patient_id=row.patient_id)


def _charges(tx: Transaction, row: OwnPayment) -> list[OpenCharge]:
    items = open_items(tx.connection, tx.clinic, row.household_id)
    return [OpenCharge(each.line_id, each.cents, each.since, each.visit_id) for each in items.lines]


def apply_parts(tx: Transaction, row: OwnPayment, parts: _Parts) -> None:
    """Give the payment's credit to these lines; what no line is named for stays credit."""
    payment = payments.payment_by_key(tx.connection, _payment_key(row))
    credits = journal.credits_of_payment(tx.connection, payment.id) if payment else []
    if not credits:
        raise Conflict("This payment was refunded or taken back in the meantime.")
    for line_id, cents in parts:
        apply_credit(tx, credits[0].id, line_id, cents)


@act("payments")
def accept_proposal(tx: Transaction, number: int, typed: Mapping[int, str]) -> int:
    """Apply a payment as it is suggested, or as `typed` says by line; the cents applied. Raises Refused
    beside `line-N`, Conflict when something was paid meanwhile or somebody else was faster.
    """
    row = stored.hold_by_id(tx.connection, number)
    if row is None:
        raise NotFound("There is no such payment.")
    if row.state != "proposed":
        raise Conflict("This payment was already applied.")
    lock_household(tx, row.patient_id)
    parts = [(int(line), int(cents)) for line, cents in row.lines]
    if typed:
        parts = [
            (line, parse_amount(text, f"line-{line}"))
            for line, text in typed.items()
            if text.strip() not in {"", "0", "0.00"}
        ]
    if not fits(parts, row.cents, _charges(tx, row)):
        raise Conflict("That’s more than is due on a charge, or more than was paid. Look at it again.")
    apply_parts(tx, row, parts)
    _end(tx, row, "applied")
    return sum(cents for _, cents in parts)


@act("payments")
def suggest_again(tx: Transaction, number: int) -> None:
    """What is due has changed since: suggest anew."""
    row = stored.hold_by_id(tx.connection, number)
    if row is None or row.state != "proposed":
        raise Conflict("This payment was already applied.")
    lines = suggest(row.cents, _charges(tx, row), frozenset(line for line, _ in row.lines))
    stored.change_own_payment(tx.connection, row.id, lines=[list(each) for each in lines])


def take_back(desk: Desk, page: PayPage) -> int:
    """What banks took back is reversed, once; billing gets a word. How many. For the worker."""
    done = 0
    for news in page.taken_back():
        done += in_transaction(desk, WORKER, partial(_taken_back, key=news.key, why=news.why))
        page.noted(news.number)
    return done


def _taken_back(tx: Transaction, *, key: str, why: str) -> int:
    patient_id = card_taken_back(tx, key, why)
    if patient_id is None:
        return 0
    row = stored.hold_own_payment(tx.connection, key.removesuffix("-1"))
    if row is not None:
        _end(tx, row, "back")
    words = f"The bank took a card payment back: {why}"[:200]
    hand(tx, HandOverForm(about=f"patient-{patient_id}", to=f"role-{BILLER.key}", words=words))
    return 1

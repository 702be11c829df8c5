"""Taking a payment. It is written down before the terminal is asked, under the key of the form, so that
pressing twice, a lost answer or a crash can neither charge twice nor forget: what is not known is *being
clarified* until the terminal says.

One receipt may have several tenders, and each has parts: the lines, visits and deposits it is for. Before
anything is charged the money stays as credit of its visit, and the charges find it there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zax.core.book.track import FREES_THE_TIME, Stop
from zax.core.errors import Conflict, Refused
from zax.core.money.journal import Parts, line_parts
from zax.core.money.tender import (
    Handed,
    PaymentState,
    Tendered,
    TenderForm,
    check_tenders,
    cover,
    settle_over,
)
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.book.track import locked_visit
from zax.desk.money.cards_on_file import usable_card
from zax.desk.money.ledger import Ledger, OwnLedger, allocations_of, books_day, due_now, entries_of
from zax.desk.money.posting import lock_household, post_payment
from zax.desk.money.products import ProductSale, sell_product
from zax.desk.money.receipts import email_of, mail_receipt
from zax.desk.money.terminal import TenderResult, ask_later, close_payment, held_payment, result_of
from zax.outside.doors import Terminal
from zax.store.book.records import Visit
from zax.store.money import payments
from zax.store.money import queries as money
from zax.store.money.records import NewPart, NewPayment
from zax.store.patients.patients import household_of

CHARGED = frozenset({Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED})


@dataclass(frozen=True, slots=True)
class Item:
    """What a payment is for: a line, a visit as a whole, or neither (a deposit). `cents` None is all that is
    open; for money before charges, all that is left.
    """

    visit_id: int | None = None
    line_id: int | None = None
    cents: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class PayForm:
    """A payment as typed; `key` is the form's own, `over` says what more than the dues is: change or credit.
    `sales` are products sold with it.
    """

    tenders: Sequence[TenderForm]
    items: Sequence[Item]
    key: str
    over: str = ""
    receipt: str = "none"
    site_id: int = 0
    sales: Sequence[ProductSale] = ()


@dataclass(frozen=True, slots=True)
class Taken:
    """What became of a payment. `state` is TAKEN only when every tender was taken whole."""

    receipt_id: int
    tenders: Sequence[TenderResult]
    change: int = 0

    @property
    def cents(self) -> int:
        return sum(each.cents for each in self.tenders if each.state == PaymentState.TAKEN)

    @property
    def whole(self) -> bool:
        return all(each.whole for each in self.tenders)

    @property
    def state(self) -> PaymentState:
        return next(
            (each.state for each in self.tenders if each.state != PaymentState.TAKEN), PaymentState.TAKEN
        )

    @property
    def words(self) -> str:
        if self.whole:
            return f"Paid.{f' Change due: {dollars(self.change)}.' if self.change else ''}"
        taken = f"{dollars(self.cents)} was taken. " if self.cents else ""
        return taken + " ".join(each.words for each in self.tenders if not each.whole)


def take_payment(desk: Desk, actor: Actor, terminal: Terminal, patient_id: int, form: PayForm) -> Taken:
    """Take every tender of a payment. Raises Problems or Refused before anything is asked of the terminal."""
    if not form.key or len(form.key) > 36:
        raise Refused("This form is out of date. Reload the page; nothing was taken.")
    opened, is_new = open_payment(desk, actor, patient_id, form)
    if not is_new:
        return opened
    return replace(opened, tenders=[_ask_terminal(desk, actor, terminal, each) for each in opened.tenders])


def _ask_terminal(desk: Desk, actor: Actor, terminal: Terminal, each: TenderResult) -> TenderResult:
    if each.state != PaymentState.ASKING:
        return each
    token, keep = _card_wish(desk, each.payment_id)
    return close_payment(desk, actor, each.key, terminal.sell(each.key, each.asked, token, keep))


def _card_wish(desk: Desk, payment_id: int) -> tuple[str, bool]:
    """The token to charge, and whether the terminal should give one out."""
    with desk.engine.connect() as connection:
        payment = payments.payment_of(connection, payment_id)
        assert payment is not None, "it was written down before"
        card = payments.card_of(connection, payment.card_id) if payment.card_id else None
    return card.token if card else "", payment.keep_card


@act("payments")
def open_payment(tx: Transaction, patient_id: int, form: PayForm) -> tuple[Taken, bool]:
    """The payment of this key, and whether this call made it. All but cards are final at once."""
    ledgers = _lock(tx, patient_id, form)
    found = receipt_by_key(tx, form.key)
    if found is not None:
        return found, False
    tenders = check_tenders(form.tenders, tx.clinic.money.own)
    site_id = form.site_id or next((row.site_id for row in ledgers.values()), tx.clinic.first_site.id)
    for each in tenders:
        if each.card_id is not None:
            usable_card(tx, each.card_id, patient_id)
    items = [*form.items, *(_sell(tx, patient_id, site_id, sale) for sale in form.sales)]
    dues = _dues(tx, patient_id, site_id, items, ledgers, sum(each.cents for each in tenders))
    handed = settle_over(tenders, sum(cents for *_, cents in dues), form.over)
    if handed.over:
        dues = [*dues, (patient_id, None, None, handed.over)]
    receipt_id = payments.add_receipt(
        tx.connection,
        request_key=form.key,
        patient_id=patient_id,
        site_id=site_id,
        day=books_day(tx, site_id),
        at=tx.now,
        by_id=tx.actor.id,
        how=form.receipt,
        email=email_of(tx, patient_id) if form.receipt == "email" else "",
        change_cents=handed.change,
    )
    for number, (tendered, parts) in enumerate(zip(handed.tenders, _parts(handed, dues), strict=True), 1):
        _open_tender(tx, receipt_id, f"{form.key}-{number}", patient_id, site_id, tendered, parts)
    if form.receipt == "email":
        mail_receipt(tx, receipt_id)
    tx.audit(
        "payment.opened",
        patient_id=patient_id,
        receipt=receipt_id,
        tenders=[[each.tender, each.cents] for each in handed.tenders],
    )
    made = receipt_by_key(tx, form.key)
    assert made is not None
    return made, True


def _lock(tx: Transaction, patient_id: int, form: PayForm) -> dict[int, Visit]:
    """Hold every visit that is paid for, always in the same order, and the household when something is for no
    visit; all of one household.
    """
    wanted = sorted({item.visit_id for item in form.items if item.visit_id is not None})
    visits = {number: locked_visit(tx, number) for number in wanted}
    household_id = lock_household(tx, patient_id)
    if any(row.household_id != household_id for row in visits.values()):
        raise Refused(
            "One of these visits belongs to another household. Reload the page; nothing was taken.", "also"
        )
    if any(row.state in FREES_THE_TIME or row.state == Stop.HELD for row in visits.values()):
        raise Conflict("This visit isn’t on the Book, so you can’t take a payment for it.", "amount-1")
    return visits


def _sell(tx: Transaction, patient_id: int, site_id: int, sale: ProductSale) -> Item:
    line_id, cents = sell_product(tx, OwnLedger(patient_id, site_id), sale)
    return Item(None, line_id, cents)


_Due = tuple[int, int | None, int | None, int]  # patient, visit, line, cents


def _dues(
    tx: Transaction,
    patient_id: int,
    site_id: int,
    items: Sequence[Item],
    visits: dict[int, Visit],
    tendered: int,
) -> list[_Due]:
    """What each item takes at most, charges before money that waits. Raises Refused beside an item that asks
    for more than is open on it.
    """
    charged = [each for each in items if each.line_id is not None or _is_charged(visits, each)]
    found = [due for each in charged for due in _due_of(tx, patient_id, site_id, each, visits)]
    for visit_id, visit in visits.items():
        asked = sum(cents for _, number, _, cents in found if number == visit_id)
        if visit.state in CHARGED and asked > max(0, due_now(tx.connection, visit_id)):
            raise Conflict(
                "Part of this was paid or sent to the terminal in the meantime. Check what’s due now.",
                "items",
            )
    left = tendered - sum(cents for *_, cents in found)
    for each in items:
        if each in charged:
            continue
        cents = each.cents if each.cents is not None else max(0, left)
        person = visits[each.visit_id].patient_id if each.visit_id is not None else patient_id
        found.append((person, each.visit_id, None, cents))
        left -= cents
    return found


def _is_charged(visits: dict[int, Visit], item: Item) -> bool:
    return item.visit_id is not None and visits[item.visit_id].state in CHARGED


def _due_of(
    tx: Transaction, patient_id: int, site_id: int, item: Item, visits: dict[int, Visit]
) -> list[_Due]:
    if item.line_id is None:
        assert item.visit_id is not None
        most = max(0, due_now(tx.connection, item.visit_id))
        return [(visits[item.visit_id].patient_id, item.visit_id, None, _at_most(item, most))]
    line = next(iter(money.lines_of(tx.connection, [item.line_id])), None)
    if (
        line is None
        or line.visit_id != item.visit_id
        or (line.visit_id is None and not _same_household(tx, line.person_id, patient_id))
    ):
        raise Refused(
            "This charge isn’t on the account anymore. Reload the page; nothing was taken.", "items"
        )
    ledger: Ledger = (
        visits[line.visit_id] if line.visit_id is not None else OwnLedger(line.person_id, site_id)
    )
    parts = line_parts(entries_of(tx, ledger), allocations_of(tx, ledger)).get(line.id, Parts())
    pending = money.pending_lines(tx.connection, lock_household(tx, patient_id)).get(line.id, 0)
    return [(line.person_id, line.visit_id, line.id, _at_most(item, max(0, parts.patient - pending)))]


def _same_household(tx: Transaction, one: int, other: int) -> bool:
    return household_of(tx.connection, one) == household_of(tx.connection, other)


def _at_most(item: Item, most: int) -> int:
    if item.cents is None:
        return most
    if item.cents > most:
        field = f"item-{item.line_id}" if item.line_id else f"visit-{item.visit_id}"
        raise Refused(
            f"Only {dollars(most)} is due here."
            if most
            else "Nothing is due here anymore: it was paid or reversed.",
            field,
        )
    return item.cents


def _parts(handed: Handed, dues: Sequence[_Due]) -> list[list[tuple[_Due, int]]]:
    covered = cover([each.cents for each in handed.tenders], [cents for *_, cents in dues])
    return [[(dues[index], cents) for index, cents in parts] for parts in covered]


def _open_tender(
    tx: Transaction,
    receipt_id: int,
    key: str,
    patient_id: int,
    site_id: int,
    tendered: Tendered,
    parts: Sequence[tuple[_Due, int]],
) -> None:
    """One tender of the receipt with its parts: final at once, or to be asked of the terminal."""
    made = [NewPart(person, visit_id, line_id, cents) for (person, visit_id, line_id, _), cents in parts]
    state = PaymentState.ASKING if tendered.by_terminal else PaymentState.TAKEN
    payment = NewPayment(
        request_key=key,
        receipt_id=receipt_id,
        patient_id=patient_id,
        visit_id=next((part.visit_id for part in made if part.visit_id is not None), None),
        site_id=site_id,
        tender=tendered.tender,
        cents=tendered.cents,
        check_number=tendered.number,
        state=state,
        card_id=tendered.card_id,
        day=books_day(tx, site_id),
        keep_card=tendered.keep_card,
        at=tx.now,
        by_id=tx.actor.id,
    )
    payments.add_parts(tx.connection, payments.add_payment(tx.connection, payment), made)
    if state == PaymentState.TAKEN:
        post_payment(tx, held_payment(tx, key))
    else:
        ask_later(tx, key)


def receipt_by_key(tx: Transaction, key: str) -> Taken | None:
    """What became of the payment of this key, or None if there never was one."""
    row = payments.receipt_by_key_for_update(tx.connection, key)
    if row is None:
        return None
    rows = payments.payments_of_receipt(tx.connection, row.id)
    return Taken(row.id, [result_of(each) for each in rows], row.change_cents)

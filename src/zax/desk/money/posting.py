"""What a closed payment does to the journal: money taken becomes credit and finds its lines; money refunded
leaves the credit it came from.

A refund, a void and a returned check are payments with the sign turned. They need the credit of the payment
they are of to be free: what it pays is taken back from its lines first, and a credit that was used elsewhere
comes back from there.
"""

from __future__ import annotations

from collections import defaultdict

from zax.core.errors import Conflict, Refused
from zax.core.money.journal import Allocation, Kind, Parts, credit_left, free, line_parts
from zax.core.money.tender import Tender
from zax.core.wording import dollars
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.ledger import (
    Ledger,
    OwnLedger,
    add_entry,
    allocations_of,
    entries_of,
    reverse,
    settle,
    write_allocations,
)
from zax.store.book.records import Visit
from zax.store.money import journal
from zax.store.money.closing import CountedPayment
from zax.store.money.payments import parts_of
from zax.store.money.records import LedgerEntry, Payment, PaymentPart


def tender_words(clinic: Clinic, payment: Payment | CountedPayment) -> str:
    """'card ending 4417', 'check 1184'."""
    words = clinic.money.tender_words(payment.tender).lower()
    if payment.check_number:
        return f"{words} {payment.check_number}"
    return f"{words} ending {payment.card_ending}" if payment.card_ending else words


def lock_household(tx: Transaction, patient_id: int) -> int:
    """Hold the household that a patient belongs to: its members' own ledgers change one act at a time. The
    household's number.
    """
    household_id = journal.hold_household(tx.connection, patient_id)
    if household_id is None:
        raise Refused("That patient doesn’t exist. Find them again.", "patient")
    return household_id


def ledger_of(tx: Transaction, patient_id: int, visit_id: int | None, site_id: int) -> Ledger:
    """The locked visit, or the patient's own ledger (its household locked)."""
    if visit_id is not None:
        return locked_visit(tx, visit_id)
    lock_household(tx, patient_id)
    return OwnLedger(patient_id, site_id)


def post_payment(tx: Transaction, payment: Payment) -> None:
    """An entry on every ledger that the payment is for, given to the lines it names, the rest as the ledger
    settles.
    """
    by_ledger: dict[tuple[int, int | None], list[PaymentPart]] = defaultdict(list)
    for row in parts_of(tx.connection, payment.id):
        by_ledger[row.patient_id, row.visit_id].append(row)
    words = f"Patient paid, {tender_words(tx.clinic, payment)}"
    for (patient_id, visit_id), rows in sorted(by_ledger.items(), key=lambda each: each[0][1] or 0):
        ledger = ledger_of(tx, patient_id, visit_id, payment.site_id)
        cents = sum(row.cents for row in rows)
        credit = add_entry(
            tx, ledger, Kind.PAYMENT, -cents, 0, words, payment_id=payment.id, site_id=payment.site_id
        )
        _give_to_lines(
            tx, ledger, credit, [(row.line_id, row.cents) for row in rows if row.line_id is not None]
        )
        settle(tx, ledger)
        tell_money(tx, ledger)


def _give_to_lines(tx: Transaction, ledger: Ledger, credit: int, wanted: list[tuple[int, int]]) -> None:
    if not wanted:
        return
    parts = line_parts(entries_of(tx, ledger), allocations_of(tx, ledger))
    made = []
    for line_id, cents in wanted:
        part = min(cents, max(0, parts.get(line_id, Parts()).patient))
        if part:
            made.append(Allocation(credit, line_id, part))
            parts[line_id] = Parts(parts[line_id].patient - part, parts[line_id].insurer)
    write_allocations(tx, ledger, made)


def post_back(tx: Transaction, payment: Payment) -> int:
    """Money refunded (`payment` is negative): drawn on the credit of the payment it is of, what waits
    before what pays a charge.

    A void or a returned check reverses the whole; the cents that could not be drawn, since they were
    refunded before, are returned.
    """
    left = -payment.cents
    words = _back_words(tx.clinic, payment)
    credits = [
        (each, ledger_of(tx, each.patient_id, each.visit_id, each.site_id))
        for each in journal.credits_of_payment(tx.connection, payment.of_id or 0)
    ]
    for only_waiting in (True, False):
        for entry, ledger in credits:
            held = -entry.patient_cents - journal.refunded_of(tx.connection, entry.id)
            if only_waiting:
                held = min(
                    held, credit_left(entries_of(tx, ledger), allocations_of(tx, ledger)).get(entry.id, 0)
                )
            part = min(left, held)
            if part > 0 and not (only_waiting and payment.kind != "refund"):
                _draw(tx, ledger, entry, part, payment, words)
                left -= part
    return left


def _back_words(clinic: Clinic, payment: Payment) -> str:
    """'Refunded, card ending 4417: overpaid'."""
    what = {
        "void": "Payment voided",
        "returned": (
            f"Check {payment.check_number} was returned"
            if payment.tender == Tender.CHECK
            else "The bank took the card payment back"
        ),
        "refund": f"Refunded, {tender_words(clinic, payment)}",
    }[payment.kind]
    return f"{what}: {payment.words}" if payment.words else what


def _draw(
    tx: Transaction, ledger: Ledger, entry: LedgerEntry, cents: int, payment: Payment, words: str
) -> None:
    make_free(tx, ledger, entry.id, cents)
    if payment.kind != "refund" and cents == -entry.patient_cents:
        reverse(tx, ledger, entry.entry, words, payment_id=payment.id, site_id=payment.site_id)
    else:
        add_entry(
            tx,
            ledger,
            Kind.REFUND,
            cents,
            0,
            words,
            payment_id=payment.id,
            of_id=entry.id,
            site_id=payment.site_id,
        )
    settle(tx, ledger)
    tell_money(tx, ledger)


def make_free(tx: Transaction, ledger: Ledger, credit_id: int, cents: int) -> None:
    """See that a credit has `cents` left: first from what it pays here, then from where it was moved to.
    Raises Conflict if it never had so much.
    """
    entries, given = entries_of(tx, ledger), allocations_of(tx, ledger)
    short = cents - credit_left(entries, given).get(credit_id, 0)
    if short > 0:
        freed = free(credit_id, short, given)
        write_allocations(tx, ledger, freed)
        short += sum(each.cents for each in freed)
    for moved in journal.transfers_from(tx.connection, credit_id):
        if short <= 0:
            return
        short -= _bring_back(tx, ledger, moved)
    if short > 0:
        raise Conflict(f"{dollars(short)} of this payment has been used. Check the account first.")


def _bring_back(tx: Transaction, ledger: Ledger, moved: LedgerEntry) -> int:
    """Reverse a transfer of credit on both ledgers; the cents that came back."""
    there = journal.transfer_to(tx.connection, moved.id)
    assert there is not None, "credit is moved by two entries"
    target = ledger_of(tx, there.patient_id, there.visit_id, there.site_id)
    make_free(tx, target, there.id, -there.patient_cents)
    words = "Credit removed, its payment was refunded"
    reverse(tx, target, there.entry, words)
    reverse(tx, ledger, moved.entry, words)
    settle(tx, target)
    tell_money(tx, target)
    return moved.patient_cents


def move_credit(
    tx: Transaction, source: Ledger, target: Ledger, credit_id: int, cents: int, words: tuple[str, str]
) -> int:
    """Take `cents` of a free credit from one ledger to another: two entries that add up to nothing. The entry
    on the target.
    """
    out = add_entry(tx, source, Kind.TRANSFER, cents, 0, words[0], of_id=credit_id)
    return add_entry(tx, target, Kind.TRANSFER, -cents, 0, words[1], of_id=out)


def tell_money(tx: Transaction, ledger: Ledger) -> None:
    day = ledger.day if isinstance(ledger, Visit) else None
    tx.tell("money", site_id=ledger.site_id, day=day, visit_id=ledger.id, patient_id=ledger.patient_id)

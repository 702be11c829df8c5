"""What a closed payment does to the journal: money taken becomes credit and finds its lines; money given back leaves the credit it came from.

A refund, a void and a returned cheque are payments with the sign turned. They need the credit of the payment they are of to be free: what it
pays is taken back from its lines first, and a credit that was used elsewhere comes back from there.
"""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from sqlalchemy import select

from zax.core.errors import Conflict, Refused
from zax.core.money.cents import plain
from zax.core.money.journal import Allocation, Entry, Kind, Parts, credit_left, free, line_parts
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.ledger import (
    OwnLedger,
    add_entry,
    allocations_of,
    entries_of,
    reverse,
    settle,
    write_allocations,
)
from zax.store import schema
from zax.store.money import queries as money


def tender_words(clinic: Clinic, payment: Any) -> str:
    """'card ending 4417', 'cheque 1184'."""
    words = clinic.money.tender_words(payment.tender).lower()
    if payment.cheque_number:
        return f"{words} {payment.cheque_number}"
    return f"{words} ending {payment.card_ending}" if payment.card_ending else words


def lock_household(tx: Transaction, patient_id: int) -> int:
    """Hold the household that a patient belongs to: its members' own ledgers change one act at a time. The household's number."""
    p, h = schema.patient, schema.household
    row = tx.one(select(p.c.household_id).where(p.c.id == patient_id))
    if row is None:
        raise Refused("There is no such patient. Look for them again.", "patient")
    tx.one(select(h.c.id).where(h.c.id == row.household_id).with_for_update())
    return int(row.household_id)


def ledger_of(tx: Transaction, patient_id: int, visit_id: int | None, site_id: int) -> Any:
    """The locked visit, or the patient's own ledger (its household locked)."""
    if visit_id is not None:
        return locked_visit(tx, visit_id)
    lock_household(tx, patient_id)
    return OwnLedger(patient_id, site_id)


def post_payment(tx: Transaction, payment: Any) -> None:
    """An entry on every ledger that the payment is for, given to the lines it names, the rest as the ledger settles."""
    part = schema.payment_part
    by_ledger: dict[tuple[int, int | None], list[Any]] = defaultdict(list)
    for row in tx.rows(select(part).where(part.c.payment_id == payment.id).order_by(part.c.id)):
        by_ledger[row.patient_id, row.visit_id].append(row)
    words = f"Patient paid, {tender_words(tx.clinic, payment)}"
    for (patient_id, visit_id), rows in sorted(by_ledger.items(), key=lambda each: each[0][1] or 0):
        ledger = ledger_of(tx, patient_id, visit_id, payment.site_id)
        cents = sum(row.cents for row in rows)
        credit = add_entry(tx, ledger, Kind.PAYMENT, -cents, 0, words, payment_id=payment.id, site_id=payment.site_id)
        _give_to_lines(tx, ledger, credit, [(row.line_id, row.cents) for row in rows if row.line_id is not None])
        settle(tx, ledger)
        tell_money(tx, ledger)


def _give_to_lines(tx: Transaction, ledger: Any, credit: int, wanted: list[tuple[int, int]]) -> None:
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


def post_back(tx: Transaction, payment: Any) -> int:
    """Money given back (`payment` is negative): drawn on the credit of the payment it is of, what waits before what pays a charge.

    A void or a returned cheque reverses the whole; the cents that could not be drawn, since they were refunded before, are returned.
    """
    left = -payment.cents
    words = _back_words(tx.clinic, payment)
    credits = [
        (each, ledger_of(tx, each.patient_id, each.visit_id, each.site_id)) for each in _credits_of(tx, payment.of_id)
    ]
    for only_waiting in (True, False):
        for entry, ledger in credits:
            held = -entry.patient_cents - _refunded(tx, entry.id)
            if only_waiting:
                held = min(held, credit_left(entries_of(tx, ledger), allocations_of(tx, ledger)).get(entry.id, 0))
            part = min(left, held)
            if part > 0 and not (only_waiting and payment.kind != "refund"):
                _draw(tx, ledger, entry, part, payment, words)
                left -= part
    return left


def _back_words(clinic: Clinic, payment: Any) -> str:
    """'Given back, card ending 4417: overpaid'."""
    what = {
        "void": "Payment voided",
        "returned": f"Cheque {payment.cheque_number} came back",
        "refund": f"Given back, {tender_words(clinic, payment)}",
    }[payment.kind]
    return f"{what}: {payment.words}" if payment.words else what


def _draw(tx: Transaction, ledger: Any, entry: Any, cents: int, payment: Any, words: str) -> None:
    make_free(tx, ledger, entry.id, cents)
    if payment.kind != "refund" and cents == -entry.patient_cents:
        reverse(tx, ledger, money.entry_of(entry), words, payment_id=payment.id, site_id=payment.site_id)
    else:
        add_entry(
            tx, ledger, Kind.REFUND, cents, 0, words, payment_id=payment.id, of_id=entry.id, site_id=payment.site_id
        )
    settle(tx, ledger)
    tell_money(tx, ledger)


def _credits_of(tx: Transaction, payment_id: int) -> list[Any]:
    """The entries that a payment was posted with, newest last, those not reversed."""
    j = schema.journal
    undone = select(j.c.reverses_id).where(j.c.reverses_id.is_not(None))
    query = (
        select(j)
        .where(j.c.payment_id == payment_id, j.c.kind == Kind.PAYMENT, j.c.id.not_in(undone))
        .order_by(j.c.id)
    )
    return list(tx.rows(query))


def _refunded(tx: Transaction, entry_id: int) -> int:
    j = schema.journal
    rows = tx.rows(select(j.c.patient_cents).where(j.c.of_id == entry_id, j.c.kind == Kind.REFUND))
    return int(sum(row.patient_cents for row in rows))


def make_free(tx: Transaction, ledger: Any, credit_id: int, cents: int) -> None:
    """See that a credit has `cents` left: first from what it pays here, then from where it was moved to. Raises Conflict if it never had so much."""
    entries, given = entries_of(tx, ledger), allocations_of(tx, ledger)
    short = cents - credit_left(entries, given).get(credit_id, 0)
    if short > 0:
        freed = free(credit_id, short, given)
        write_allocations(tx, ledger, freed)
        short += sum(each.cents for each in freed)
    for moved in _moved_from(tx, credit_id):
        if short <= 0:
            return
        short -= _bring_back(tx, ledger, moved)
    if short > 0:
        raise Conflict(f"{plain(short)} of this payment is not there any more. Look at the account first.")


def _moved_from(tx: Transaction, credit_id: int) -> list[Entry]:
    """Transfers that drew on a credit and were not reversed, newest first."""
    j = schema.journal
    undone = select(j.c.reverses_id).where(j.c.reverses_id.is_not(None))
    query = select(j).where(
        j.c.of_id == credit_id, j.c.kind == Kind.TRANSFER, j.c.patient_cents > 0, j.c.id.not_in(undone)
    )
    return [money.entry_of(row) for row in tx.rows(query.order_by(j.c.id.desc()))]


def _bring_back(tx: Transaction, ledger: Any, moved: Entry) -> int:
    """Reverse a transfer of credit on both ledgers; the cents that came back."""
    j = schema.journal
    there = tx.one(select(j).where(j.c.of_id == moved.id, j.c.kind == Kind.TRANSFER))
    target = ledger_of(tx, there.patient_id, there.visit_id, there.site_id)
    make_free(tx, target, there.id, -there.patient_cents)
    words = "Credit taken back, its payment was given back"
    reverse(tx, target, money.entry_of(there), words)
    reverse(tx, ledger, moved, words)
    settle(tx, target)
    tell_money(tx, target)
    return moved.patient_cents


def move_credit(tx: Transaction, source: Any, target: Any, credit_id: int, cents: int, words: tuple[str, str]) -> int:
    """Take `cents` of a free credit from one ledger to another: two entries that add up to nothing. The entry on the target."""
    out = add_entry(tx, source, Kind.TRANSFER, cents, 0, words[0], of_id=credit_id)
    return add_entry(tx, target, Kind.TRANSFER, -cents, 0, words[1], of_id=out)


def tell_money(tx: Transaction, ledger: Any) -> None:
    tx.tell(
        "money", site_id=ledger.site_id, day=getattr(ledger, "day", None), visit_id=ledger.id, patient_id=ledger.patient_id
    )  # fmt: skip

"""Receipts: what was paid in one go, whatever the tenders, and for what; shown, printed and mailed again at
any time with the same numbers.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from zax.clock import local_date
from zax.core.errors import NotFound, Refused
from zax.core.money.books import day_of_books
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.dues import line_words
from zax.store.acts.outbox import errand_exists
from zax.store.engine import Connection
from zax.store.money import payments as stored
from zax.store.money import queries as money
from zax.store.money.records import LineWords, NamedPart, NamedReceipt, Payment
from zax.store.patients.patients import known_patient


@dataclass(frozen=True, slots=True)
class Part:
    """What some of a receipt was for; cents, negative when it was refunded."""

    words: str
    first: str
    day: date | None
    visit_id: int | None
    cents: int


@dataclass(frozen=True, slots=True)
class Receipt:
    """One receipt: its row, its tenders in order, and what they were for. `back` says that it gives money
    back.
    """

    row: NamedReceipt
    payments: Sequence[Payment]
    parts: Sequence[Part]

    def why_not_void(self, today: date) -> str:
        """Why its payments cannot be undone whole anymore; empty while the books of its day are open."""
        day, closed = self.row.day, self.row.closed_day
        now = day_of_books(today, closed)
        if day == now:
            return ""
        if day > now:
            return f"It counts on {day_words(day)}, which hasn’t started"
        return f"{day_words(day)} is {'closed' if closed and day <= closed else 'over'}"

    def later_than(self, zone: str) -> date | None:
        """The day on which it was taken, when the books put it on a later one; None when they did not."""
        taken = local_date(self.row.at, zone)
        return taken if taken < self.row.day else None

    @property
    def taken(self) -> list[Payment]:
        return [each for each in self.payments if each.state == PaymentState.TAKEN]

    @property
    def cents(self) -> int:
        return sum(each.cents for each in self.taken)

    @property
    def back(self) -> bool:
        return any(each.kind != "payment" for each in self.payments)

    @property
    def missing(self) -> int:
        """Cents that were asked for and not approved."""
        return sum(
            each.asked_cents - (each.cents if each.state == PaymentState.TAKEN else 0)
            for each in self.payments
            if each.state not in OPEN_STATES and each.kind == "payment"
        )


def receipt_of(connection: Connection, clinic: Clinic, receipt_id: int) -> Receipt:
    """Read one, with its patient's name and address and who took it; NotFound for an unknown number."""
    row = stored.named_receipt(connection, receipt_id)
    if row is None:
        raise NotFound("There is no such receipt.")
    payments = stored.payments_of_receipt(connection, receipt_id)
    return Receipt(row, payments, _parts_of(connection, clinic, payments))


def given_back_of(connection: Connection, shown: Receipt) -> tuple[list[Payment], dict[int, Payment]]:
    """The later payments that gave something of a receipt back, and by number those that it gives back
    itself.
    """
    later = stored.given_back_of(connection, [each.id for each in shown.payments])
    return later, stored.payments_by_ids(connection, [each.of_id for each in shown.payments if each.of_id])


def _parts_of(connection: Connection, clinic: Clinic, payments: Sequence[Payment]) -> list[Part]:
    """What the taken payments were for; several parts for the same thing come together."""
    taken = [each.id for each in payments if each.state == PaymentState.TAKEN]
    rows = stored.named_parts_of(connection, taken)
    lines = {
        line.id: line for line in money.lines_of(connection, [each.line_id for each in rows if each.line_id])
    }
    together: dict[tuple[Part, int | None], int] = {}
    for each in rows:
        part = Part(_part_words(clinic, each, lines), each.first, each.day, each.visit_id, 0)
        together[part, each.line_id] = together.get((part, each.line_id), 0) + each.cents
    return [replace(part, cents=cents) for (part, _), cents in together.items()]


def _part_words(clinic: Clinic, row: NamedPart, lines: Mapping[int, LineWords]) -> str:
    if row.line_id is not None and row.line_id in lines:
        return line_words(clinic, lines[row.line_id])
    if row.type_id is not None:
        return clinic.types[row.type_id].name
    return "Credit for later"


def email_of(tx: Transaction, patient_id: int) -> str:
    email = known_patient(tx.connection, patient_id).email
    if not email:
        raise Refused("No email address on file. Print the receipt, or enter the address first.", "receipt")
    return email


def mail_receipt(tx: Transaction, receipt_id: int) -> None:
    """Once nothing is not confirmed yet anymore the receipt goes out, if it was wished by email and something
    was paid.
    """
    row = stored.receipt_of(tx.connection, receipt_id)
    if row is None or row.how != "email":
        return
    states = {each.state for each in stored.payments_of_receipt(tx.connection, receipt_id)}
    key = f"receipt-paid-{receipt_id}"
    if states & set(OPEN_STATES) or PaymentState.TAKEN not in states or errand_exists(tx.connection, key):
        return
    _mail(tx, key, receipt_id, row.email)


def _mail(tx: Transaction, key: str, receipt_id: int, to: str) -> None:
    tx.send("receipt_mail", key, {"receipt_id": receipt_id, "to": to})


@act("payments")
def send_receipt(tx: Transaction, receipt_id: int) -> str:
    """Mail a receipt again, to the address on file today; the address. Refused without one."""
    row = stored.receipt_of(tx.connection, receipt_id)
    if row is None:
        raise NotFound("There is no such receipt.")
    to = email_of(tx, row.patient_id)
    states = {each.state for each in stored.payments_of_receipt(tx.connection, receipt_id)}
    if PaymentState.TAKEN not in states:
        raise Refused("Nothing was taken yet, so there’s no receipt to send.", "receipt")
    _mail(tx, f"receipt-again-{receipt_id}-{tx.now:%y%m%d%H%M}", receipt_id, to)  # pressed twice it goes once
    tx.audit("receipt.sent", patient_id=row.patient_id, receipt=receipt_id)
    return to

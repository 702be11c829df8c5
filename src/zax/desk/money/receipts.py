"""Receipts: what was paid in one go, whatever the tenders, and for what; shown, printed and mailed again at any time with the same numbers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from email.utils import make_msgid
from typing import Any

from sqlalchemy import Connection, select

from zax.core.errors import NotFound, Refused
from zax.core.money.books import day_of_books
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.desk.acts.act import act
from zax.desk.acts.letters import letter
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.dues import line_words
from zax.outside.doors import Mail
from zax.store import schema
from zax.store.money import queries as money


@dataclass(frozen=True, slots=True)
class Part:
    """What some of a receipt was for; cents, negative when it was given back."""

    words: str
    first: str
    day: date | None
    visit_id: int | None
    cents: int


@dataclass(frozen=True, slots=True)
class Receipt:
    """One receipt: its row, its tenders in order, and what they were for. `back` says that it gives money back."""

    row: Any
    payments: Sequence[Any]
    parts: Sequence[Part]

    def voidable(self, today: date) -> bool:
        """While the books of its day are open its payments can be undone whole."""
        return bool(self.row.day == day_of_books(today, self.row.closed_day))

    @property
    def taken(self) -> list[Any]:
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
    r, y, p, u, b = schema.receipt, schema.payment, schema.patient, schema.user, schema.site_books
    query = (
        select(r, p.c.first, p.c.last, p.c.email.label("email_now"), u.c.name.label("by_name"), b.c.closed_day)
        .join(p, p.c.id == r.c.patient_id)
        .join(u, u.c.id == r.c.by_id, isouter=True)
        .join(b, b.c.site_id == r.c.site_id, isouter=True)
    )
    row = connection.execute(query.where(r.c.id == receipt_id)).first()
    if row is None:
        raise NotFound("There is no such receipt.")
    payments = connection.execute(select(y).where(y.c.receipt_id == receipt_id).order_by(y.c.id)).all()
    return Receipt(row, payments, _parts_of(connection, clinic, payments))


def given_back_of(connection: Connection, shown: Receipt) -> tuple[Sequence[Any], dict[int, Any]]:
    """The later payments that gave something of a receipt back, and by number those that it gives back itself."""
    y = schema.payment
    later = select(y).where(y.c.of_id.in_([each.id for each in shown.payments])).order_by(y.c.id)
    originals = select(y).where(y.c.id.in_([each.of_id for each in shown.payments if each.of_id]))
    return connection.execute(later).all(), {each.id: each for each in connection.execute(originals)}


def _parts_of(connection: Connection, clinic: Clinic, payments: Sequence[Any]) -> list[Part]:
    """What the taken payments were for; several parts for the same thing come together."""
    part, v, p = schema.payment_part, schema.visit, schema.patient
    query = (
        select(part, p.c.first, v.c.day, v.c.type_id)
        .join(p, p.c.id == part.c.patient_id)
        .join(v, v.c.id == part.c.visit_id, isouter=True)
        .where(part.c.payment_id.in_([each.id for each in payments if each.state == PaymentState.TAKEN]))
        .order_by(part.c.id)
    )
    rows = connection.execute(query).all()
    lines = {line.id: line for line in money.lines_of(connection, [each.line_id for each in rows if each.line_id])}
    together: dict[tuple[Any, ...], int] = {}
    for each in rows:
        key = (_part_words(clinic, each, lines), each.first, each.day, each.visit_id, each.line_id)
        together[key] = together.get(key, 0) + int(each.cents)
    return [Part(*key[:4], cents) for key, cents in together.items()]


def _part_words(clinic: Clinic, row: Any, lines: dict[int, Any]) -> str:
    if row.line_id in lines:
        return line_words(clinic, lines[row.line_id])
    if row.visit_id is not None:
        return clinic.types[row.type_id].name
    return "Credit for later"


def email_of(tx: Transaction, patient_id: int) -> str:
    p = schema.patient
    email = str(tx.one(select(p.c.email).where(p.c.id == patient_id)).email)
    if not email:
        raise Refused("No email address on file. Print the receipt, or enter the address first.", "receipt")
    return email


def mail_receipt(tx: Transaction, receipt_id: int) -> None:
    """Once nothing is being clarified any more the receipt goes out, if it was wished by email and something was paid."""
    r, p, o = schema.receipt, schema.payment, schema.outbox
    row = tx.one(select(r).where(r.c.id == receipt_id))
    if row.how != "email":
        return
    states = {each.state for each in tx.rows(select(p.c.state).where(p.c.receipt_id == receipt_id))}
    key = f"receipt-paid-{receipt_id}"
    if (
        states & set(OPEN_STATES)
        or PaymentState.TAKEN not in states
        or tx.one(select(o.c.id).where(o.c.request_key == key))
    ):
        return
    _mail(tx, key, receipt_id, row.email)


def _mail(tx: Transaction, key: str, receipt_id: int, to: str) -> None:
    tx.send("receipt_mail", key, {"receipt_id": receipt_id, "to": to, "message_id": make_msgid(domain="zax.invalid")})


@act("payments")
def send_receipt(tx: Transaction, receipt_id: int) -> str:
    """Mail a receipt again, to the address on file today; the address. Refused without one."""
    row = tx.one(select(schema.receipt).where(schema.receipt.c.id == receipt_id))
    if row is None:
        raise NotFound("There is no such receipt.")
    to = email_of(tx, row.patient_id)
    _mail(tx, f"receipt-again-{receipt_id}-{int(tx.now.timestamp())}", receipt_id, to)
    tx.audit("receipt.sent", patient_id=row.patient_id, receipt=receipt_id)
    return to


def mail_waiting_receipt(
    desk: Desk, mail: Mail, pdf: Callable[[Desk, int], bytes], payload: Mapping[str, Any]
) -> None:
    """The worker's part: the receipt as it is now, by email."""
    name = desk.clinic.about["clinic_name"]
    text = f"Thank you for your payment. Your receipt is attached.\n\n{name}\n"
    message = letter(desk, payload, f"Your receipt from {name}", text)
    content = pdf(desk, payload["receipt_id"])
    message.add_attachment(content, maintype="application", subtype="pdf", filename="receipt.pdf")
    mail.send(message)

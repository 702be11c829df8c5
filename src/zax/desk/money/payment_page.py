"""What the payment page and a receipt show: what is open, what may be paid ahead, how this household paid last, and what one receipt was for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, select, text

from zax.clock import local
from zax.core.errors import NotFound
from zax.core.money.tender import OPEN_STATES, PaymentState
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.cards_on_file import cards_of
from zax.desk.money.dues import OpenItems, open_items
from zax.desk.money.ledger import bill_of
from zax.store import schema
from zax.store.book import queries as visits
from zax.store.money import queries as money
from zax.store.money.rules import products

# Visits from today on for which nothing is charged yet: a copay or a deposit may be taken for them.
_COMING = text(
    "SELECT v.id, v.patient_id, v.day, v.start_min, v.type_id, v.state, p.first, COALESCE((SELECT -SUM(j.patient_cents) FROM journal j WHERE j.visit_id = v.id), 0) AS paid "
    "FROM patient p JOIN visit v ON v.patient_id = p.id WHERE p.household_id = :household_id AND v.day >= :today "
    "AND v.state IN ('booked', 'confirmed', 'here', 'room') ORDER BY v.day, v.start_min LIMIT 6"
)


def patient_of_visit(connection: Connection, visit_id: int) -> int:
    """Whose visit it is; NotFound for an unknown one."""
    found = connection.execute(select(schema.visit.c.patient_id).where(schema.visit.c.id == visit_id)).scalar()
    if found is None:
        raise NotFound("There is no such visit.")
    return int(found)


@dataclass(frozen=True, slots=True)
class Ways:
    """How a household paid last and what it did with the receipt; empty when it never paid."""

    tender: str = ""
    receipt: str = ""


@dataclass(frozen=True, slots=True)
class Ahead:
    """A visit that may be paid for before it is charged; `copay` is what the plan asks for and is not paid yet (cents)."""

    visit: Any
    copay: int


@dataclass(frozen=True, slots=True)
class PayDesk:
    """Everything on the payment page. `asking` are payments of the household that are being clarified."""

    patient: Any
    household: Any
    members: int
    items: OpenItems
    ahead: Sequence[Ahead]
    cards: Sequence[Any]
    products: Sequence[Any]
    ways: Ways
    asking: Sequence[Any]


def pay_desk(
    connection: Connection, clinic: Clinic, now: datetime, patient_id: int, visit_id: int | None = None
) -> PayDesk:
    """Read it; NotFound for an unknown patient. `visit_id` is the visit the payment is about, if there is one."""
    patient = connection.execute(select(schema.patient).where(schema.patient.c.id == patient_id)).first()
    if patient is None:
        raise NotFound("There is no such patient.")
    household_id = patient.household_id
    household = connection.execute(select(schema.household).where(schema.household.c.id == household_id)).one()
    today = local(now, clinic.first_site.timezone).date()
    coming = connection.execute(_COMING, {"household_id": household_id, "today": today}).all()
    ahead = [
        Ahead(row, _copay(connection, clinic, row) if row.day == today or row.id == visit_id else 0) for row in coming
    ]
    return PayDesk(
        patient, household, len(money.household_people(connection, household_id)), open_items(connection, clinic, household_id), ahead,
        cards_of(connection, household_id), products(connection), last_ways(connection, household_id), asking_of(connection, household_id),
    )  # fmt: skip


def _copay(connection: Connection, clinic: Clinic, row: Any) -> int:
    bill = bill_of(connection, clinic, visits.one_visit(connection, row.id))
    return max(0, sum(each.copay_due for each in bill.estimates) - int(row.paid))


def last_ways(connection: Connection, household_id: int) -> Ways:
    """The tender used last, and the wish for its receipt."""
    y, r, p = schema.payment, schema.receipt, schema.patient
    query = select(y.c.tender, r.c.how).join(r, r.c.id == y.c.receipt_id).join(p, p.c.id == y.c.patient_id)
    query = query.where(p.c.household_id == household_id, y.c.state == PaymentState.TAKEN, y.c.kind == "payment")
    row = connection.execute(query.order_by(y.c.id.desc()).limit(1)).first()
    return Ways(row.tender, row.how) if row else Ways()


def asking_of(connection: Connection, household_id: int) -> list[Any]:
    """Payments of the household that the terminal has not answered."""
    y, p = schema.payment, schema.patient
    query = (
        select(y)
        .join(p, p.c.id == y.c.patient_id)
        .where(p.c.household_id == household_id, y.c.state.in_(OPEN_STATES))
    )
    return list(connection.execute(query.order_by(y.c.id)).all())

"""What the payment page and a receipt show: what is open, what may be paid ahead, how this household paid
last, and what one receipt was for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from zax.clock import local
from zax.core.errors import NotFound
from zax.core.money.rules import Product
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.dues import OpenItems, open_items
from zax.desk.money.ledger import bill_of
from zax.store.book import queries as visits
from zax.store.engine import Connection
from zax.store.money import payments
from zax.store.money import queries as money
from zax.store.money.records import CardOnFile, ComingVisit, Payment
from zax.store.money.rules import products
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient


def patient_of_visit(connection: Connection, visit_id: int) -> int:
    """Whose visit it is; NotFound for an unknown one."""
    visit = visits.one_visit(connection, visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    return visit.patient_id


@dataclass(frozen=True, slots=True)
class Ways:
    """How a household paid last and what it did with the receipt; empty when it never paid."""

    tender: str = ""
    receipt: str = ""


@dataclass(frozen=True, slots=True)
class Ahead:
    """A visit that may be paid for before it is charged; `copay` is what the plan asks for and is not paid
    yet (cents).
    """

    visit: ComingVisit
    copay: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PayDesk:
    """Everything on the payment page. `asking` are payments of the household that are not confirmed yet."""

    patient: Patient
    household: str
    members: int
    items: OpenItems
    ahead: Sequence[Ahead]
    cards: Sequence[CardOnFile]
    products: Sequence[Product]
    ways: Ways
    asking: Sequence[Payment]


def pay_desk(
    connection: Connection, clinic: Clinic, now: datetime, patient_id: int, visit_id: int | None = None
) -> PayDesk:
    """Read it; NotFound for an unknown patient. `visit_id` is the visit the payment is about, if there is
    one.
    """
    patient = patient_of(connection, patient_id)
    if patient is None:
        raise NotFound("There is no such patient.")
    household_id = patient.household_id
    today = local(now, clinic.first_site.timezone).date()
    coming = payments.coming_visits(connection, household_id, today)
    ahead = [
        Ahead(row, copay_of(connection, clinic, row) if row.day == today or row.id == visit_id else 0)
        for row in coming
    ]
    return PayDesk(
        patient=patient,
        household=money.household_name(connection, household_id),
        members=len(money.household_people(connection, household_id)),
        items=open_items(connection, clinic, household_id),
        ahead=ahead,
        cards=payments.cards_of(connection, household_id),
        products=products(connection),
        ways=last_ways(connection, household_id),
        asking=payments.asking_of(connection, household_id),
    )


def copay_of(connection: Connection, clinic: Clinic, row: ComingVisit) -> int:
    """What the plan asks for of a visit still to come and isn't paid yet; cents."""
    visit = visits.one_visit(connection, row.id)
    assert visit is not None
    bill = bill_of(connection, clinic, visit)
    return max(0, sum(each.copay_due for each in bill.estimates) - row.paid)


def last_ways(connection: Connection, household_id: int) -> Ways:
    """The tender used last, and the wish for its receipt."""
    found = payments.paid_last(connection, household_id)
    return Ways(found.tender, found.how) if found else Ways()

"""Payments made online, as they are kept until they are applied."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select

from zax.store.own.tables import own_payment
from zax.store.patients.tables import patient
from zax.store.rows import add, change, many, one

_p = own_payment


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnPayment:
    """Cents. `lines` is the suggested allocation, [[line, cents]]; `page` the card door's address."""

    id: int
    request_key: str
    patient_id: int
    household_id: int
    receipt_id: int
    visit_id: int | None
    about: str
    cents: int
    state: str
    lines: Sequence[Sequence[int]]
    page: str
    made_at: datetime
    done_at: datetime | None
    done_by: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedOwnPayment(OwnPayment):
    first: str
    last: str


def add_own_payment(connection: Connection, **values: object) -> int:
    return add(connection, _p, **values)


def change_own_payment(connection: Connection, number: int, **values: object) -> None:
    change(connection, _p, number, **values)


def own_payment_of(connection: Connection, key: str) -> OwnPayment | None:
    return one(connection, select(_p).where(_p.c.request_key == key), OwnPayment)


def hold_own_payment(connection: Connection, key: str) -> OwnPayment | None:
    return one(connection, select(_p).where(_p.c.request_key == key).with_for_update(), OwnPayment)


def hold_by_id(connection: Connection, number: int) -> OwnPayment | None:
    return one(connection, select(_p).where(_p.c.id == number).with_for_update(), OwnPayment)


def begun_of(connection: Connection, household_id: int) -> list[OwnPayment]:
    """Those of a household that are being paid now."""
    query = select(_p).where(_p.c.household_id == household_id, _p.c.state == "begun")
    return many(connection, query, OwnPayment)


def payments_of(connection: Connection, household_id: int) -> list[OwnPayment]:
    """Everything that a household paid online, the newest first."""
    query = select(_p).where(_p.c.household_id == household_id).order_by(_p.c.id.desc()).limit(100)
    return many(connection, query, OwnPayment)


def proposals(connection: Connection) -> list[NamedOwnPayment]:
    """What was paid and not applied yet, the oldest first."""
    query = select(_p, patient.c.first, patient.c.last).join(patient, patient.c.id == _p.c.patient_id)
    query = query.where(_p.c.state == "proposed").order_by(_p.c.made_at, _p.c.id).limit(200)
    return many(connection, query, NamedOwnPayment)

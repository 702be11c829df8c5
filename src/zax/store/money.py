"""Reading charges and the journal: a visit's lines, its entries and allocations, a household's account, open sums of a day."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, Row, bindparam, func, select, text

from zax.core.money.journal import Allocation, Entry, Kind
from zax.store.schema import (
    allocation,
    charge_line,
    claim_line,
    diagnosis_code,
    journal,
    patient,
    payment,
    payment_part,
    user,
    visit,
    visit_diagnosis,
)

_LINES = (
    select(charge_line)
    .where(charge_line.c.visit_id == bindparam("visit_id"), charge_line.c.removed_at.is_(None))
    .order_by(charge_line.c.id)
)
_ENTRY = (
    journal.c.id, journal.c.kind, journal.c.day, journal.c.patient_cents, journal.c.insurer_cents, journal.c.line_id,
    journal.c.visit_id, journal.c.reverses_id,
)  # fmt: skip
_VISIT_ENTRIES = select(*_ENTRY).where(journal.c.visit_id == bindparam("visit_id")).order_by(journal.c.id)
_VISIT_ALLOCATIONS = (
    select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    .join(charge_line, charge_line.c.id == allocation.c.line_id)
    .where(charge_line.c.visit_id == bindparam("visit_id"))
    .order_by(allocation.c.id)
)
_DIAGNOSES = (
    select(visit_diagnosis.c.position, visit_diagnosis.c.code, diagnosis_code.c.words)
    .join(diagnosis_code, diagnosis_code.c.code == visit_diagnosis.c.code)
    .where(visit_diagnosis.c.visit_id == bindparam("visit_id"))
    .order_by(visit_diagnosis.c.position)
)
OPEN_OF_VISITS = text(
    "SELECT j.visit_id, SUM(j.patient_cents) AS patient_cents, SUM(j.insurer_cents) AS insurer_cents, "
    "SUM(CASE WHEN j.kind = 'charge' OR (j.kind = 'reversal' AND j.payment_id IS NULL) THEN j.patient_cents + j.insurer_cents ELSE 0 END) AS fee_cents "
    "FROM journal j JOIN visit v ON v.id = j.visit_id WHERE v.day = :day AND v.site_id = :site_id GROUP BY j.visit_id"
)
# LEFT visits of earlier days whose insurer has answered and whose patient part is open (or overpaid).
PATIENT_REST = text(
    "SELECT v.id, v.patient_id, v.day, p.first, p.last, SUM(j.patient_cents) AS patient_cents FROM visit v "
    "JOIN patient p ON p.id = v.patient_id JOIN journal j ON j.visit_id = v.id "
    "WHERE v.state = 'left' AND v.site_id = :site_id GROUP BY v.id "
    "HAVING SUM(j.insurer_cents) = 0 AND patient_cents <> 0 ORDER BY v.day DESC, v.id DESC LIMIT 40"
)


def visit_lines(connection: Connection, visit_id: int) -> Sequence[Row[Any]]:
    return connection.execute(_LINES, {"visit_id": visit_id}).all()


def visit_diagnoses(connection: Connection, visit_id: int) -> Sequence[Row[Any]]:
    return connection.execute(_DIAGNOSES, {"visit_id": visit_id}).all()


def visit_entries(connection: Connection, visit_id: int) -> list[Entry]:
    return [_entry(row) for row in connection.execute(_VISIT_ENTRIES, {"visit_id": visit_id})]


def visit_allocations(connection: Connection, visit_id: int) -> list[Allocation]:
    return [Allocation(*row) for row in connection.execute(_VISIT_ALLOCATIONS, {"visit_id": visit_id})]


def _entry(row: Row[Any]) -> Entry:
    return Entry(
        row.id,
        Kind(row.kind),
        row.day,
        row.patient_cents,
        row.insurer_cents,
        row.line_id,
        row.visit_id,
        row.reverses_id,
    )


def household_entries(connection: Connection, household_id: int) -> Sequence[Row[Any]]:
    """The whole journal of a household, oldest first, with who made each entry."""
    query = (
        select(
            *_ENTRY,
            journal.c.patient_id,
            journal.c.payment_id,
            journal.c.claim_id,
            journal.c.words,
            journal.c.at,
            user.c.name.label("by_name"),
        )
        .join(patient, patient.c.id == journal.c.patient_id)
        .join(user, user.c.id == journal.c.by_id, isouter=True)
        .where(patient.c.household_id == household_id)
        .order_by(journal.c.id)
    )
    return connection.execute(query).all()


def household_allocations(connection: Connection, household_id: int) -> Sequence[Row[Any]]:
    query = (
        select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
        .join(patient, patient.c.id == allocation.c.patient_id)
        .where(patient.c.household_id == household_id)
        .order_by(allocation.c.id)
    )
    return connection.execute(query).all()


def household_lines(connection: Connection, household_id: int) -> Sequence[Row[Any]]:
    query = (
        select(charge_line)
        .join(visit, visit.c.id == charge_line.c.visit_id)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(patient.c.household_id == household_id)
    )
    return connection.execute(query).all()


def pending_payments(connection: Connection, visit_id: int) -> int:
    """Cents the terminal was asked for and has not answered yet."""
    part = payment_part
    query = (
        select(func.coalesce(func.sum(part.c.cents), 0))
        .join(payment, payment.c.id == part.c.payment_id)
        .where(part.c.visit_id == visit_id, payment.c.state.in_(("asking", "unknown")))
    )
    return int(connection.execute(query).scalar_one())


_CLAIM_LINES = (
    select(charge_line, claim_line.c.cents)
    .join(claim_line, claim_line.c.line_id == charge_line.c.id)
    .where(claim_line.c.claim_id == bindparam("claim_id"))
    .order_by(claim_line.c.position)
)


def claim_lines(connection: Connection, claim_id: int) -> Sequence[Row[Any]]:
    """The charge lines on a claim in their order, each with the `cents` that were claimed."""
    return connection.execute(_CLAIM_LINES, {"claim_id": claim_id}).all()

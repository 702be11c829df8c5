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
    journal.c.visit_id, journal.c.reverses_id, journal.c.of_id,
)  # fmt: skip
_VISIT_ENTRIES = select(*_ENTRY).where(journal.c.visit_id == bindparam("visit_id")).order_by(journal.c.id)
_VISIT_ALLOCATIONS = (
    select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    .join(charge_line, charge_line.c.id == allocation.c.line_id)
    .where(charge_line.c.visit_id == bindparam("visit_id"))
    .order_by(allocation.c.id)
)
# What belongs to no visit stands on the patient's own ledger.
_OWN_ENTRIES = (
    select(*_ENTRY)
    .where(journal.c.patient_id == bindparam("patient_id"), journal.c.visit_id.is_(None))
    .order_by(journal.c.id)
)
_OWN_ALLOCATIONS = (
    select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
    .join(charge_line, charge_line.c.id == allocation.c.line_id)
    .where(charge_line.c.patient_id == bindparam("patient_id"), charge_line.c.visit_id.is_(None))
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
    "SUM(CASE WHEN COALESCE(r.kind, j.kind) = 'charge' THEN j.patient_cents + j.insurer_cents ELSE 0 END) AS fee_cents "
    "FROM journal j JOIN visit v ON v.id = j.visit_id LEFT JOIN journal r ON r.id = j.reverses_id WHERE v.day = :day AND v.site_id = :site_id GROUP BY j.visit_id"
)
# LEFT visits of earlier days whose insurer has answered and whose patient part is open (or overpaid).
PATIENT_REST = text(
    "SELECT v.id, v.patient_id, v.day, p.first, p.last, SUM(j.patient_cents) AS patient_cents FROM visit v "
    "JOIN patient p ON p.id = v.patient_id JOIN journal j ON j.visit_id = v.id "
    "WHERE v.state = 'left' AND v.site_id = :site_id GROUP BY v.id "
    "HAVING SUM(j.insurer_cents) = 0 AND patient_cents <> 0 ORDER BY v.day DESC, v.id DESC LIMIT 40"
)
# What is open on patients' own ledgers: products, fees, balances brought over.
OWN_REST = text(
    "SELECT NULL AS id, j.patient_id, MAX(j.day) AS day, p.first, p.last, SUM(j.patient_cents) AS patient_cents FROM journal j JOIN patient p ON p.id = j.patient_id "
    "WHERE j.visit_id IS NULL AND j.site_id = :site_id GROUP BY j.patient_id HAVING patient_cents > 0 ORDER BY day DESC LIMIT 40"
)


def visit_lines(connection: Connection, visit_id: int) -> Sequence[Row[Any]]:
    return connection.execute(_LINES, {"visit_id": visit_id}).all()


def visit_diagnoses(connection: Connection, visit_id: int) -> Sequence[Row[Any]]:
    return connection.execute(_DIAGNOSES, {"visit_id": visit_id}).all()


def visit_entries(connection: Connection, visit_id: int) -> list[Entry]:
    return [entry_of(row) for row in connection.execute(_VISIT_ENTRIES, {"visit_id": visit_id})]


def visit_allocations(connection: Connection, visit_id: int) -> list[Allocation]:
    return [Allocation(*row) for row in connection.execute(_VISIT_ALLOCATIONS, {"visit_id": visit_id})]


def ledger_entries(connection: Connection, patient_id: int, visit_id: int | None) -> list[Entry]:
    """The entries of a visit's ledger, or of the patient's own."""
    if visit_id is not None:
        return visit_entries(connection, visit_id)
    return [entry_of(row) for row in connection.execute(_OWN_ENTRIES, {"patient_id": patient_id})]


def ledger_allocations(connection: Connection, patient_id: int, visit_id: int | None) -> list[Allocation]:
    if visit_id is not None:
        return visit_allocations(connection, visit_id)
    return [Allocation(*row) for row in connection.execute(_OWN_ALLOCATIONS, {"patient_id": patient_id})]


def entry_of(row: Row[Any]) -> Entry:
    return Entry(
        row.id, Kind(row.kind), row.day, row.patient_cents, row.insurer_cents, row.line_id, row.visit_id, row.reverses_id, row.of_id
    )  # fmt: skip


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
            journal.c.reason_id,
            user.c.name.label("by_name"),
        )
        .join(patient, patient.c.id == journal.c.patient_id)
        .join(user, user.c.id == journal.c.by_id, isouter=True)
        .where(patient.c.household_id == household_id)
        .order_by(journal.c.id)
    )
    return connection.execute(query).all()


def household_allocations(connection: Connection, household_id: int) -> list[Allocation]:
    query = (
        select(allocation.c.credit_id, allocation.c.line_id, allocation.c.cents)
        .join(patient, patient.c.id == allocation.c.patient_id)
        .where(patient.c.household_id == household_id)
        .order_by(allocation.c.id)
    )
    return [Allocation(*row) for row in connection.execute(query)]


def lines_of(connection: Connection, line_ids: Sequence[int]) -> Sequence[Row[Any]]:
    """What charge lines say of themselves, with whose they are (`person_id`) and their visit's day."""
    return connection.execute(_LINE_ROWS.where(charge_line.c.id.in_(line_ids or [0]))).all()


def household_lines(connection: Connection, household_id: int) -> Sequence[Row[Any]]:
    """Every charge line of a household that is in its journal, those without a visit among them."""
    query = _LINE_ROWS.where(charge_line.c.id.in_(_LINES_OF_HOUSEHOLD))
    return connection.execute(query, {"household_id": household_id}).all()


def household_people(connection: Connection, household_id: int) -> dict[int, str]:
    """{patient_id: first name}."""
    query = select(patient.c.id, patient.c.first).where(patient.c.household_id == household_id)
    return {row.id: row.first for row in connection.execute(query)}


def household_visits(connection: Connection, household_id: int) -> dict[int, Row[Any]]:
    """The household's visits that have money, by id: day, state, type, provider, site."""
    query = text(
        "SELECT v.id, v.patient_id, v.day, v.start_min, v.state, v.type_id, v.provider_id, v.site_id FROM visit v WHERE v.id IN "
        "(SELECT j.visit_id FROM patient p JOIN journal j ON j.patient_id = p.id WHERE p.household_id = :household_id)"
    )
    return {row.id: row for row in connection.execute(query, {"household_id": household_id})}


_LINE_ROWS = select(
    charge_line.c.id,
    charge_line.c.visit_id,
    charge_line.c.service_id,
    charge_line.c.units,
    charge_line.c.tooth,
    charge_line.c.kind,
    charge_line.c.words,
    charge_line.c.entered_at,
    func.coalesce(charge_line.c.patient_id, visit.c.patient_id).label("person_id"),
    visit.c.day.label("visit_day"),
).join(visit, visit.c.id == charge_line.c.visit_id, isouter=True)
_LINES_OF_HOUSEHOLD = (
    select(journal.c.line_id)
    .join(patient, patient.c.id == journal.c.patient_id)
    .where(patient.c.household_id == bindparam("household_id"), journal.c.line_id.is_not(None))
)


def pending_payments(connection: Connection, visit_id: int) -> int:
    """Cents the terminal was asked for and has not answered yet."""
    part = payment_part
    query = (
        select(func.coalesce(func.sum(part.c.cents), 0))
        .join(payment, payment.c.id == part.c.payment_id)
        .where(part.c.visit_id == visit_id, payment.c.state.in_(("asking", "unknown")))
    )
    return int(connection.execute(query).scalar_one())


_PENDING_LINES = (
    select(payment_part.c.line_id, func.sum(payment_part.c.cents).label("cents"))
    .join(payment, payment.c.id == payment_part.c.payment_id)
    .join(patient, patient.c.id == payment_part.c.patient_id)
    .where(
        patient.c.household_id == bindparam("household_id"),
        payment.c.state.in_(("asking", "unknown")),
        payment_part.c.line_id.is_not(None),
    )
    .group_by(payment_part.c.line_id)
)


def pending_lines(connection: Connection, household_id: int) -> dict[int, int]:
    """Cents that a terminal is being asked for, by the line they are for."""
    return {row.line_id: int(row.cents) for row in connection.execute(_PENDING_LINES, {"household_id": household_id})}


_CLAIM_LINES = (
    select(charge_line, claim_line.c.cents)
    .join(claim_line, claim_line.c.line_id == charge_line.c.id)
    .where(claim_line.c.claim_id == bindparam("claim_id"))
    .order_by(claim_line.c.position)
)


def claim_lines(connection: Connection, claim_id: int) -> Sequence[Row[Any]]:
    """The charge lines on a claim in their order, each with the `cents` that were claimed."""
    return connection.execute(_CLAIM_LINES, {"claim_id": claim_id}).all()

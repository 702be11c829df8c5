"""Reading everything of a stretch of patients for the audit of the ledgers: entries, allocations, the
database's own sums, payments, stops.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy import Connection, text

from zax.core.book.track import FINISHED
from zax.core.money.journal import Allocation, Entry, Kind
from zax.core.money.tender import OPEN_STATES
from zax.store.rows import many, sql_list

_ENTRIES = text(
    """
    SELECT id, kind, day, patient_cents, insurer_cents, line_id, visit_id, reverses_id, of_id, patient_id
    FROM journal
    WHERE patient_id BETWEEN :first AND :last
    ORDER BY id
    """
)
_ALLOCATIONS = text(
    """
    SELECT credit_id, line_id, cents
    FROM allocation
    WHERE patient_id BETWEEN :first AND :last
    ORDER BY id
    """
)
_SUMS = text(
    """
    SELECT patient_id, visit_id, SUM(patient_cents) AS patient, SUM(insurer_cents) AS insurer
    FROM journal
    WHERE patient_id BETWEEN :first AND :last
    GROUP BY patient_id, visit_id
    """
)
_PAYMENTS = text(
    """
    SELECT y.id, y.state, y.kind, y.cents, COALESCE((SELECT SUM(j.patient_cents) FROM journal j WHERE
        j.payment_id = y.id AND j.kind <> 'fee'), 0) AS posted
    FROM payment y
    WHERE y.patient_id BETWEEN :first AND :last
    """
)
_STOPS = text(
    f"""
    SELECT v.id, v.state
    FROM visit v
    WHERE v.patient_id BETWEEN :first AND :last AND v.state IN {sql_list(FINISHED)} AND NOT EXISTS (SELECT 1
        FROM payment_part t JOIN payment y ON y.id = t.payment_id WHERE t.visit_id = v.id AND y.state IN
        {sql_list(OPEN_STATES)})
    """
)


@dataclass(frozen=True, slots=True)
class Patients:
    """From the first id to the last, both included."""

    first: int
    last: int

    @property
    def values(self) -> dict[str, int]:
        return {"first": self.first, "last": self.last}


@dataclass(frozen=True, slots=True)
class LedgerSum:
    patient_id: int
    visit_id: int | None
    patient: int
    insurer: int


@dataclass(frozen=True, slots=True)
class PostedPayment:
    """A payment with what the journal says was posted for it (cents)."""

    id: int
    state: str
    kind: str
    cents: int
    posted: int


@dataclass(frozen=True, slots=True)
class VisitStop:
    id: int
    state: str


def last_patient(connection: Connection) -> int:
    """The highest id there is, 0 without patients."""
    return int(connection.execute(text("SELECT COALESCE(MAX(id), 0) FROM patient")).scalar_one())


def entries_of(connection: Connection, some: Patients) -> Iterator[tuple[int, Entry]]:
    """(patient, entry), in the order of the journal."""
    for row in connection.execute(_ENTRIES, some.values):
        yield (
            row.patient_id,
            Entry(
                id=row.id,
                kind=Kind(row.kind),
                day=row.day,
                patient_cents=row.patient_cents,
                insurer_cents=row.insurer_cents,
                line_id=row.line_id,
                visit_id=row.visit_id,
                reverses=row.reverses_id,
                of=row.of_id,
            ),
        )


def allocations_of(connection: Connection, some: Patients) -> list[Allocation]:
    return many(connection, _ALLOCATIONS, Allocation, **some.values)


def ledger_sums(connection: Connection, some: Patients) -> list[LedgerSum]:
    return many(connection, _SUMS, LedgerSum, **some.values)


def posted_payments(connection: Connection, some: Patients) -> list[PostedPayment]:
    return many(connection, _PAYMENTS, PostedPayment, **some.values)


def visit_stops(connection: Connection, some: Patients) -> list[VisitStop]:
    """Visits whose patient has left, without those that a terminal is being asked about."""
    return many(connection, _STOPS, VisitStop, **some.values)

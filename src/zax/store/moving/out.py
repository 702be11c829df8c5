"""What the lists that go out are made from."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, String, cast, func, select

from zax.core.book.track import EXPECTED
from zax.store.rows import many
from zax.store.schema import journal, patient, patient_file, signed_form, statement, visit

# A patient without a number of an old system goes by ours.
_CHART = func.coalesce(patient.c.chart, cast(patient.c.id, String(12))).label("chart")
_WHO = (_CHART, patient.c.first, patient.c.last, patient.c.birth)


@dataclass(frozen=True, slots=True)
class Balance:
    """What somebody owes altogether (cents), a credit negative."""

    chart: str
    first: str
    last: str
    birth: date | None
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitToCome:
    """`start_min` and `day` are the site's wall clock."""

    id: int
    chart: str
    first: str
    last: str
    birth: date | None
    day: date
    start_min: int
    minutes: int
    provider_id: int
    type_id: int
    site_id: int
    note: str


def balances(connection: Connection) -> list[Balance]:
    """Everybody whose part of all entries is not zero."""
    cents = func.sum(journal.c.patient_cents).label("cents")
    query = (
        select(*_WHO, cents)
        .join(patient, patient.c.id == journal.c.patient_id)
        .group_by(patient.c.id)
        .having(cents != 0)
        .order_by(patient.c.id)
    )
    return many(connection, query, Balance)


def visits_to_come(connection: Connection, today: date) -> list[VisitToCome]:
    """From today on, by day and time."""
    query = (
        select(visit, *_WHO)
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(visit.c.day >= today, visit.c.state.in_(sorted(EXPECTED)))
        .order_by(visit.c.day, visit.c.start_min, visit.c.id)
    )
    return many(connection, query, VisitToCome)


@dataclass(frozen=True, slots=True, kw_only=True)
class DocumentOut:
    """A patient's file by its content's digest."""

    id: int
    chart: str
    first: str
    last: str
    birth: date | None
    kind: str
    name: str
    digest: str
    media: str
    at: datetime


def documents(connection: Connection) -> list[DocumentOut]:
    """Every file that is in a record, by patient."""
    f = patient_file
    query = (
        select(f.c.id, f.c.kind, f.c.name, f.c.digest, f.c.media, f.c.at, *_WHO)
        .join(patient, patient.c.id == f.c.patient_id)
        .where(f.c.ended_at.is_(None))
        .order_by(patient.c.id, f.c.id)
    )
    return many(connection, query, DocumentOut)


def papers(connection: Connection) -> Iterator[tuple[str, str]]:
    """(name, digest) of the PDFs that were made and signed here."""
    for words, table in (("statement", statement), ("signed-form", signed_form)):
        query = select(table.c.id, table.c.digest).where(table.c.digest != "").order_by(table.c.id)
        for row in connection.execute(query):
            yield f"{words}-{row.id}.pdf", row.digest

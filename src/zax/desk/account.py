"""A household's account, told from the journal: every visit with its entries, what is open with whom and since when, aging, the year."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from sqlalchemy import Connection, select

from zax.core.book.track import Stop
from zax.core.errors import NotFound
from zax.core.money.journal import Kind, Parts
from zax.desk.clinic import Clinic
from zax.store import money, schema
from zax.store.coverage import coverages_of

BUCKETS = ("now", "31–60 days", "61–90 days", "over 90")


@dataclass(slots=True)
class AccountVisit:
    """One visit's part of the journal; `since` is the day the patient's part came to them."""

    id: int
    patient_id: int
    first: str
    day: date
    type_name: str
    provider: str
    stop: Stop
    entries: list[Any] = field(default_factory=list)
    claims: list[Any] = field(default_factory=list)
    open: Parts = Parts()
    expected: int = 0
    received: int = 0
    patient_since: date | None = None
    insurer_since: date | None = None


@dataclass(slots=True)
class Month:
    """One column of the year's picture; cents."""

    first: date
    plan_paid: int = 0
    patient_paid: int = 0
    written_off: int = 0
    plan_open: int = 0
    patient_open: int = 0


@dataclass(slots=True)
class Account:
    """The household, its visits newest first, and the sums (cents)."""

    household: Any
    patient: Any
    members: list[Any]
    visits: list[AccountVisit]
    coverages: list[Any]
    patient_aging: list[int]
    insurer_aging: list[int]
    months: list[Month]
    credit: int

    @property
    def open(self) -> Parts:
        return sum((visit.open for visit in self.visits), Parts())

    @property
    def billed(self) -> int:
        return sum(m.plan_paid + m.patient_paid + m.written_off + m.plan_open + m.patient_open for m in self.months)


def account_of(connection: Connection, clinic: Clinic, patient_id: int, today: date) -> Account:
    """The account of the patient's household; NotFound for an unknown patient."""
    p = schema.patient
    patient = connection.execute(select(p).where(p.c.id == patient_id)).first()
    if patient is None:
        raise NotFound("There is no such patient.")
    household = connection.execute(
        select(schema.household).where(schema.household.c.id == patient.household_id)
    ).one()
    members = list(
        connection.execute(
            select(p).where(p.c.household_id == household.id).order_by(p.c.guarantor.desc(), p.c.birth)
        ).all()
    )
    entries = money.household_entries(connection, household.id)
    visits = _visits(connection, clinic, household.id, entries)
    _add_claims(connection, visits)
    for each in visits:
        _sum_up(each, today)
    visits.sort(key=lambda each: (each.day, each.id), reverse=True)
    given = sum(row.cents for row in money.household_allocations(connection, household.id))
    credits = -sum(e.patient_cents for e in entries if e.line_id is None)
    return Account(
        household, patient, members, visits, [c for c in coverages_of(connection, [m.id for m in members]) if c.to_day is None], _aging(visits, today, "patient"),
        _aging(visits, today, "insurer"), _months(visits, today), credits - given,
    )  # fmt: skip


def _visits(connection: Connection, clinic: Clinic, household_id: int, entries: Sequence[Any]) -> list[AccountVisit]:
    v, p = schema.visit, schema.patient
    ids = {entry.visit_id for entry in entries}
    query = (
        select(v.c.id, v.c.patient_id, v.c.day, v.c.type_id, v.c.provider_id, v.c.state, p.c.first)
        .join(p, p.c.id == v.c.patient_id)
        .where(p.c.household_id == household_id, v.c.id.in_(ids or {0}))
    )
    made = {
        row.id: AccountVisit(
            row.id,
            row.patient_id,
            row.first,
            row.day,
            clinic.types[row.type_id].name,
            clinic.providers[row.provider_id].short,
            Stop(row.state),
        )
        for row in connection.execute(query)
    }
    for entry in entries:
        if entry.visit_id in made:
            made[entry.visit_id].entries.append(entry)
    return list(made.values())


def _add_claims(connection: Connection, visits: Sequence[AccountVisit]) -> None:
    by_id = {visit.id: visit for visit in visits}
    c, y = schema.claim, schema.payer
    query = (
        select(c.c.id, c.c.number, c.c.visit_id, c.c.state, c.c.sent_at, c.c.paid_cents, y.c.name.label("payer_name"))
        .join(schema.coverage, schema.coverage.c.id == c.c.coverage_id)
        .join(schema.plan, schema.plan.c.id == schema.coverage.c.plan_id)
        .join(y, y.c.id == schema.plan.c.payer_id)
        .where(c.c.visit_id.in_(list(by_id) or [0]))
        .order_by(c.c.id)
    )
    for row in connection.execute(query):
        by_id[row.visit_id].claims.append(row)


def _sum_up(visit: AccountVisit, today: date) -> None:
    """Open parts and since when: the patient's from the last entry that raised it, the insurer's from the visit."""
    visit.entries.sort(key=lambda entry: (entry.day, entry.id))
    undone = {entry.reverses_id for entry in visit.entries}
    for entry in visit.entries:
        visit.open += Parts(entry.patient_cents, entry.insurer_cents)
        if entry.kind == Kind.CHARGE and entry.id not in undone:
            visit.expected += entry.insurer_cents
        if entry.kind == Kind.INSURER_PAYMENT:
            visit.received -= entry.insurer_cents
        if entry.patient_cents > 0 and entry.kind in {Kind.CHARGE, Kind.TRANSFER}:
            visit.patient_since = entry.day
    visit.insurer_since = visit.day


def _aging(visits: Sequence[AccountVisit], today: date, part: str) -> list[int]:
    """Open cents by age: current, 31 to 60, 61 to 90, over 90 days."""
    buckets = [0, 0, 0, 0]
    for visit in visits:
        cents = visit.open.patient if part == "patient" else visit.open.insurer
        since = (visit.patient_since if part == "patient" else visit.insurer_since) or visit.day
        age = (today - since).days
        buckets[0 if age <= 30 else 1 if age <= 60 else 2 if age <= 90 else 3] += cents
    return buckets


def _months(visits: Sequence[AccountVisit], today: date) -> list[Month]:
    """The last twelve months by day of visit: paid by whom, forgiven, still open."""
    first = today.replace(day=1)
    months: list[Month] = []
    for _ in range(12):
        months.insert(0, Month(first))
        first = (first - timedelta(days=1)).replace(day=1)
    by_month = {month.first: month for month in months}
    for visit in visits:
        month = by_month.get(visit.day.replace(day=1))
        if month is None:
            continue
        month.plan_open += max(0, visit.open.insurer)
        month.patient_open += max(0, visit.open.patient)
        for entry in visit.entries:
            if entry.kind == Kind.INSURER_PAYMENT:
                month.plan_paid -= entry.insurer_cents
            elif entry.kind == Kind.PAYMENT:
                month.patient_paid -= entry.patient_cents
            elif entry.kind == Kind.WRITE_OFF:
                month.written_off -= entry.insurer_cents + entry.patient_cents
    return months

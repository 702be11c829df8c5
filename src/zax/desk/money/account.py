"""A household's account, told from the journal: every ledger with its entries, what is open with whom and
since when, aging, the year.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from zax.core.book.track import Stop
from zax.core.errors import NotFound
from zax.core.money.aging import BUCKETS, OpenPieces, aging, open_pieces
from zax.core.money.journal import LOWERS, RAISES, Allocation, Kind, Parts, line_parts
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.dues import Credit, line_code, line_words, open_credits
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.account import AccountClaim, claims_by_line, claims_of_visits
from zax.store.money.records import LedgerVisit, LineWords, NamedEntry
from zax.store.patients.patients import everybody_of, patient_of
from zax.store.patients.records import Patient


@dataclass(slots=True, kw_only=True)
class LedgerView:
    """One visit's part of the journal, or (`id` None) a person's own ledger; `since` is the day the part came
    to who owes it.
    """

    id: int | None
    patient_id: int
    first: str
    day: date
    title: str
    provider: str
    stop: Stop
    entries: list[NamedEntry] = field(default_factory=list)
    claims: list[AccountClaim] = field(default_factory=list)
    open: Parts = Parts()
    expected: int = 0
    received: int = 0
    billed: int = 0
    paid: int = 0
    patient_since: date | None = None
    insurer_since: date | None = None


@dataclass(slots=True, kw_only=True)
class Month:
    """One column of the year's picture; cents."""

    first: date
    plan_paid: int = 0
    patient_paid: int = 0
    written_off: int = 0
    plan_open: int = 0
    patient_open: int = 0


@dataclass(frozen=True, slots=True)
class Household:
    id: int
    name: str


@dataclass(slots=True, kw_only=True)
class Account:
    """The household, its ledgers newest first, and the sums (cents). `lines` by id with `words` and `code`;
    `given` are all allocations.
    """

    household: Household
    patient: Patient
    members: list[Patient]
    visits: list[LedgerView]
    coverages: list[Coverage]
    patient_aging: list[int]
    insurer_aging: list[int]
    months: list[Month]
    credits: Sequence[Credit]
    lines: Mapping[int, Line]
    given: Sequence[Allocation]
    links: Mapping[int, list[str]]

    @property
    def open(self) -> Parts:
        return sum((visit.open for visit in self.visits), Parts())

    @property
    def credit(self) -> int:
        return sum(each.cents for each in self.credits)

    @property
    def billed(self) -> int:
        return sum(
            m.plan_paid + m.patient_paid + m.written_off + m.plan_open + m.patient_open for m in self.months
        )

    @property
    def entries(self) -> list[NamedEntry]:
        """Every entry, newest first."""
        return sorted(
            (e for visit in self.visits for e in visit.entries), key=lambda e: (e.day, e.id), reverse=True
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A charge line in words, with what is open on it (cents) in pieces since when."""

    id: int
    row: LineWords
    words: str
    code: str
    open: Parts
    pieces: OpenPieces

    @property
    def since(self) -> date | None:
        """Since when the patient owes its oldest piece; None when they owe nothing."""
        return self.pieces.since


def account_of(
    connection: Connection, clinic: Clinic, patient_id: int, today: date, only: bool = False
) -> Account:
    """The account of the patient's household, or (`only`) of this one person; NotFound for an unknown
    patient.
    """
    patient = patient_of(connection, patient_id)
    if patient is None:
        raise NotFound("There is no such patient.")
    household = Household(patient.household_id, money.household_name(connection, patient.household_id))
    members = everybody_of(connection, household.id)
    rows = [
        row
        for row in money.household_entries(connection, household.id)
        if not only or row.patient_id == patient_id
    ]
    given = money.household_allocations(connection, household.id)
    rows_of_visits = money.household_visits(connection, household.id)
    names = {member.id: member.first for member in members}
    lines = _lines(connection, clinic, household.id, rows, given)
    visits = _ledgers(clinic, rows, rows_of_visits, names)
    on_claims = _add_claims(connection, visits)
    for each in visits:
        _sum_up(each, lines)
    visits.sort(key=lambda each: (each.day, each.id or 0), reverse=True)
    credits = open_credits(rows, given, names, rows_of_visits)
    return Account(
        household=household,
        patient=patient,
        members=members,
        visits=visits,
        coverages=[c for c in coverages_of(connection, [m.id for m in members]) if c.to_day is None],
        patient_aging=_patient_aging(lines, credits, visits, today),
        insurer_aging=aging([piece for line in lines.values() for piece in line.pieces.insurer], today),
        months=_months(visits, today),
        credits=credits,
        lines=lines,
        given=given,
        links=_links(rows, given, on_claims),
    )


def _lines(
    connection: Connection,
    clinic: Clinic,
    household_id: int,
    rows: Sequence[NamedEntry],
    given: Sequence[Allocation],
) -> dict[int, Line]:
    entries = [row.entry for row in rows]
    mine = {entry.line_id for entry in entries}
    parts = line_parts(entries, [each for each in given if each.line_id in mine])
    pieces = open_pieces(entries, parts)
    return {
        line.id: Line(
            id=line.id,
            row=line,
            words=line_words(clinic, line),
            code=line_code(clinic, line),
            open=parts[line.id],
            pieces=pieces[line.id],
        )
        for line in money.household_lines(connection, household_id)
        if line.id in parts
    }


def _ledgers(
    clinic: Clinic, rows: Sequence[NamedEntry], visits: Mapping[int, LedgerVisit], names: Mapping[int, str]
) -> list[LedgerView]:
    made: dict[tuple[int, int | None], LedgerView] = {}
    for row in rows:
        key = (row.patient_id, row.visit_id)
        if key not in made:
            visit = visits.get(row.visit_id or 0)
            made[key] = (
                LedgerView(
                    id=visit.id,
                    patient_id=row.patient_id,
                    first=names[row.patient_id],
                    day=visit.day,
                    title=clinic.types[visit.type_id].name,
                    provider=clinic.providers[visit.provider_id].short,
                    stop=Stop(visit.state),
                )
                if visit is not None
                else LedgerView(
                    id=None,
                    patient_id=row.patient_id,
                    first=names[row.patient_id],
                    day=row.day,
                    title="",
                    provider="",
                    stop=Stop.LEFT,
                )
            )
        made[key].entries.append(row)
        if row.visit_id is None:
            made[key].day = max(made[key].day, row.day)
    return list(made.values())


def _add_claims(connection: Connection, visits: Sequence[LedgerView]) -> dict[int, list[int]]:
    """Put every claim at its visit; {line_id: claims it is on}."""
    by_id = {visit.id: visit for visit in visits if visit.id is not None}
    for row in claims_of_visits(connection, by_id):
        by_id[row.visit_id].claims.append(row)
    return claims_by_line(connection, [row.id for visit in visits for row in visit.claims])


def _links(
    rows: Sequence[NamedEntry], given: Sequence[Allocation], on_claims: Mapping[int, list[int]]
) -> dict[int, list[str]]:
    """{entry_id: what it hangs together with}: its claim, the payments of its line, for a payment the lines
    it pays.
    """
    paid: dict[tuple[int, int], int] = defaultdict(int)
    for each in given:
        paid[each.credit_id, each.line_id] += each.cents
    credits_of_line: dict[int, list[str]] = defaultdict(list)
    for (credit_id, line_id), cents in paid.items():
        if cents:
            credits_of_line[line_id].append(f"p{credit_id}")
    found: dict[int, list[str]] = {}
    for row in rows:
        if row.line_id is None:
            found[row.id] = [f"p{row.of_id or row.reverses_id or row.id}", f"p{row.id}"]
        elif row.kind in RAISES:
            found[row.id] = [
                *(f"c{n}" for n in on_claims.get(row.line_id, ())),
                *credits_of_line[row.line_id],
                f"l{row.line_id}",
            ]
        else:
            found[row.id] = [f"c{row.claim_id}"] if row.claim_id else [f"l{row.line_id}"]
    return found


def _sum_up(visit: LedgerView, lines: Mapping[int, Line]) -> None:
    """Open parts and since when, from the oldest piece still open on a line."""
    visit.entries.sort(key=lambda entry: (entry.day, entry.id))
    undone = {entry.reverses_id for entry in visit.entries}
    mine = {entry.line_id for entry in visit.entries} & lines.keys()
    pieces = [lines[line_id].pieces for line_id in mine if line_id is not None]
    for entry in visit.entries:
        visit.open += Parts(entry.patient_cents, entry.insurer_cents)
        if entry.kind == Kind.CHARGE and entry.id not in undone:
            visit.expected += entry.insurer_cents
            visit.billed += entry.insurer_cents + entry.patient_cents
        if entry.kind == Kind.INSURER_PAYMENT:
            visit.received -= entry.insurer_cents
        if entry.line_id is None and entry.kind != Kind.TRANSFER:
            visit.paid -= entry.patient_cents
    visit.patient_since = min((each.since for each in pieces if each.since), default=None)
    visit.insurer_since = min((piece.since for each in pieces for piece in each.insurer), default=visit.day)


def _patient_aging(
    lines: Mapping[int, Line], credits: Sequence[Credit], visits: Sequence[LedgerView], today: date
) -> list[int]:
    """What is open with the household by age; credit that waits is taken off the oldest first."""
    found = aging([piece for line in lines.values() for piece in line.pieces.patient], today)
    left = sum(found) - sum(visit.open.patient for visit in visits)
    for n in reversed(range(len(BUCKETS))):
        part = min(left, max(0, found[n]))
        found[n] -= part
        left -= part
    found[0] -= left
    return found


def _months(visits: Sequence[LedgerView], today: date) -> list[Month]:
    """The last twelve months by day of visit: paid by whom, written off, still due."""
    first = today.replace(day=1)
    months: list[Month] = []
    for _ in range(12):
        months.insert(0, Month(first=first))
        first = (first - timedelta(days=1)).replace(day=1)
    by_month = {month.first: month for month in months}
    for visit in visits:
        month = by_month.get(visit.day.replace(day=1))
        if month is None:
            continue
        month.plan_open += max(0, visit.open.insurer)
        month.patient_open += max(0, visit.open.patient)
        month.patient_paid += visit.paid
        month.plan_paid += visit.received
        for entry in visit.entries:
            if entry.kind in LOWERS:
                month.written_off -= entry.insurer_cents + entry.patient_cents
    return months

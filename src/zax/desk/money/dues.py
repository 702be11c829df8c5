"""What a household has open, line by line, and what it has in credit: the two lists that every payment,
correction and plan starts from.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.book.track import Stop
from zax.core.money.aging import open_pieces
from zax.core.money.journal import Allocation, Entry, Kind, credit_left, line_parts
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.records import LedgerVisit, LineWords, NamedEntry


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenLine:
    """A charge with something open; cents. `cents` is the patient's open part less what a terminal is being
    asked for, `since` the day it came to them.
    """

    line_id: int
    patient_id: int
    first: str
    visit_id: int | None
    day: date
    words: str
    code: str
    cents: int
    insurer: int
    since: date


@dataclass(frozen=True, slots=True, kw_only=True)
class Credit:
    """Money that pays nothing yet; `entry_id` is the journal entry that brought it, `coming` says that its
    visit is still to come.
    """

    entry_id: int
    patient_id: int
    first: str
    visit_id: int | None
    day: date
    cents: int
    words: str
    coming: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class OpenVisit:
    """An earlier visit's open part of the patient. Cents; `insurer` is what its plan has not paid yet."""

    visit_id: int
    patient_id: int
    first: str
    day: date
    type_id: int
    cents: int
    insurer: int


@dataclass(frozen=True, slots=True)
class OpenItems:
    """Lines oldest first, credits oldest first; `visits` are the household's visits with money, by id."""

    lines: Sequence[OpenLine]
    credits: Sequence[Credit]
    visits: Mapping[int, LedgerVisit]

    @property
    def due(self) -> int:
        return sum(each.cents for each in self.lines)

    @property
    def credit(self) -> int:
        return sum(each.cents for each in self.credits)

    def elsewhere(self, visit_id: int) -> list[OpenVisit]:
        """The household's other visits with money open, oldest first."""
        found: dict[int, list[OpenLine]] = defaultdict(list)
        for line in self.lines:
            if line.visit_id is not None and line.visit_id != visit_id:
                found[line.visit_id].append(line)
        return [
            OpenVisit(
                visit_id=number,
                patient_id=lines[0].patient_id,
                first=lines[0].first,
                day=lines[0].day,
                type_id=self.visits[number].type_id,
                cents=sum(line.cents for line in lines),
                insurer=sum(line.insurer for line in lines),
            )
            for number, lines in sorted(found.items(), key=lambda each: (each[1][0].day, each[0]))
        ]


def open_items(connection: Connection, clinic: Clinic, household_id: int) -> OpenItems:
    """Read the household's journal and say what is open."""
    people = money.household_people(connection, household_id)
    rows = money.household_entries(connection, household_id)
    given = money.household_allocations(connection, household_id)
    visits = money.household_visits(connection, household_id)
    found = _lines(connection, clinic, household_id, rows, given, people)
    return OpenItems(found, open_credits(rows, given, people, visits), visits)


def _lines(
    connection: Connection,
    clinic: Clinic,
    household_id: int,
    rows: Sequence[NamedEntry],
    given: Sequence[Allocation],
    people: Mapping[int, str],
) -> list[OpenLine]:
    entries = [row.entry for row in rows]
    parts = line_parts(entries, given)
    wanted = [line_id for line_id, each in parts.items() if each.patient > 0]
    if not wanted:
        return []
    pending = money.pending_lines(connection, household_id)
    asked = money.pending_visits(connection, household_id)
    since = {line_id: each.since for line_id, each in open_pieces(entries, parts).items() if each.since}
    found = []
    for line in sorted(money.lines_of(connection, wanted), key=lambda each: each.id):
        open_cents = max(0, parts[line.id].patient - pending.get(line.id, 0))
        waiting = min(open_cents, asked.get(line.visit_id or 0, 0))
        if waiting:
            asked[line.visit_id or 0] -= waiting
            open_cents -= waiting
        if open_cents:
            found.append(
                OpenLine(
                    line_id=line.id,
                    patient_id=line.person_id,
                    first=people[line.person_id],
                    visit_id=line.visit_id,
                    day=line.visit_day or since[line.id],
                    words=line_words(clinic, line),
                    code=line_code(clinic, line),
                    cents=open_cents,
                    insurer=parts[line.id].insurer,
                    since=since[line.id],
                )
            )
    return sorted(found, key=lambda each: (each.day, each.line_id))


def line_words(clinic: Clinic, line: LineWords) -> str:
    """'Filling, two surfaces, tooth 14', or what a line without a visit says."""
    if line.service_id is None:
        pieces = f"{line.units} × " if line.units > 1 else ""
        return f"{pieces}{line.words}"
    tooth = f", tooth {line.tooth}" if line.tooth else ""
    return f"{clinic.services[line.service_id].words}{tooth}"


def line_code(clinic: Clinic, line: LineWords) -> str:
    return clinic.services[line.service_id].code if line.service_id is not None else ""


def open_credits(
    rows: Sequence[NamedEntry],
    given: Sequence[Allocation],
    people: Mapping[int, str],
    visits: Mapping[int, LedgerVisit],
) -> list[Credit]:
    """Credits that are left, ledger by ledger and oldest first: what refunds and transfers drew on them is
    off. `rows` are journal rows.
    """
    by_id = {row.id: row for row in rows}
    ledgers: dict[tuple[int, int | None], list[Entry]] = defaultdict(list)
    for row in rows:
        if row.line_id is None:
            ledgers[row.patient_id, row.visit_id].append(row.entry)
    paying: dict[int, list[Allocation]] = defaultdict(list)
    for each in given:
        paying[each.credit_id].append(each)
    found = []
    for entries in ledgers.values():
        ids = {entry.id for entry in entries}
        left = credit_left(entries, [each for number in ids for each in paying[number]])
        for entry_id, cents in left.items():
            if cents > 0 and by_id[entry_id].kind != Kind.REVERSAL:
                row = by_id[entry_id]
                visit = visits.get(row.visit_id or 0)
                coming = visit is not None and visit.state in _BEFORE_CHARGES
                found.append(
                    Credit(
                        entry_id=entry_id,
                        patient_id=row.patient_id,
                        first=people[row.patient_id],
                        visit_id=row.visit_id,
                        day=row.day,
                        cents=cents,
                        words=row.words,
                        coming=coming,
                    )
                )
    return sorted(found, key=lambda each: each.entry_id)


_BEFORE_CHARGES = frozenset({Stop.BOOKED, Stop.CONFIRMED, Stop.HERE, Stop.ROOM})

"""Everything that placing an answer needs to know of its claim, held for the transaction: read for one claim,
or for a whole lot of them at once, which is what makes a large payment file quick.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from zax.core.claims.claim import Form, Rank
from zax.core.money.journal import Allocation, Entry, Parts, line_charges, line_parts
from zax.core.remits.line import ExpectedLine, Reading
from zax.core.remits.rules import Rulebook
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import locked_visit
from zax.desk.clinic.clinic import Clinic
from zax.store.book.queries import lock_visits
from zax.store.book.records import Visit
from zax.store.claims import claims
from zax.store.claims.claims import ClaimRow
from zax.store.coverage.queries import coverages_by_id
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.money import queries as money
from zax.store.money.records import ClaimedLine
from zax.store.remits import remits, shortfalls


@dataclass(frozen=True, slots=True, kw_only=True)
class AtHand:
    """A claim of a visit, both held. `entries` and `given` are its visit's ledger, `short`: something of the
    claim waits for a decision; `waits`: an answer to it does.
    """

    row: ClaimRow
    visit: Visit
    lines: Sequence[ClaimedLine]
    entries: Sequence[Entry]
    given: Sequence[Allocation]
    coverage: Coverage | None
    short: bool
    waits: bool

    def expected(self, clinic: Clinic) -> list[ExpectedLine]:
        return expected_lines(clinic, self.row, self.lines, self.entries, self.given)

    def reading(self, rules: Rulebook) -> Reading:
        """How answers to this claim are read."""
        return Reading(
            later=self.row.rank != Rank.PRIMARY,
            stay=self.row.form == Form.INSTITUTIONAL,
            payer_id=self.coverage.payer_id if self.coverage else 0,
            rules=rules,
        )


def expected_lines(
    clinic: Clinic,
    row: ClaimRow,
    lines: Sequence[ClaimedLine],
    entries: Sequence[Entry],
    given: Sequence[Allocation],
) -> list[ExpectedLine]:
    """The claim's lines as the journal has them."""
    open_parts, owed = line_parts(entries, given), line_parts(entries, ())
    charged = line_charges(entries)
    return [
        ExpectedLine(
            line.id,
            f"L{line.id}",
            clinic.services[line.service_id].code,
            line.cents,
            open_parts.get(line.id, Parts()),
            owed.get(line.id, Parts()).patient,
            line.second_cents if row.rank == Rank.PRIMARY else 0,
            charged.get(line.id, 0),
            line.contract_cents,
        )
        for line in lines
    ]


def lines_now(connection: Connection, clinic: Clinic, row: ClaimRow) -> list[ExpectedLine]:
    """The same for one claim, read now."""
    visit_id = row.visit_id or 0
    return expected_lines(
        clinic,
        row,
        money.claim_lines(connection, row.id),
        money.visit_entries(connection, visit_id),
        money.visit_allocations(connection, visit_id),
    )


def at_hand(tx: Transaction, row: ClaimRow) -> AtHand:
    """One claim of a visit; what this transaction has queued is written first."""
    tx.flush()
    assert row.visit_id is not None, "only what was done is placed"
    visit = locked_visit(tx, row.visit_id)
    row = claims.claim_for_update(tx.connection, row.id) or row
    return AtHand(
        row=row,
        visit=visit,
        lines=money.claim_lines(tx.connection, row.id),
        entries=money.visit_entries(tx.connection, visit.id),
        given=money.visit_allocations(tx.connection, visit.id),
        coverage=coverages_by_id(tx.connection, [row.coverage_id]).get(row.coverage_id),
        short=bool(shortfalls.claims_with_open(tx.connection, [row.id])),
        waits=bool(remits.claims_waiting(tx.connection, [row.id])),
    )


def lot_at_hand(tx: Transaction, numbers: Iterable[str]) -> dict[str, AtHand]:
    """Those of these claims that bill a visit of their own among them, by number; what isn't there is read
    when it is needed.
    """
    found = [row for row in claims.claims_by_number(tx.connection, list(numbers)) if row.visit_id]
    by_visit = {row.visit_id: row for row in found if row.visit_id}
    visits = lock_visits(tx.connection, by_visit)
    held = claims.claims_for_update(tx.connection, [row.id for row in by_visit.values()])
    entries = money.entries_of_visits(tx.connection, visits)
    given = money.allocations_of_visits(tx.connection, visits)
    lines = money.lines_of_claims(tx.connection, [row.id for row in held])
    coverages = coverages_by_id(tx.connection, {row.coverage_id for row in held})
    short = shortfalls.claims_with_open(tx.connection, [row.id for row in held])
    waits = remits.claims_waiting(tx.connection, [row.id for row in held])
    return {
        row.number: AtHand(
            row=row,
            visit=visits[row.visit_id],
            lines=lines.get(row.id, []),
            entries=entries.get(row.visit_id, []),
            given=given.get(row.visit_id, []),
            coverage=coverages.get(row.coverage_id),
            short=row.id in short,
            waits=row.id in waits,
        )
        for row in held
        if row.visit_id in visits
    }

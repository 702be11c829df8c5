"""Writing the journal. Every money act ends in `settle_visit`: credits find their lines and the track follows
the open parts.

A ledger is a visit's row, or `OwnLedger` for what belongs to no visit. On a visit's ledger credit goes to
what is open there by itself; on a patient's own it waits, visibly, until somebody says what it is for.
Entries fall on the site's books day: today, or the day after the last closed one.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date
from typing import TypeAlias

from zax.core.book.track import Stop
from zax.core.coverage.estimate import Answered, Cover, LineEstimate, PricedLine, estimate
from zax.core.errors import Conflict
from zax.core.money.books import day_of_books
from zax.core.money.journal import (
    Allocation,
    Entry,
    Kind,
    Parts,
    balance,
    credit_left,
    give,
    line_parts,
    reversal_of,
    take_back,
    unreversed,
)
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import step
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.estimate_inputs import answer_for, covers_for
from zax.desk.money.by_flag import Off, Owed, off_by_flag
from zax.store.book.records import Visit
from zax.store.claims.predeterminations import answered_services
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.money import journal, lines
from zax.store.money import queries as money
from zax.store.money.records import NewEntry, ServiceLine
from zax.store.patients.notes import flags_of


@dataclass(frozen=True, slots=True)
class OwnLedger:
    """The patient's own ledger, kept at a site; stands where a visit's row may stand, without its `id`."""

    patient_id: int
    site_id: int
    id: None = None


Ledger: TypeAlias = Visit | OwnLedger


@dataclass(frozen=True, slots=True)
class Bill:
    """A visit's services with what the plans should pay: its lines beside their estimates; the coverages,
    first payer first.
    """

    lines: Sequence[ServiceLine]
    estimates: Sequence[LineEstimate]
    coverages: Sequence[Coverage]
    covers: Sequence[Cover]

    @property
    def coverage(self) -> Coverage | None:
        """The one that is billed first, or None."""
        return self.coverages[0] if self.coverages else None

    @property
    def fee(self) -> int:
        return sum(each.fee for each in self.estimates)

    @property
    def write_off(self) -> int:
        return sum(each.write_off for each in self.estimates)

    @property
    def insurer(self) -> int:
        return sum(each.insurer for each in self.estimates)

    @property
    def patient(self) -> int:
        return sum(each.patient for each in self.estimates)


def bill_of(
    connection: Connection, clinic: Clinic, visit: Visit, on_file: Sequence[Coverage] | None = None
) -> Bill:
    """The visit's current services priced by the patient's coverages of that kind on that day. `visit` brings
    the patient's birth date; `on_file` saves reading the coverages again.
    """
    dental = clinic.types[visit.type_id].dental
    lines = money.visit_lines(connection, visit.id)
    coverages, covers = covers_for(
        connection,
        clinic,
        (visit.patient_id, visit.birth),
        dental,
        visit.day,
        visit.provider_id,
        visit.id,
        on_file,
    )
    answered = _answered(connection, lines, coverages)
    priced = [priced_line(clinic, line, answered.get(line.id)) for line in lines]
    return Bill(lines, estimate(priced, covers, visit.day), coverages, covers)


def _answered(
    connection: Connection, lines: Sequence[ServiceLine], coverages: Sequence[Coverage]
) -> dict[int, Answered]:
    """By line, what the plan that pays first answered beforehand of the planned service it does."""
    first = next(iter(coverages), None)
    doing = {line.planned_id: line for line in lines if line.planned_id}
    found: dict[int, Answered] = {}
    for planned in answered_services(connection, doing) if first else ():
        line, answer = doing[planned.id], answer_for(planned, first)
        if answer and (line.service_id, line.units) == (planned.service_id, 1):
            found[line.id] = answer
    return found


def priced_line(clinic: Clinic, line: ServiceLine, answered: Answered | None = None) -> PricedLine:
    """A service as the estimate takes it."""
    service = clinic.services[line.service_id]
    return PricedLine(
        line_id=line.id,
        cents=line.fee_cents * line.units,
        category=service.category,
        billed=line.billed,
        code=service.code,
        units=line.units,
        tooth=line.tooth,
        area=line.area,
        authorized=line.authorized,
        answered=answered,
    )


def post_charges(tx: Transaction, visit: Visit) -> Bill:
    """Make the journal say what the lines say: post what is new, reverse what changed. Unchanged lines are
    left alone.

    What the contract forgives stands with the insurer's part until the payer's answer writes it off. A
    discount that the patient has by a flag comes with the charge and goes with it; so does what their price
    list takes off, where no plan covers the visit. The larger of the two counts.
    """
    bill = bill_of(tx.connection, tx.clinic, visit)
    entries = money.visit_entries(tx.connection, visit.id)
    wanted = {each.line_id: each for each in bill.estimates}
    for line_id, entry in _standing_charges(entries).items():
        each = wanted.get(line_id)
        if each is None or (each.patient, each.insurer + each.write_off) != (
            entry.patient_cents,
            entry.insurer_cents,
        ):
            _undo_line(tx, visit, entries, line_id, "Service removed" if each is None else "Service changed")
        else:
            wanted.pop(line_id)
    flags = {each.flag_id for each in flags_of(tx.connection, visit.patient_id)} if wanted else set()
    less = off_of(tx.clinic, bill, flags, visit.day)
    for each in wanted.values():
        add_entry(
            tx,
            visit,
            Kind.CHARGE,
            each.patient,
            each.insurer + each.write_off,
            each.why,
            line_id=each.line_id,
        )
        off = less.get(each.line_id)
        if off is not None:
            add_entry(
                tx,
                visit,
                Kind.DISCOUNT,
                -off.cents,
                0,
                off.words,
                line_id=each.line_id,
                discount_id=off.discount_id,
            )
    for each in bill.estimates:
        ids = [row.id for row in bill.coverages]
        lines.note_estimate(tx.connection, each.line_id, [*zip(ids, each.uses, strict=False)], each.contract)
    return bill


def off_of(clinic: Clinic, bill: Bill, flags: Collection[int], day: date) -> dict[int, Off]:
    """By line, what a patient with these flags does not pay."""
    made: dict[int, Off] = {}
    for line, priced in zip(bill.lines, bill.estimates, strict=True):
        code = clinic.services[line.service_id].code
        owed = Owed(code, line.units, priced.patient, day, covered=bool(bill.coverages))
        off = off_by_flag(clinic, flags, owed)
        if off is not None:
            made[line.id] = off
    return made


def take_charges_back(tx: Transaction, visit: Visit, reason: str) -> None:
    """Reverse every standing charge of a visit that goes back into its room, and what was taken off or moved
    on it.
    """
    entries = money.visit_entries(tx.connection, visit.id)
    for line_id in _standing_charges(entries):
        _undo_line(tx, visit, entries, line_id, reason)


def _standing_charges(entries: Sequence[Entry]) -> dict[int, Entry]:
    return {e.line_id: e for e in unreversed(entries) if e.kind == Kind.CHARGE and e.line_id is not None}


def _undo_line(tx: Transaction, visit: Visit, entries: Sequence[Entry], line_id: int, words: str) -> None:
    """Reverse all that stands on a line, the newest first. Conflict when somebody else took part of it over:
    that is theirs now.
    """
    mine = [entry for entry in unreversed(entries) if entry.line_id == line_id]
    if any(entry.kind == Kind.TRANSFER and not entry.insurer_cents for entry in mine):
        raise Conflict(
            "Part of a charge was moved to someone else in the household. Undo that on the account first."
        )
    for entry in reversed(mine):
        reverse(tx, visit, entry, words)


def books_day(tx: Transaction, site_id: int) -> date:
    """The business day on which an entry made now falls; the close of the day waits until this act is
    through.

    Never a closed day: after the close, or with a clock that stands before it, the day after the last closed
    one.
    """
    tx.at_site(site_id)
    if site_id not in tx.books:
        closed = journal.hold_books(tx.connection, site_id)
        tx.books[site_id] = day_of_books(tx.business_day(site_id), closed)
    return tx.books[site_id]


def add_entry(
    tx: Transaction,
    ledger: Ledger,
    kind: Kind,
    patient_cents: int,
    insurer_cents: int,
    words: str,
    *,
    site_id: int | None = None,
    line_id: int | None = None,
    payment_id: int | None = None,
    claim_id: int | None = None,
    reverses_id: int | None = None,
    of_id: int | None = None,
    reason_id: int | None = None,
    discount_id: int | None = None,
    answer_id: int | None = None,
) -> int:
    """One journal entry on the books day of the ledger's site; its number. `site_id` names another site's
    books.
    """
    site_id = site_id or ledger.site_id
    return journal.add_entry(
        tx.connection,
        NewEntry(
            kind=kind,
            day=books_day(tx, site_id),
            at=tx.now,
            by_id=tx.actor.id,
            site_id=site_id,
            patient_id=ledger.patient_id,
            visit_id=ledger.id,
            patient_cents=patient_cents,
            insurer_cents=insurer_cents,
            words=words[:200],
            line_id=line_id,
            payment_id=payment_id,
            claim_id=claim_id,
            reverses_id=reverses_id,
            of_id=of_id,
            reason_id=reason_id,
            discount_id=discount_id,
            answer_id=answer_id,
        ),
    )


def reverse(
    tx: Transaction,
    ledger: Ledger,
    entry: Entry,
    words: str,
    *,
    payment_id: int | None = None,
    claim_id: int | None = None,
    answer_id: int | None = None,
    site_id: int | None = None,
) -> int:
    """Post what undoes the entry, today; the entry itself stays."""
    undo = reversal_of(entry, 0, books_day(tx, ledger.site_id))
    return add_entry(
        tx,
        ledger,
        undo.kind,
        undo.patient_cents,
        undo.insurer_cents,
        words,
        line_id=undo.line_id,
        reverses_id=undo.reverses,
        payment_id=payment_id,
        claim_id=claim_id,
        answer_id=answer_id,
        site_id=site_id,
    )


def settle(tx: Transaction, ledger: Ledger) -> Parts:
    """`settle_visit`, or for a patient's own ledger: free what a line holds too much. What stays open."""
    if isinstance(ledger, Visit):
        return settle_visit(tx, ledger)
    entries = entries_of(tx, ledger)
    write_allocations(tx, ledger, _held_too_much(entries, allocations_of(tx, ledger)))
    return balance(entries)


def entries_of(tx: Transaction, ledger: Ledger) -> list[Entry]:
    return money.ledger_entries(tx.connection, ledger.patient_id, ledger.id)


def allocations_of(tx: Transaction, ledger: Ledger) -> list[Allocation]:
    return money.ledger_allocations(tx.connection, ledger.patient_id, ledger.id)


def _held_too_much(entries: Sequence[Entry], given: Sequence[Allocation]) -> list[Allocation]:
    return [
        back
        for line_id, parts in line_parts(entries, given).items()
        if parts.patient < 0
        for back in take_back(line_id, -parts.patient, given)
    ]


def settle_visit(tx: Transaction, visit: Visit) -> Parts:
    """Give credits to open lines, free what a line holds too much, and move between LEFT and SETTLED. What
    stays open.
    """
    entries = money.visit_entries(tx.connection, visit.id)
    return settle_known(tx, visit, entries, money.visit_allocations(tx.connection, visit.id))


def settle_known(
    tx: Transaction, visit: Visit, entries: Sequence[Entry], given: Sequence[Allocation]
) -> Parts:
    """The same where the visit's whole ledger is at hand."""
    freed = _held_too_much(entries, given)
    given = [*given, *freed]
    open_lines = [(line_id, parts.patient) for line_id, parts in line_parts(entries, given).items()]
    more = give(credit_left(entries, given), open_lines)
    write_allocations(tx, visit, [*freed, *more])
    left = balance(entries)
    unsettled = left != Parts() or money.pending_payments(tx.connection, visit.id) > 0
    if visit.state == Stop.LEFT and not unsettled:
        step(tx, visit, Stop.SETTLED)
    elif visit.state == Stop.SETTLED and unsettled:
        step(tx, visit, Stop.LEFT, "balance due again")
    return left


def write_allocations(tx: Transaction, ledger: Ledger, allocations: Sequence[Allocation]) -> None:
    journal.add_allocations(tx.connection, ledger.patient_id, allocations, tx.now, tx.actor.id)


def due_now(connection: Connection, visit_id: int) -> int:
    """The patient's open part of a visit less what the terminal has been asked for."""
    return balance(money.visit_entries(connection, visit_id)).patient - money.pending_payments(
        connection, visit_id
    )

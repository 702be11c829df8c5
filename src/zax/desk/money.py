"""Writing the journal. Every money act ends in `settle_visit`: credits find their lines and the track follows the open parts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import update

from zax.core.book.track import Stop
from zax.core.coverage.estimate import Cover, LineEstimate, PricedLine, estimate
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
)
from zax.desk.clinic import Clinic
from zax.desk.covers import covers_for
from zax.desk.track import step
from zax.desk.unit import Unit
from zax.store import money, schema


@dataclass(frozen=True, slots=True)
class Bill:
    """A visit's services with what the plans should pay: rows of charge_line beside their estimates; the coverages, first payer first."""

    lines: Sequence[Any]
    estimates: Sequence[LineEstimate]
    coverages: Sequence[Any]
    covers: Sequence[Cover]

    @property
    def coverage(self) -> Any:
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


def bill_of(connection: Any, clinic: Clinic, visit: Any) -> Bill:
    """The visit's current services priced by the patient's coverages of that kind on that day. `visit` brings the patient's birth date."""
    dental = clinic.types[visit.type_id].dental
    lines = money.visit_lines(connection, visit.id)
    coverages, covers = covers_for(
        connection, clinic, (visit.patient_id, visit.birth), dental, visit.day, visit.provider_id, visit.id
    )
    return Bill(lines, estimate([priced_line(clinic, line) for line in lines], covers, visit.day), coverages, covers)


def priced_line(clinic: Clinic, line: Any) -> PricedLine:
    """A row of charge_line as the estimate takes it."""
    service = clinic.services[line.service_id]
    return PricedLine(
        line.id, line.fee_cents * line.units, service.category, line.billed, service.code, line.units, line.tooth, line.authorized,
    )  # fmt: skip


def post_charges(unit: Unit, visit: Any) -> Bill:
    """Make the journal say what the lines say: post what is new, reverse what changed. Unchanged lines are left alone.

    What the contract forgives stands with the insurer's part until the payer's answer writes it off.
    """
    bill = bill_of(unit.connection, unit.clinic, visit)
    standing = _standing_charges(money.visit_entries(unit.connection, visit.id))
    wanted = {each.line_id: each for each in bill.estimates}
    for line_id, entry in standing.items():
        each = wanted.get(line_id)
        if each is None or (each.patient, each.insurer + each.write_off) != (
            entry.patient_cents,
            entry.insurer_cents,
        ):
            reverse(unit, visit, entry, "Service taken off" if each is None else "Service changed")
        else:
            wanted.pop(line_id)
    for each in wanted.values():
        add_entry(
            unit, visit, Kind.CHARGE, each.patient, each.insurer + each.write_off, each.why, line_id=each.line_id
        )
    for each in bill.estimates:
        unit.connection.execute(
            update(schema.charge_line)
            .where(schema.charge_line.c.id == each.line_id)
            .values(deductible_cents=each.deductible, first_cents=each.first, second_cents=each.second)
        )
    return bill


def take_charges_back(unit: Unit, visit: Any, reason: str) -> None:
    """Reverse every standing charge of a visit that goes back into its room."""
    for entry in _standing_charges(money.visit_entries(unit.connection, visit.id)).values():
        reverse(unit, visit, entry, reason)


def _standing_charges(entries: Sequence[Entry]) -> dict[int, Entry]:
    undone = {entry.reverses for entry in entries}
    return {e.line_id: e for e in entries if e.kind == Kind.CHARGE and e.line_id is not None and e.id not in undone}


def add_entry(
    unit: Unit, visit: Any, kind: Kind, patient_cents: int, insurer_cents: int, words: str, **more: Any
) -> int:
    """One journal entry on today's business day of the visit's site."""
    return unit.add(
        schema.journal, kind=kind, day=unit.business_day(visit.site_id), at=unit.now, by_id=unit.actor.id, patient_id=visit.patient_id,
        visit_id=visit.id, patient_cents=patient_cents, insurer_cents=insurer_cents, words=words[:200], **more,
    )  # fmt: skip


def reverse(unit: Unit, visit: Any, entry: Entry, words: str) -> None:
    """Post what undoes the entry, today; the entry itself stays."""
    undo = reversal_of(entry, 0, unit.business_day(visit.site_id))
    add_entry(
        unit,
        visit,
        undo.kind,
        undo.patient_cents,
        undo.insurer_cents,
        words,
        line_id=undo.line_id,
        reverses_id=undo.reverses,
    )


def settle_visit(unit: Unit, visit: Any) -> Parts:
    """Give credits to open lines, free what a line holds too much, and move between LEFT and SETTLED. What stays open."""
    entries = money.visit_entries(unit.connection, visit.id)
    given = money.visit_allocations(unit.connection, visit.id)
    freed = [
        back
        for line_id, parts in line_parts(entries, given).items()
        if parts.patient < 0
        for back in take_back(line_id, -parts.patient, given)
    ]
    given = [*given, *freed]
    open_lines = [(line_id, parts.patient) for line_id, parts in line_parts(entries, given).items()]
    more = give(credit_left(entries, given), open_lines)
    _write_allocations(unit, visit, [*freed, *more])
    left = balance(entries)
    unsettled = left != Parts() or money.pending_payments(unit.connection, visit.id) > 0
    if visit.state == Stop.LEFT and not unsettled:
        step(unit, visit, Stop.SETTLED)
    elif visit.state == Stop.SETTLED and unsettled:
        step(unit, visit, Stop.LEFT, "money came open again")
    return left


def _write_allocations(unit: Unit, visit: Any, allocations: Sequence[Allocation]) -> None:
    for each in allocations:
        unit.add(
            schema.allocation, credit_id=each.credit_id, line_id=each.line_id, cents=each.cents, patient_id=visit.patient_id,
            at=unit.now, by_id=unit.actor.id,
        )  # fmt: skip


def due_now(connection: Any, visit_id: int) -> int:
    """The patient's open part of a visit less what the terminal has been asked for."""
    return balance(money.visit_entries(connection, visit_id)).patient - money.pending_payments(connection, visit_id)

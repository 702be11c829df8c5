"""The account is an append-only journal: balances are sums of entries, and allocations say which credit pays
what.

Each entry moves two parts at once: what the patient owes and what an insurer is expected to pay. Nothing is
changed or removed; a mistake is answered by a reversal with the signs turned. A patient's payment belongs to
no line by itself: an allocation gives (part of) it to a line, and a negative allocation takes it back, so the
choice can be moved without touching history. All amounts are cents; days are the clinic's business days
(local).

The journal is kept in ledgers: one for every visit, and one for every patient for what belongs to no visit
(products, fees, deposits). Each ledger adds up by itself; money goes from one to another as two transfers
that add up to nothing.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum


class Kind(StrEnum):
    CHARGE = "charge"
    PAYMENT = "payment"
    INSURER_PAYMENT = "insurer"
    WRITE_OFF = "writeoff"
    DISCOUNT = "discount"
    TRANSFER = "transfer"
    REFUND = "refund"
    REVERSAL = "reversal"
    FEE = "fee"
    INTEREST = "interest"
    OPENING = "opening"


RAISES = frozenset({Kind.CHARGE, Kind.FEE, Kind.INTEREST, Kind.OPENING})
LOWERS = frozenset({Kind.WRITE_OFF, Kind.DISCOUNT})


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One line of the journal. `line_id` is the charge line it concerns; None for money that was not yet
    given to a line.

    `of` is the credit that a refund or an outgoing transfer draws on, or the outgoing transfer that an
    incoming one came from.
    """

    id: int
    kind: Kind
    day: date
    patient_cents: int
    insurer_cents: int
    line_id: int | None = None
    visit_id: int | None = None
    reverses: int | None = None
    of: int | None = None


@dataclass(frozen=True, slots=True)
class Allocation:
    """`cents` of the credit entry `credit_id` given to `line_id` (negative: taken back)."""

    credit_id: int
    line_id: int
    cents: int


@dataclass(frozen=True, slots=True)
class Parts:
    """Cents open with the patient and with the insurer; a negative part is a credit."""

    patient: int = 0
    insurer: int = 0

    def __add__(self, other: Parts) -> Parts:
        return Parts(self.patient + other.patient, self.insurer + other.insurer)

    @property
    def settled(self) -> bool:
        return self.patient == 0 and self.insurer == 0


def balance(entries: Iterable[Entry]) -> Parts:
    """What is open in all: the plain sum of the entries."""
    patient = insurer = 0
    for entry in entries:
        patient += entry.patient_cents
        insurer += entry.insurer_cents
    return Parts(patient, insurer)


def line_parts(entries: Iterable[Entry], allocations: Iterable[Allocation]) -> dict[int, Parts]:
    """What is open on each charge line once allocated credit is counted; lines in order of first entry."""
    parts: dict[int, Parts] = {}
    for entry in entries:
        if entry.line_id is not None:
            moved = Parts(entry.patient_cents, entry.insurer_cents)
            parts[entry.line_id] = parts.get(entry.line_id, Parts()) + moved
    for given in allocations:
        parts[given.line_id] = parts.get(given.line_id, Parts()) + Parts(-given.cents, 0)
    return parts


def line_charges(entries: Sequence[Entry]) -> dict[int, int]:
    """What is charged on each line by now: its charges less those that were reversed, in cents."""
    charges = {each.id for each in entries if each.kind == Kind.CHARGE}
    found: dict[int, int] = {}
    for each in entries:
        if each.line_id is not None:
            counts = each.id in charges or each.reverses in charges
            cents = each.patient_cents + each.insurer_cents if counts else 0
            found[each.line_id] = found.get(each.line_id, 0) + cents
    return found


def credit_left(entries: Iterable[Entry], allocations: Iterable[Allocation]) -> dict[int, int]:
    """What is left of each credit (an entry without a line), in order.

    What was refunded or transferred away counts against the credit it was drawn on, a reversal against that
    of the entry it reverses.
    """
    left: dict[int, int] = {}
    home: dict[int, int] = {}
    for entry in entries:
        if entry.line_id is not None:
            continue
        credit = entry.id
        if entry.reverses is not None:
            credit = home.get(entry.reverses, entry.reverses)
        elif entry.patient_cents > 0 and entry.of is not None:
            credit = entry.of
        home[entry.id] = credit
        left[credit] = left.get(credit, 0) - entry.patient_cents
    for given in allocations:
        left[given.credit_id] = left.get(given.credit_id, 0) - given.cents
    return left


def give(credits: dict[int, int], open_lines: Sequence[tuple[int, int]]) -> list[Allocation]:
    """Hand credits, in their order, to lines [(line_id, cents open)], in theirs, until one side
    is used up.
    """
    given: list[Allocation] = []
    waiting = [(line, cents) for line, cents in open_lines if cents > 0]
    for credit_id, left in credits.items():
        while left > 0 and waiting:
            line_id, cents = waiting[0]
            part = min(left, cents)
            given.append(Allocation(credit_id, line_id, part))
            left -= part
            waiting[0] = (line_id, cents - part)
            if cents == part:
                waiting.pop(0)
    return given


def take_back(line_id: int, excess: int, allocations: Sequence[Allocation]) -> list[Allocation]:
    """Free `excess` cents given to `line_id`, newest first, when its patient part shrank below what was
    given.
    """
    held: dict[int, int] = defaultdict(int)
    for given in allocations:
        if given.line_id == line_id:
            held[given.credit_id] += given.cents
    freed: list[Allocation] = []
    for credit_id in reversed(held):
        part = min(excess, held[credit_id])
        if part > 0:
            freed.append(Allocation(credit_id, line_id, -part))
            excess -= part
    return freed


def unreversed(entries: Sequence[Entry]) -> list[Entry]:
    """The entries that were not reversed, reversals themselves left out, in order."""
    undone = {entry.reverses for entry in entries}
    return [entry for entry in entries if entry.reverses is None and entry.id not in undone]


def held_by(credit_id: int, allocations: Iterable[Allocation]) -> dict[int, int]:
    """The lines that a credit pays: {line_id: cents}, without those it was taken back from."""
    held: dict[int, int] = {}
    for given in allocations:
        if given.credit_id == credit_id:
            held[given.line_id] = held.get(given.line_id, 0) + given.cents
    return {line_id: cents for line_id, cents in held.items() if cents}


def free(credit_id: int, wanted: int, allocations: Sequence[Allocation]) -> list[Allocation]:
    """Take back up to `wanted` cents that a credit pays, from the line it was given to last."""
    freed: list[Allocation] = []
    for line_id, cents in reversed(held_by(credit_id, allocations).items()):
        part = min(wanted, cents)
        if part > 0:
            freed.append(Allocation(credit_id, line_id, -part))
            wanted -= part
    return freed


def reversal_of(entry: Entry, new_id: int, day: date) -> Entry:
    """The entry that undoes `entry`, on the day it is made; the original stays as it is."""
    return Entry(
        id=new_id,
        kind=Kind.REVERSAL,
        day=day,
        patient_cents=-entry.patient_cents,
        insurer_cents=-entry.insurer_cents,
        line_id=entry.line_id,
        visit_id=entry.visit_id,
        reverses=entry.id,
    )


def faults(entries: Sequence[Entry], allocations: Sequence[Allocation]) -> list[str]:
    """What would make this journal untrue; empty when it holds. Used by the audit and by the
    property tests.
    """
    found: list[str] = []
    ids = {entry.id for entry in entries}
    reversed_ids = [entry.reverses for entry in entries if entry.reverses is not None]
    if len(ids) != len(entries):
        found.append("an entry number is used twice")
    if len(set(reversed_ids)) != len(reversed_ids):
        found.append("an entry is reversed twice")
    found += [
        f"entry {number} is reversed but does not exist" for number in reversed_ids if number not in ids
    ]
    found += [
        f"credit {n} gives {-c} more than it holds"
        for n, c in credit_left(entries, allocations).items()
        if c < 0
    ]
    per_line: dict[int, int] = defaultdict(int)
    for given in allocations:
        per_line[given.line_id] += given.cents
    found += [f"line {line} is given less than nothing" for line, cents in per_line.items() if cents < 0]
    owed = line_parts(entries, ())
    found += [
        f"line {line} is below nothing: {each.patient} with the patient, {each.insurer} with the insurer"
        for line, each in owed.items()
        if each.patient < 0 or each.insurer < 0
    ]
    found += [
        f"line {line} is given {cents - max(0, owed.get(line, Parts()).patient)} more than is owed on it"
        for line, cents in per_line.items()
        if cents > max(0, owed.get(line, Parts()).patient)
    ]
    return found

"""A recount of all money: every ledger added up again from its entries and held against what the database sums, the allocations against both
sides, the payments against what was posted for them, and every visit's stop against what is open on it.

It reads a few thousand patients at a time, so it needs no more memory for a million entries than for a thousand.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, Engine, text

from zax.core.money.journal import Allocation, Entry, Parts, balance, faults
from zax.store.money import queries as money

STEP = 4_000  # patients
_ENTRIES = text(
    "SELECT id, kind, day, patient_cents, insurer_cents, line_id, visit_id, reverses_id, of_id, patient_id FROM journal WHERE patient_id BETWEEN :first AND :last ORDER BY id"
)
_ALLOCATIONS = text(
    "SELECT credit_id, line_id, cents FROM allocation WHERE patient_id BETWEEN :first AND :last ORDER BY id"
)
_SUMS = text(
    "SELECT patient_id, visit_id, SUM(patient_cents) AS patient, SUM(insurer_cents) AS insurer FROM journal WHERE patient_id BETWEEN :first AND :last GROUP BY patient_id, visit_id"
)
_PAYMENTS = text(
    "SELECT y.id, y.state, y.kind, y.cents, COALESCE((SELECT SUM(j.patient_cents) FROM journal j WHERE j.payment_id = y.id AND j.kind <> 'fee'), 0) AS posted "
    "FROM payment y WHERE y.patient_id BETWEEN :first AND :last"
)
_STOPS = text(
    "SELECT v.id, v.state FROM visit v WHERE v.patient_id BETWEEN :first AND :last AND v.state IN ('left', 'settled') AND NOT EXISTS "
    "(SELECT 1 FROM payment_part t JOIN payment y ON y.id = t.payment_id WHERE t.visit_id = v.id AND y.state IN ('asking', 'unknown'))"
)


@dataclass(slots=True)
class LedgerAudit:
    """What was counted, and every fault in words; cents."""

    entries: int = 0
    ledgers: int = 0
    payments: int = 0
    open: Parts = Parts()
    faults: list[str] = field(default_factory=list)


def recount(engine: Engine, progress: Callable[[int, int], None] = lambda done, all_of: None) -> LedgerAudit:
    """Count everything; `progress` is called with patients done and patients in all."""
    found = LedgerAudit()
    with engine.connect() as connection:
        most = int(connection.execute(text("SELECT COALESCE(MAX(id), 0) FROM patient")).scalar_one())
        for first in range(1, most + 1, STEP):
            _count(connection, found, {"first": first, "last": first + STEP - 1})
            progress(min(most, first + STEP - 1), most)
    return found


def _count(connection: Connection, found: LedgerAudit, values: dict[str, int]) -> None:
    ledgers: dict[tuple[int, int | None], list[Entry]] = defaultdict(list)
    where: dict[int, tuple[int, int | None]] = {}
    for row in connection.execute(_ENTRIES, values):
        key = (row.patient_id, row.visit_id)
        ledgers[key].append(money.entry_of(row))
        where[row.id] = key
    given: dict[tuple[int, int | None], list[Allocation]] = defaultdict(list)
    for row in connection.execute(_ALLOCATIONS, values):
        given[where[row.credit_id]].append(Allocation(row.credit_id, row.line_id, row.cents))
    sums = {
        (row.patient_id, row.visit_id): Parts(int(row.patient), int(row.insurer))
        for row in connection.execute(_SUMS, values)
    }
    parts: dict[int, Parts] = {}
    for key, entries in ledgers.items():
        total = balance(entries)
        found.open += total
        if key[1] is not None:
            parts[key[1]] = total
        found.faults += [f"{_name(key)}: {each}" for each in faults(entries, given.get(key, ()))]
        if sums.get(key) != total:
            found.faults.append(f"{_name(key)}: the database sums {sums.get(key)}, the entries {total}")
    found.entries += len(where)
    found.ledgers += len(ledgers)
    found.faults += _stops(connection, values, parts)
    for row in connection.execute(_PAYMENTS, values):
        found.payments += 1
        found.faults += _payment(row)


def _name(key: tuple[int, int | None]) -> str:
    return f"visit {key[1]}" if key[1] is not None else f"patient {key[0]}’s own ledger"


def _payment(row: Any) -> Iterator[str]:
    """A payment that was taken is posted to the cent, one that was not is not posted."""
    wanted = -row.cents if row.state == "taken" else 0
    posted = int(row.posted)
    if row.kind == "returned" and posted <= wanted:  # what of a cheque was refunded before is charged as a fee
        return
    if posted != wanted:
        yield f"payment {row.id}: {wanted} should be posted, {posted} is"


def _stops(connection: Connection, values: dict[str, int], parts: dict[int, Parts]) -> Iterator[str]:
    """A visit is settled exactly when nothing is open on it."""
    for row in connection.execute(_STOPS, values):
        settled = parts.get(row.id, Parts()).settled
        if (row.state == "settled") != settled:
            yield f"visit {row.id}: it stands as {row.state}, but {'nothing' if settled else 'something'} is open"

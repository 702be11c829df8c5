"""A recount of all money: every ledger added up again from its entries and held against what the database
sums, the allocations against both sides, the payments against what was posted for them, and every visit's
stop against what is open on it.

It reads a few thousand patients at a time, so it needs no more memory for a million entries than for a
thousand.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from zax.core.book.track import Stop
from zax.core.money.journal import Allocation, Entry, Parts, balance, faults
from zax.core.money.tender import PaymentState
from zax.store.engine import Connection, Engine, snapshots
from zax.store.money import counting
from zax.store.money.counting import Patients, PostedPayment

STEP = 4_000  # patients


@dataclass(slots=True)
class LedgerAudit:
    """What was counted, and every fault in words; cents."""

    entries: int = 0
    ledgers: int = 0
    payments: int = 0
    open: Parts = Parts()
    faults: list[str] = field(default_factory=list)


def recount(engine: Engine, progress: Callable[[int, int], None] = lambda done, all_of: None) -> LedgerAudit:
    """Count everything as it is at one moment, while others go on; `progress` is called with patients done
    and patients in all.
    """
    with snapshots(engine).connect() as connection:
        return recount_within(connection, progress)


def recount_some(engine: Engine, first: int, last: int) -> LedgerAudit:
    """Count the ledgers of the patients from one number to another, both included."""
    found = LedgerAudit()
    with snapshots(engine).connect() as connection:
        _count(connection, found, Patients(first, last))
    return found


def recount_within(
    connection: Connection, progress: Callable[[int, int], None] = lambda done, all_of: None
) -> LedgerAudit:
    """The same as one transaction sees it."""
    found = LedgerAudit()
    most = counting.last_patient(connection)
    for first in range(1, most + 1, STEP):
        _count(connection, found, Patients(first, first + STEP - 1))
        progress(min(most, first + STEP - 1), most)
    return found


def _count(connection: Connection, found: LedgerAudit, some: Patients) -> None:
    ledgers: dict[tuple[int, int | None], list[Entry]] = defaultdict(list)
    where: dict[int, tuple[int, int | None]] = {}
    for patient_id, entry in counting.entries_of(connection, some):
        key = (patient_id, entry.visit_id)
        ledgers[key].append(entry)
        where[entry.id] = key
    given: dict[tuple[int, int | None], list[Allocation]] = defaultdict(list)
    for allocation in counting.allocations_of(connection, some):
        given[where[allocation.credit_id]].append(allocation)
    sums = {
        (row.patient_id, row.visit_id): Parts(row.patient, row.insurer)
        for row in counting.ledger_sums(connection, some)
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
    found.faults += _stops(connection, some, parts)
    for row in counting.posted_payments(connection, some):
        found.payments += 1
        found.faults += _payment(row)


def _name(key: tuple[int, int | None]) -> str:
    return f"visit {key[1]}" if key[1] is not None else f"patient {key[0]}’s own ledger"


def _payment(row: PostedPayment) -> Iterator[str]:
    """A payment that was taken is posted to the cent, one that was not is not posted."""
    wanted = -row.cents if row.state == PaymentState.TAKEN else 0
    posted = row.posted
    if row.kind == "returned" and posted <= wanted:  # what of a check was refunded before is charged as a fee
        return
    if posted != wanted:
        yield f"payment {row.id}: {wanted} should be posted, {posted} is"


def _stops(connection: Connection, some: Patients, parts: dict[int, Parts]) -> Iterator[str]:
    """A visit is settled exactly when nothing is open on it."""
    for row in counting.visit_stops(connection, some):
        settled = parts.get(row.id, Parts()).settled
        if (row.state == Stop.SETTLED) != settled:
            yield (
                f"visit {row.id}: it stands as {row.state}, but {'nothing' if settled else 'something'} is"
                " open"
            )

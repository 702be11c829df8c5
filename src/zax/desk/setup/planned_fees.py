"""Fees from a day on, as a clinic sets them for a new year: they wait, can be dropped, and hold from the
first minute of their day at the clinic. What was charged before keeps its fee.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.money.cents import parse_amount
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.store.clinic import planned_fees as stored
from zax.store.clinic import setup
from zax.store.clinic.planned_fees import PlannedFee
from zax.store.engine import Connection


@act("plans")
def plan_fees(tx: Transaction, fees: Mapping[int, str], from_day: date) -> int:
    """The fees as typed, by service, from that day on; how many will change. One that is planned for the same
    day already is replaced. Problems beside `fee-<id>` and `from_day`.
    """
    if from_day <= tx.clinic_day:
        raise Refused("Choose a day after today, or leave it empty to change them now.", "from_day")
    wrong, wanted = ProblemCollector(), dict[int, int]()
    for number, text in fees.items():
        if number in tx.clinic.services:
            cents = wrong.take(parse_amount, text, f"fee-{number}") if text.strip() else 0
            wanted[number] = cents or 0
    wrong.raise_if_any()
    waiting = stored.planned_for_update(tx.connection)
    before = _fees_on(tx, waiting, from_day)
    changed = {number: cents for number, cents in wanted.items() if cents != before[number]}
    replaced = [each.id for each in waiting if each.from_day == from_day and each.service_id in changed]
    stored.end_planned(tx.connection, replaced, tx.now)
    for number, cents in changed.items():
        stored.add_planned(tx.connection, number, from_day, cents, tx.now, tx.actor.id)
    if changed:
        tx.change_setup("service.fees_planned", from_day=from_day.isoformat(), count=len(changed))
    return len(changed)


def _fees_on(tx: Transaction, waiting: list[PlannedFee], day: date) -> dict[int, int]:
    """What each service costs on a day to come, by all that is planned so far."""
    fees = {number: each.fee_cents for number, each in tx.clinic.services.items()}
    due = sorted(
        (each for each in waiting if each.from_day <= day), key=lambda each: (each.from_day, each.id)
    )
    return fees | {each.service_id: each.cents for each in due}


@act("plans")
def drop_planned(tx: Transaction, from_day: date) -> int:
    """Nothing changes on that day; how many fees were planned for it. NotFound for none."""
    gone = [each.id for each in stored.planned_for_update(tx.connection) if each.from_day == from_day]
    if not gone:
        raise NotFound("Nothing is planned for that day anymore.")
    stored.end_planned(tx.connection, gone, tx.now)
    tx.change_setup("service.fees_dropped", from_day=from_day.isoformat(), count=len(gone))
    return len(gone)


def planned_by_day(connection: Connection) -> dict[date, list[PlannedFee]]:
    """What waits, by its day."""
    found: dict[date, list[PlannedFee]] = {}
    for each in stored.planned(connection):
        found.setdefault(each.from_day, []).append(each)
    return found


def let_fees_hold(desk: Desk) -> int:
    """Those whose day has come hold from now on; how many fees changed."""
    with desk.engine.connect() as connection:
        if not stored.planned(connection):
            return 0
    return in_transaction(desk, WORKER, _hold, records=True)


def _hold(tx: Transaction) -> int:
    today = tx.clinic_day
    due = [each for each in stored.planned_for_update(tx.connection) if each.from_day <= today]
    if not due:
        return 0
    last = {each.service_id: each.cents for each in sorted(due, key=lambda each: (each.from_day, each.id))}
    changed = {
        number: cents for number, cents in last.items() if tx.clinic.services[number].fee_cents != cents
    }
    for number, cents in changed.items():
        setup.change_service(tx.connection, number, {"fee_cents": cents})
    stored.end_planned(tx.connection, [each.id for each in due], tx.now)
    shown = {
        tx.clinic.services[n].code: [tx.clinic.services[n].fee_cents, c] for n, c in sorted(changed.items())
    }
    tx.change_setup("service.fees", changed=shown)
    return len(changed)

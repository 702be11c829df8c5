"""What a household has open or in credit beside one visit: earlier balances to pay along, and credits to use up.

Credit that was taken for a visit still to come belongs to that visit first and is not offered elsewhere.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, text

from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.cents import plain
from zax.core.money.journal import Kind
from zax.desk.money import add_entry, due_now, settle_visit
from zax.desk.track import locked_visit
from zax.desk.unit import Unit, act

_OPEN = text(
    "SELECT v.id, v.patient_id, v.day, v.state, v.type_id, p.first, SUM(j.patient_cents) AS cents, SUM(j.insurer_cents) AS insurer FROM patient p "
    "STRAIGHT_JOIN visit v ON v.patient_id = p.id STRAIGHT_JOIN journal j ON j.visit_id = v.id WHERE p.household_id = :household_id AND v.id <> :visit_id "
    "AND v.state NOT IN ('held', 'booked', 'confirmed', 'here', 'room', 'settled') GROUP BY v.id HAVING cents <> 0 ORDER BY v.day, v.id"
)
_PENDING = text(
    "SELECT t.visit_id, SUM(t.cents) AS cents FROM payment_part t JOIN payment y ON y.id = t.payment_id AND y.state IN ('asking', 'unknown') GROUP BY t.visit_id"
)


@dataclass(frozen=True, slots=True)
class OpenVisit:
    """An earlier visit's open part of the patient; a negative one is a credit. Cents; `insurer` is what its plan has not paid yet."""

    visit_id: int
    patient_id: int
    first: str
    day: date
    type_id: int
    cents: int
    insurer: int


def open_elsewhere(connection: Connection, household_id: int, visit_id: int) -> list[OpenVisit]:
    """The household's other visits with money open or in credit, oldest first, less what a terminal is being asked for."""
    rows = connection.execute(_OPEN, {"household_id": household_id, "visit_id": visit_id}).all()
    pending = {row.visit_id: int(row.cents) for row in connection.execute(_PENDING)} if rows else {}
    found = [
        OpenVisit(row.id, row.patient_id, row.first, row.day, row.type_id, int(row.cents) - pending.get(row.id, 0), int(row.insurer))
        for row in rows
    ]  # fmt: skip
    return [each for each in found if each.cents]


@act("payments")
def use_credit(unit: Unit, visit_id: int, from_visit_id: int) -> int:
    """Move what is in credit on another visit of the household to this one, up to what is due here; the cents moved.

    Two entries of the journal that add up to nothing; neither is ever changed.
    """
    first, second = sorted((visit_id, from_visit_id))
    locked: dict[int, Any] = {number: locked_visit(unit, number) for number in dict.fromkeys((first, second))}
    visit, source = locked[visit_id], locked[from_visit_id]
    if visit_id == from_visit_id or source.household_id != visit.household_id:
        raise NotFound("This household has no such credit.")
    if visit.state not in {Stop.CHECKOUT, Stop.LEFT}:
        raise Conflict("Nothing is charged for this visit yet. The credit is offered again at checkout.", "credit")
    found = next(
        (e for e in open_elsewhere(unit.connection, visit.household_id, visit.id) if e.visit_id == source.id), None
    )
    if found is None or found.cents >= 0:
        raise Conflict("This credit was used meanwhile.", "credit")
    cents = min(-found.cents, due_now(unit.connection, visit.id))
    if cents <= 0:
        raise Refused("Nothing is due here, so the credit stays where it is.", "credit")
    day = f"{source.day.day} {source.day:%b %Y}"
    add_entry(
        unit, source, Kind.TRANSFER, cents, 0, f"Credit used for the visit of {visit.day.day} {visit.day:%b %Y}"
    )
    add_entry(unit, visit, Kind.TRANSFER, -cents, 0, f"Credit of {plain(cents)} from {day}")
    settle_visit(unit, source)
    settle_visit(unit, visit)
    unit.audit("credit.used", patient_id=visit.patient_id, visit_id=visit.id, cents=cents, source=source.id)
    for each in (visit, source):
        unit.tell("money", site_id=each.site_id, day=each.day, visit_id=each.id, patient_id=each.patient_id)
    return cents

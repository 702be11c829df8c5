"""A walk-in: somebody stands at the counter without a visit. In one act they get the next time that somebody
who does it and a room are free, and are here; their waiting begins.

The clinic's required arrival steps stand in this door as in the other: while one is open the visit is only
booked, and the page says what is missing.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zax.clock import local
from zax.core.book.hours import Span
from zax.core.book.search_request import Opening
from zax.core.book.track import Stop
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Conflict, Refused
from zax.core.form import Choice, Form, Key, Reference, ReferenceOrNone
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.arrivals.check_in import steps_in_the_door
from zax.desk.book.booking import BookOrder, book_orders
from zax.desk.book.openings import Part, Request, soonest
from zax.desk.book.placing import Spot, lock_spots
from zax.desk.book.track import locked_visit, step
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection

_WHO = ("patient_id", "key", "note", "first", "last", "birth", "phone")


class WalkInForm(Form):
    """Who, and what for; a new patient comes in the four fields instead of an id."""

    site_id: Reference
    type_id: Choice = 0
    patient_id: ReferenceOrNone = None
    key: Key
    note: str = ""
    first: str = ""
    last: str = ""
    birth: str = ""
    phone: str = ""


@dataclass(frozen=True, slots=True)
class WalkedIn:
    """The visit, and the steps that kept it from being checked in."""

    visit_id: int
    open_steps: tuple[str, ...] = ()


def next_free(
    connection: Connection, clinic: Clinic, now: datetime, site_id: int, kind: VisitType, patient_id: int = 0
) -> Opening | None:
    """The soonest time left today for this type; None when there is none. `now` is UTC."""
    today = local(now, clinic.sites[site_id].timezone).date()
    request = Request(
        parts=(Part(kind.id),),
        sites=(site_id,),
        first=today,
        last=today,
        patient_id=patient_id,
    )
    return soonest(connection, clinic, now, request)


@act("arrivals")
def walk_in(tx: Transaction, form: WalkInForm) -> WalkedIn:
    """Booked at the next free time today, and here. Raises Problems beside the fields, and Conflict when
    nobody is free today anymore.
    """
    kind = tx.clinic.types.get(form.type_id)
    if kind is None or not kind.active:
        raise Refused("Choose what they came for.", "type_id")
    free = _held_for_us(tx, form, kind)
    order = BookOrder(
        site_id=form.site_id,
        day=free.day,
        at=free.start,
        provider_id=free.lead,
        type_id=kind.id,
        minutes=free.minutes,
        room_id=free.room,
        **{name: getattr(form, name) for name in _WHO},
    )
    visit_id = book_orders(tx, [order])[0]
    visit = locked_visit(tx, visit_id)
    if visit.state != Stop.BOOKED:
        return WalkedIn(visit_id)
    names = steps_in_the_door(tx, visit)
    if not names:
        step(tx, visit, Stop.HERE, "walked in")
    return WalkedIn(visit_id, tuple(names))


def _held_for_us(tx: Transaction, form: WalkInForm, kind: VisitType) -> Opening:
    """The next free time, with the days of everybody who could take it locked, so that it stays free."""
    today = tx.business_day(form.site_id)
    span = Span(0, kind.minutes)
    lock_spots(
        tx,
        [
            Spot(site_id=form.site_id, day=today, span=span, provider=person, kind=kind)
            for person in tx.clinic.hours.leads(kind, form.site_id)
        ],
    )
    free = next_free(tx.connection, tx.clinic, tx.now, form.site_id, kind, form.patient_id or 0)
    if free is None:
        raise Conflict(
            f"No one is free for “{kind.name}” today anymore. Choose another type, or book another day.",
            "type_id",
        )
    return free

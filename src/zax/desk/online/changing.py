"""A patient changes a visit of theirs on a page of ours: cancels it or takes another time, as far as the
clinic lets patients do so, under every rule of the Book.
"""

from __future__ import annotations

from datetime import date

from zax.core.book.cancellation import OffWhy
from zax.core.book.track import ON_THE_BOOK, Stop
from zax.core.errors import Refused
from zax.desk.acts.transaction import Transaction
from zax.desk.book.cancellation import cancel
from zax.desk.book.moving import MoveOrder, move
from zax.desk.book.track import locked_visit, step
from zax.desk.inbox.answers import may_cancel
from zax.desk.online.times import may_be_seen
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit

TAKEN = "That time is gone. Please choose another one."


def may_change(tx: Transaction, visit: Visit) -> bool:
    return visit.state in ON_THE_BOOK and may_cancel(tx, visit)


def cancel_own(tx: Transaction, visit: Visit) -> None:
    """Refused where it is too late, or it isn't on the Book."""
    if not may_change(tx, visit):
        raise Refused("It’s too close to your visit to cancel it here. Please call us.", "cancel")
    cancel(tx, visit.id, OffWhy.WANTS_ANOTHER, "on their own page")
    tx.audit("online.canceled", patient_id=visit.patient_id, visit_id=visit.id)


def move_own(tx: Transaction, visit: Visit, site_id: int, day: date, start: int, provider_id: int) -> Visit:
    """To another time that is shown, held or firm as it stands; the visit as it is then. Refused where it is
    too late or that time isn't shown, Conflict where it is gone.
    """
    if not may_change(tx, visit):
        raise Refused("It’s too close to your visit to change it here. Please call us.", "cancel")
    if not may_be_seen(tx.clinic, site_id, day, start, tx.now):
        raise Refused(TAKEN, "time")
    move(tx, visit.id, MoveOrder(site_id=site_id, day=day, at=start, provider_id=provider_id))
    tx.audit("online.moved", patient_id=visit.patient_id, visit_id=visit.id)
    return visits_by_id(tx.connection, [visit.id])[visit.id]


def confirm_own(tx: Transaction, visit_id: int) -> None:
    """They will come; twice is once."""
    visit = locked_visit(tx, visit_id)
    if visit.state == Stop.BOOKED:
        step(tx, visit, Stop.CONFIRMED, "on their own page")

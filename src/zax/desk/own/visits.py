"""Somebody's visits on their own page: seen, confirmed, canceled, moved. Every act looks first whether the
visit is of somebody they may see.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.book.track import ON_THE_BOOK
from zax.core.errors import NotFound
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.online.changing import cancel_own, confirm_own, may_change, move_own
from zax.desk.own.signing_in import Own
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.record.record import RecordVisit, visits_ahead, visits_past

MOST = 12


@dataclass(frozen=True, slots=True)
class OwnVisits:
    """`coming` soonest first, `past` latest first."""

    coming: Sequence[RecordVisit]
    past: Sequence[RecordVisit]


def visits_of(connection: Connection, patient_id: int, today: date) -> OwnVisits:
    coming = visits_ahead(connection, patient_id, today, MOST)
    return OwnVisits(
        [each for each in coming if each.state in ON_THE_BOOK],
        visits_past(connection, patient_id, today, MOST),
    )


@dataclass(frozen=True, slots=True)
class OwnVisitPage:
    visit: Visit
    may_change: bool


def visit_page(desk: Desk, own: Own, visit_id: int) -> OwnVisitPage:
    """NotFound for a visit of anybody they may not see."""

    def look(tx: Transaction) -> OwnVisitPage:
        visit = _own(tx, own, visit_id)
        return OwnVisitPage(visit, may_change(tx, visit))

    return in_transaction(desk, WORKER, look)


def _own(tx: Transaction, own: Own, visit_id: int) -> Visit:
    visit = visits_by_id(tx.connection, [visit_id]).get(visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    own.person(visit.patient_id)
    return visit


def confirm_visit(desk: Desk, own: Own, visit_id: int) -> None:
    _change(desk, own, visit_id, lambda tx, visit: confirm_own(tx, visit.id))


def cancel_visit(desk: Desk, own: Own, visit_id: int) -> None:
    """Refused where it is too late."""
    _change(desk, own, visit_id, cancel_own)


def move_visit(
    desk: Desk, own: Own, visit_id: int, site_id: int, day: date, start: int, provider_id: int
) -> None:
    """Refused where it is too late or that time isn't shown, Conflict where it is gone."""
    _change(desk, own, visit_id, lambda tx, visit: move_own(tx, visit, site_id, day, start, provider_id))


def _change(desk: Desk, own: Own, visit_id: int, work: Callable[[Transaction, Visit], object]) -> None:
    in_transaction(desk, WORKER, lambda tx: work(tx, _own(tx, own, visit_id)))

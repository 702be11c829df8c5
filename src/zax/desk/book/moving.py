"""Changing visits on the Book: to another time, person, room or length, and to the right patient. Every act
can be undone (zax.desk.book.undo).
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Annotated

from zax.core.book.booking import check_length, check_time
from zax.core.book.hours import Span
from zax.core.book.track import ON_THE_BOOK, Stop, check_move
from zax.core.errors import NotFound, ProblemCollector, Refused
from zax.core.form import Clock, Form, Minutes, Reference, a_day
from zax.core.wording import clock_words, day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.booking import active_patient, check_for_whom, check_own_time, length_of
from zax.desk.book.placing import Spot, find_place, lock_spots, provider_of
from zax.desk.book.track import locked_visit, write_move
from zax.desk.book.undo import Memo
from zax.desk.book.waitlist import settle_waits
from zax.store.book import changes, planned, shelf
from zax.store.book.records import Visit


class MoveOrder(Form):
    """Where a visit is to go. `at` is minutes from midnight; without `minutes` it keeps its length, room 0
    lets the desk choose.
    """

    site_id: Reference
    day: Annotated[date, a_day("Choose the day of the visit.")]
    at: Clock
    provider_id: Reference
    minutes: Minutes = None
    room_id: Reference = 0


def check_day_open(tx: Transaction, visit: Visit) -> None:
    """Past days stay as they were. A visit on the shelf stands on no day."""
    if visit.state != Stop.SHELF and visit.day < tx.business_day(visit.site_id):
        raise Refused(
            "That day is over, so its visits stay as they were. You can only correct their track, with a"
            " reason."
        )


@act("book")
def move_visit(tx: Transaction, visit_id: int, order: MoveOrder, version: int | None = None) -> None:
    """To another time, provider, room, site or length; from the shelf too. A visit moved to another time is
    no longer confirmed.
    """
    move(tx, visit_id, order, version)


def move(tx: Transaction, visit_id: int, order: MoveOrder, version: int | None = None) -> None:
    """The same, as a part of an act."""
    visit = locked_visit(tx, visit_id, version)
    spot = _spot_of_move(tx, visit, order)
    lock_spots(tx, [spot])
    memo = Memo(tx=tx)
    memo.look_at(visit)
    placed = find_place(tx, spot)
    active_patient(tx, visit.patient_id)
    check_own_time(tx, visit.patient_id, spot)
    same_time = (spot.site_id, spot.day, spot.span.start) == (visit.site_id, visit.day, visit.start_min)
    to = _stop_after_move(tx, visit, same_time)
    shelf.off_shelf(tx.connection, visit.id)
    moved = replace(
        visit,
        site_id=spot.site_id,
        day=spot.day,
        start_min=spot.span.start,
        minutes=spot.span.minutes,
        provider_id=spot.provider.id,
        room_id=placed.room_id,
        buffer_min=spot.kind.buffer,
        state=to,
    )
    changes.save_visit(tx.connection, visit, moved)
    changes.write_slots(tx.connection, visit.id, spot.day, placed.staff)
    if to != visit.state:
        check_move(Stop(visit.state), to)
        write_move(tx, visit.id, visit.state, to, "moved")
    _lead_follows(tx, visit, spot.provider.id)
    where = f"{day_words(spot.day)}, {clock_words(spot.span.start)}, {spot.provider.short}"
    if spot.day < visit.day:
        memo.waits_ended += settle_waits(tx, visit.patient_id, visit.type_id, 0, visit.id)
    tx.audit(
        "visit.moved",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        said=f"moved it to {where}",
        was=f"{visit.day} {clock_words(visit.start_min)}",
    )
    memo.write(f"moved {visit.first} {visit.last} to {where}")
    for site_id, day in {(visit.site_id, visit.day), (spot.site_id, spot.day)}:
        tx.tell("visit", site_id=site_id, day=day, visit_id=visit.id, patient_id=visit.patient_id)


def _spot_of_move(tx: Transaction, visit: Visit, order: MoveOrder) -> Spot:
    """Where it is to go, checked; a patient who is already here can only be given more or less time."""
    check_day_open(tx, visit)
    if order.site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    provider, kind = provider_of(tx.clinic, order.provider_id), tx.clinic.types[visit.type_id]
    site = tx.clinic.sites[order.site_id]
    with ProblemCollector() as wrong:
        minutes = length_of(order.minutes, visit.minutes)
        wrong.take(check_length, minutes, site.grid)
        if kind.role != provider.role:
            wrong.add("at", f"{provider.name} does not do “{kind.name}”.")
    span = Span(order.at, order.at + minutes)
    stays = (order.site_id, order.day, order.at, provider.id) == (
        visit.site_id,
        visit.day,
        visit.start_min,
        visit.provider_id,
    )
    if visit.state in {Stop.HERE, Stop.ROOM}:
        if not stays:
            raise Refused(
                "The patient is already here. You can make the visit longer or shorter, but not move it.",
                "at",
            )
    elif visit.state not in ON_THE_BOOK and visit.state != Stop.SHELF:
        raise Refused("Only an upcoming visit can be moved.", "at")
    elif not stays or visit.state == Stop.SHELF:
        check_time(order.day, span, site.grid, tx.local_now(site.id))
    room_id = order.room_id or (visit.room_id if order.site_id == visit.site_id and stays else 0)
    return Spot(
        site_id=order.site_id,
        day=order.day,
        span=span,
        provider=provider,
        kind=kind,
        room_id=room_id,
        leaving=frozenset({visit.id}),
    )


def _stop_after_move(tx: Transaction, visit: Visit, same_time: bool) -> Stop:
    now = Stop(visit.state)
    if now == Stop.SHELF:
        row = shelf.shelf_row(tx.connection, visit.id)
        now = Stop(row.was) if row else Stop.BOOKED
    return Stop.BOOKED if now == Stop.CONFIRMED and not same_time else now


def _lead_follows(tx: Transaction, visit: Visit, provider_id: int) -> None:
    """What the former lead was to do, the new one does."""
    if provider_id != visit.provider_id:
        planned.hand_lines(tx.connection, visit.id, visit.provider_id, provider_id)


@act("book")
def replace_patient(
    tx: Transaction, visit_id: int, patient_id: int | None, version: int | None = None
) -> None:
    """The visit was booked for the wrong person: give it to the right one where it stands; planned services
    go back to the first.
    """
    visit = locked_visit(tx, visit_id, version)
    check_day_open(tx, visit)
    if visit.state not in ON_THE_BOOK:
        raise Refused(
            "You can’t change the patient after check-in. Cancel this visit and book the right one.",
            "patient",
        )
    if not patient_id:
        raise Refused("Find the right patient.", "patient")
    memo = Memo(tx=tx)
    memo.look_at(visit)
    kind = tx.clinic.types[visit.type_id]
    active_patient(tx, patient_id)
    check_for_whom(tx, kind, patient_id, visit.day)
    span = Span(visit.start_min, visit.start_min + visit.minutes)
    check_own_time(
        tx,
        patient_id,
        Spot(
            site_id=visit.site_id,
            day=visit.day,
            span=span,
            provider=tx.clinic.providers[visit.provider_id],
            kind=kind,
            leaving=frozenset({visit.id}),
        ),
    )
    planned.remove_planned_lines(tx.connection, visit.id, tx.now)
    planned.free_planned(tx.connection, visit.id)
    changes.save_visit(tx.connection, visit, replace(visit, patient_id=patient_id, state=Stop.BOOKED))
    if visit.state != Stop.BOOKED:
        write_move(tx, visit.id, visit.state, Stop.BOOKED, "another patient")
    tx.audit(
        "visit.patient_replaced",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        to=patient_id,
        said="gave it to another patient",
    )
    memo.write(f"gave the visit of {visit.first} {visit.last} to another patient")
    for whom in (visit.patient_id, patient_id):
        tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=whom)

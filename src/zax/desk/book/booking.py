"""Putting visits on the Book: one, a series, or a household in one act.

What may stand where is decided in core.book; here it is locked, read and written. Every act can be undone
(zax.desk.book.undo).
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Annotated

from pydantic import Field

from zax.core.book.booking import check_length, check_time
from zax.core.book.hours import Span
from zax.core.book.track import Stop
from zax.core.book.waitlist import WaitWhy
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.form import (
    Choice,
    Clock,
    Form,
    Key,
    Minutes,
    Reference,
    ReferenceOrNone,
    References,
    Texts,
    Tick,
    a_day,
)
from zax.core.patients.person import check_new_patient, is_new
from zax.core.wording import clock_span, clock_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.placing import Spot, days_that_meet, find_place, lock_spots, provider_of
from zax.desk.book.track import write_move
from zax.desk.book.undo import Memo
from zax.desk.book.visit_lines import write_lines
from zax.desk.book.waitlist import add_wait, settle_waits
from zax.desk.patients.details import new_patient
from zax.store.book import changes
from zax.store.book import queries as visits
from zax.store.book.records import NewVisit
from zax.store.patients.attendance import last_came


class BookOrder(Form):
    """A booking as asked for. `at` is minutes from midnight; without `minutes` it takes as long as its type
    does; a new patient comes in the four fields instead of an id.

    `planned` are the patient's planned services this visit is to do, `also` what it does besides
    (zax.core.book.also); `sooner` and `short` keep a wish on the
    waitlist; `wait_id` is the waitlist's reason that this booking answers. With `held_until` (UTC) it is only
    held: asked for on the web, with the patient's own words.
    """

    site_id: Reference
    day: Annotated[date, a_day("Choose the day of the visit.")]
    at: Clock
    provider_id: Reference
    type_id: Choice
    minutes: Minutes
    patient_id: ReferenceOrNone
    key: Key
    note: str = ""
    first: str = ""
    last: str = ""
    birth: str = ""
    phone: str = ""
    room_id: Reference = 0
    planned: References = ()
    also: Texts = ()
    sooner: Tick = False
    short: Tick = False
    wait_id: Reference = Field(default=0, validation_alias="wait")
    held_until: datetime | None = None
    web_message: str = ""


@act("book")
def book_visit(tx: Transaction, order: BookOrder) -> int:
    """Book and return the visit's id; the same key returns the same visit. Raises Refused, Problems or
    Conflict.
    """
    return book_orders(tx, [order])[0]


@act("book")
def book_many(tx: Transaction, orders: Sequence[BookOrder]) -> list[int]:
    """Several visits in one act, all of them or none: a series, or the members of a household."""
    return book_orders(tx, orders)


def book_orders(tx: Transaction, orders: Sequence[BookOrder]) -> list[int]:
    done = [visits.visit_by_key(tx.connection, order.key) for order in orders]
    known = [visit.id for visit in done if visit is not None]
    if len(known) == len(orders):
        return known
    spots = [_spot_of(tx, order) for order in orders]
    lock_spots(tx, spots)
    memo = Memo(tx=tx)
    made = [_book_one(tx, order, spot, memo) for order, spot in zip(orders, spots, strict=True)]
    fresh = [visit_id for visit_id, is_new in made if is_new]
    if fresh:
        row = visits.one_visit(tx.connection, fresh[0])
        assert row is not None
        more = f" and {len(fresh) - 1} more" if len(fresh) > 1 else ""
        memo.write(f"booked {row.first} {row.last}{more} at {clock_words(row.start_min)}")
    return [visit_id for visit_id, _ in made]


def _spot_of(tx: Transaction, order: BookOrder) -> Spot:
    if order.site_id not in tx.clinic.sites:
        raise NotFound("There is no such site.")
    provider = provider_of(tx.clinic, order.provider_id)
    kind, minutes, start = _check_order(tx, order, provider)
    return Spot(
        site_id=order.site_id,
        day=order.day,
        span=Span(start, start + minutes),
        provider=provider,
        kind=kind,
        room_id=order.room_id,
    )


def _book_one(tx: Transaction, order: BookOrder, spot: Spot, memo: Memo) -> tuple[int, bool]:
    earlier = visits.visit_by_key(tx.connection, order.key)
    if earlier is not None:
        return earlier.id, False
    placed = find_place(tx, spot)
    patient_id = _patient(tx, order)
    check_for_whom(tx, spot.kind, patient_id, spot.day)
    check_own_time(tx, patient_id, spot)
    stop = Stop.HELD if order.held_until else Stop.BOOKED
    visit_id = changes.add_visit(
        tx.connection,
        NewVisit(
            site_id=spot.site_id,
            patient_id=patient_id,
            provider_id=spot.provider.id,
            room_id=placed.room_id,
            type_id=spot.kind.id,
            day=spot.day,
            start_min=spot.span.start,
            minutes=spot.span.minutes,
            buffer_min=spot.kind.buffer,
            state=stop,
            note=order.note.strip(),
            held_until=order.held_until,
            web_message=order.web_message.strip()[:500],
            request_key=order.key,
            made_at=tx.now,
            made_by=tx.actor.id,
        ),
    )
    memo.made(visit_id)
    changes.write_slots(tx.connection, visit_id, spot.day, placed.staff)
    write_lines(tx, visit_id, patient_id, spot, placed, order.planned, order.also)
    write_move(tx, visit_id, "", stop)
    memo.waits_ended += settle_waits(tx, patient_id, spot.kind.id, order.wait_id)
    for wanted, why in ((order.sooner, WaitWhy.SOONER), (order.short, WaitWhy.SHORT)):
        if wanted:
            memo.waits_made += add_wait(tx, visit_id, why)
    tx.audit(
        "visit.booked",
        patient_id=patient_id,
        visit_id=visit_id,
        at=f"{spot.day} {clock_words(spot.span.start)}",
        said="booked it",
    )
    tx.tell("visit", site_id=spot.site_id, day=spot.day, visit_id=visit_id, patient_id=patient_id)
    return visit_id, True


def _check_order(tx: Transaction, order: BookOrder, provider: Provider) -> tuple[VisitType, int, int]:
    """Everything that can be wrong in the form, found at once."""
    site = tx.clinic.sites[order.site_id]
    wrong = ProblemCollector()
    kind = tx.clinic.types.get(order.type_id)
    if kind is None or not kind.active:
        wrong.add("type_id", "Choose what the visit is for.")
    elif kind.role != provider.role:
        wrong.add("type_id", f"{provider.name} does not do “{kind.name}”. Choose another type or provider.")
    minutes = length_of(order.minutes, kind.minutes if kind else site.grid)
    wrong.take(check_length, minutes, site.grid)
    if "minutes" not in wrong.problems:
        span = Span(order.at, order.at + minutes)
        wrong.take(check_time, order.day, span, site.grid, tx.local_now(site.id))
    if order.patient_id is None and not (order.first or order.last or order.birth or order.phone):
        wrong.add("patient", "Find the patient, or enter a new one.")
    elif order.patient_id is None:
        wrong.take(
            check_new_patient, order.first, order.last, order.birth, order.phone, tx.business_day(site.id)
        )
    if len(order.note) > 500:
        wrong.add("note", f"The note has {len(order.note)} characters; the limit is 500.")
    wrong.raise_if_any()
    assert kind is not None
    return kind, minutes, order.at


def length_of(minutes: int | None, usual: int) -> int:
    """The length that was asked for; the usual one when none was."""
    return usual if minutes is None else minutes


def _patient(tx: Transaction, order: BookOrder) -> int:
    if order.patient_id is None:
        return new_patient(tx, order.first, order.last, order.birth, order.phone, order.site_id)
    return active_patient(tx, order.patient_id)


def active_patient(tx: Transaction, patient_id: int) -> int:
    """The patient, locked, so that two desks cannot give one person two times at once; Refused for an unknown
    or inactive one.
    """
    if not visits.active_patient_for_update(tx.connection, patient_id):
        raise Refused("This patient can’t be booked. Find the patient again.", "patient")
    return patient_id


def check_for_whom(tx: Transaction, kind: VisitType, patient_id: int, day: date) -> None:
    """Some types are for new patients only, or for known ones, as they are on the day of the visit."""
    if kind.for_whom == "all":
        return
    new = is_new(last_came(tx.connection, [patient_id], day).get(patient_id))
    if not new and kind.for_whom == "new":
        raise Refused(
            f"“{kind.name}” is for new patients, and this one has been here before. Choose another type.",
            "type_id",
        )
    if new and kind.for_whom == "known":
        raise Refused(
            f"“{kind.name}” is for patients who have been here before. Choose a type for new patients.",
            "type_id",
        )


def check_own_time(tx: Transaction, patient_id: int, spot: Spot) -> None:
    """Nobody can be in two chairs at once."""
    for other in visits.own_visits(
        tx.connection, patient_id, days_that_meet(tx.clinic, spot.site_id, spot.day)
    ):
        theirs = Span(other.start_min, other.start_min + other.minutes)
        if other.id not in spot.leaving and other.day == spot.day and theirs.overlaps(spot.span):
            who = tx.clinic.providers[other.provider_id].name
            raise Conflict(
                f"This patient has a visit with {who} from {clock_span(theirs.start, theirs.end)}.",
                "patient",
            )

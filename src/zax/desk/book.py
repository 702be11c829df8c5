"""Putting visits on the Book and changing them there: book, move, lengthen, replace a wrongly picked patient.

What may stand where is decided in core.book; here it is locked, read and written. Every act can be undone (zax.desk.undo).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Any

from sqlalchemy import delete, insert, select, update

from zax.core.book.booking import Placed, check_length, check_time
from zax.core.book.hours import Span, clock_words
from zax.core.book.track import ON_THE_BOOK, Stop, check_move
from zax.core.book.waitlist import WaitWhy
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused
from zax.core.patients.person import check_new_patient
from zax.desk.clinic import Provider, VisitType
from zax.desk.patients import new_patient
from zax.desk.placing import Spot, days_that_meet, find_place, lock_spots, provider_of
from zax.desk.tally import tally_of
from zax.desk.track import locked_visit, write_move
from zax.desk.undo import Memo, free_planned
from zax.desk.unit import Unit, act
from zax.desk.waitlist import add_wait, settle_waits
from zax.store import schema, visits


@dataclass(frozen=True, slots=True)
class BookOrder:
    """A booking as asked for. `at` and `minutes` are as typed; a new patient comes in the four fields instead of an id.

    `planned` are the patient's planned services this visit is to do; `sooner` and `short` keep a wish on the waitlist; `wait_id` is the
    waitlist's reason that this booking answers. With `held_until` (UTC) it is only held: asked for on the web, with the patient's own words.
    """

    site_id: int
    day: date
    at: str
    provider_id: int
    type_id: str
    minutes: str
    patient_id: int | None
    key: str
    note: str = ""
    first: str = ""
    last: str = ""
    birth: str = ""
    phone: str = ""
    room_id: int = 0
    planned: tuple[int, ...] = ()
    sooner: bool = False
    short: bool = False
    wait_id: int = 0
    held_until: datetime | None = None
    web_message: str = ""


@dataclass(frozen=True, slots=True)
class MoveOrder:
    """Where a visit is to go. `at` and `minutes` as typed; empty minutes keep its length, room 0 lets the desk choose."""

    site_id: int
    day: date
    at: str
    provider_id: int
    minutes: str = ""
    room_id: int = 0


def parse_clock(text: str, field: str = "at") -> int:
    """'10:30', '1030', '2 pm' -> minutes from midnight."""
    found = re.fullmatch(r"(\d{1,2})(?::?(\d{2}))?\s*([ap])?\.?m?\.?", text.strip().lower())
    if not found:
        raise Refused(f"“{text.strip()[:12]}” is not a time. Write it as 10:30.", field)
    hour, minute = int(found[1]), int(found[2] or 0)
    if found[3]:
        hour = hour % 12 + (12 if found[3] == "p" else 0)
    if hour > 23 or minute > 59:
        raise Refused(f"“{text.strip()[:12]}” is not a time of day.", field)
    return hour * 60 + minute


@act("book")
def book_visit(unit: Unit, order: BookOrder) -> int:
    """Book and return the visit's id; the same key returns the same visit. Raises Refused, Problems or Conflict."""
    return book_orders(unit, [order])[0]


@act("book")
def book_many(unit: Unit, orders: Sequence[BookOrder]) -> list[int]:
    """Several visits in one act, all of them or none: a series, or the members of a household."""
    return book_orders(unit, orders)


def book_orders(unit: Unit, orders: Sequence[BookOrder]) -> list[int]:
    done = [visits.visit_by_key(unit.connection, order.key) for order in orders]
    if all(done):
        return [int(visit.id) for visit in done]
    spots = [_spot_of(unit, order) for order in orders]
    lock_spots(unit, spots)
    memo = Memo(unit)
    made = [_book_one(unit, order, spot, memo) for order, spot in zip(orders, spots, strict=True)]
    fresh = [visit_id for visit_id, is_new in made if is_new]
    if fresh:
        row = visits.one_visit(unit.connection, fresh[0])
        more = f" and {len(fresh) - 1} more" if len(fresh) > 1 else ""
        memo.write(f"booked {row.first} {row.last}{more} at {clock_words(row.start_min)}")
    return [visit_id for visit_id, _ in made]


def _spot_of(unit: Unit, order: BookOrder) -> Spot:
    if order.site_id not in unit.clinic.sites:
        raise NotFound("There is no such site.")
    provider = provider_of(unit.clinic, order.provider_id)
    kind, minutes, start = _check_order(unit, order, provider)
    return Spot(order.site_id, order.day, Span(start, start + minutes), provider, kind, order.room_id)


def _book_one(unit: Unit, order: BookOrder, spot: Spot, memo: Memo) -> tuple[int, bool]:
    earlier = visits.visit_by_key(unit.connection, order.key)
    if earlier is not None:
        return int(earlier.id), False
    placed = find_place(unit, spot)
    patient_id = _patient(unit, order)
    check_for_whom(unit, spot.kind, patient_id)
    check_own_time(unit, patient_id, spot)
    stop = Stop.HELD if order.held_until else Stop.BOOKED
    visit_id = unit.add(
        schema.visit, site_id=spot.site_id, patient_id=patient_id, provider_id=spot.provider.id, room_id=placed.room_id, type_id=spot.kind.id,
        day=spot.day, start_min=spot.span.start, minutes=spot.span.minutes, buffer_min=spot.kind.buffer, note=order.note.strip(), state=stop,
        held_until=order.held_until, web_message=order.web_message.strip()[:500], request_key=order.key, made_at=unit.now, made_by=unit.actor.id,
    )  # fmt: skip
    memo.made(visit_id)
    write_slots(unit, visit_id, spot.day, placed)
    write_lines(unit, visit_id, patient_id, spot, placed, order.planned)
    write_move(unit, visit_id, "", stop)
    memo.waits_ended += settle_waits(unit, patient_id, spot.kind.id, order.wait_id)
    for wanted, why in ((order.sooner, WaitWhy.SOONER), (order.short, WaitWhy.SHORT)):
        if wanted:
            memo.waits_made += add_wait(unit, visit_id, why)
    unit.audit(
        "visit.booked",
        patient_id=patient_id,
        visit_id=visit_id,
        at=f"{spot.day} {clock_words(spot.span.start)}",
        said="booked it",
    )
    unit.tell("visit", site_id=spot.site_id, day=spot.day, visit_id=visit_id, patient_id=patient_id)
    return visit_id, True


def _check_order(unit: Unit, order: BookOrder, provider: Provider) -> tuple[VisitType, int, int]:
    """Everything that can be wrong in the form, found at once."""
    site = unit.clinic.sites[order.site_id]
    wrong = ProblemCollector()
    kind = unit.clinic.types.get(int(order.type_id)) if order.type_id.isdecimal() else None
    if kind is None or not kind.active:
        wrong.add("type_id", "Choose what the visit is for.")
    elif kind.role != provider.role:
        wrong.add("type_id", f"{provider.name} does not do “{kind.name}”. Choose another type or provider.")
    minutes = _minutes(order.minutes, kind.minutes if kind else 0)
    wrong.take(check_length, minutes, site.grid)
    start = wrong.take(parse_clock, order.at)
    if start is not None and "minutes" not in wrong.problems:
        wrong.take(check_time, order.day, Span(start, start + minutes), site.grid, unit.local_now(site.id))
    if order.patient_id is None and not (order.first or order.last or order.birth or order.phone):
        wrong.add("patient", "Find the patient, or enter a new one.")
    elif order.patient_id is None:
        wrong.take(check_new_patient, order.first, order.last, order.birth, order.phone, unit.business_day(site.id))
    if len(order.note) > 500:
        wrong.add("note", f"The note has {len(order.note)} letters; at most 500 can be kept.")
    wrong.raise_if_any()
    assert kind is not None and start is not None
    return kind, minutes, start


def _minutes(typed: str, usual: int) -> int:
    """The length as typed, the usual one for an empty field; 0, which no visit can have, for anything else."""
    text = typed.strip()
    return usual if not text else int(text) if text.isdecimal() and len(text) < 6 else 0


def _patient(unit: Unit, order: BookOrder) -> int:
    if order.patient_id is None:
        return new_patient(unit, order.first, order.last, order.birth, order.phone, order.site_id)
    return active_patient(unit, order.patient_id)


def active_patient(unit: Unit, patient_id: int) -> int:
    """The patient, locked, so that two desks cannot give one person two times at once; Refused for an unknown or inactive one."""
    p = schema.patient
    found = unit.one(select(p.c.id, p.c.status).where(p.c.id == patient_id).with_for_update())
    if found is None or found.status != "active":
        raise Refused("This patient cannot be booked. Find the patient again.", "patient")
    return int(found.id)


def check_for_whom(unit: Unit, kind: VisitType, patient_id: int) -> None:
    """Some types are for new patients only, or for known ones."""
    if kind.for_whom == "all":
        return
    known = tally_of(unit.connection, patient_id).kept > 0
    if known and kind.for_whom == "new":
        raise Refused(
            f"“{kind.name}” is for new patients, and this one has been here before. Choose another type.", "type_id"
        )
    if not known and kind.for_whom == "known":
        raise Refused(
            f"“{kind.name}” is for patients who have been here before. Choose a type for new patients.", "type_id"
        )


def check_own_time(unit: Unit, patient_id: int, spot: Spot) -> None:
    """Nobody can be in two chairs at once."""
    for other in visits.own_visits(unit.connection, patient_id, days_that_meet(unit.clinic, spot.site_id, spot.day)):
        theirs = Span(other.start_min, other.start_min + other.minutes)
        if other.id not in spot.leaving and other.day == spot.day and theirs.overlaps(spot.span):
            who = unit.clinic.providers[other.provider_id].name
            raise Conflict(
                f"This patient has a visit with {who} from {clock_words(theirs.start)} to {clock_words(theirs.end)}.",
                "patient",
            )


def write_slots(unit: Unit, visit_id: int, day: date, placed: Placed) -> None:
    """The staff slots of the visit, instead of those it had."""
    slot = schema.staff_slot
    unit.connection.execute(delete(slot).where(slot.c.visit_id == visit_id))
    unit.connection.execute(
        insert(slot),
        [
            {"visit_id": visit_id, "provider_id": each.provider_id, "day": day, "start_min": each.span.start, "end_min": each.span.end, "words": each.words}
            for each in placed.staff
        ],
    )  # fmt: skip


def write_lines(
    unit: Unit, visit_id: int, patient_id: int, spot: Spot, placed: Placed, planned: Sequence[int]
) -> None:
    """The type's services and the planned ones chosen; a planned service stands for the type's own of the same code."""
    p = schema.planned_service
    chosen = unit.rows(
        select(p)
        .where(
            p.c.id.in_(list(planned) or [0]),
            p.c.patient_id == patient_id,
            p.c.visit_id.is_(None),
            p.c.removed_at.is_(None),
        )
        .order_by(p.c.id)
    )
    brought = {row.service_id for row in chosen}
    helper = next((slot.provider_id for slot in placed.staff if slot.words), spot.provider.id)
    lines = [(row.service_id, row.tooth, row.surfaces, row.id) for row in chosen]
    lines += [(number, "", "", None) for number in spot.kind.services if number not in brought]
    services = unit.clinic.services
    if lines:
        unit.connection.execute(
            insert(schema.charge_line),
            [
                {"visit_id": visit_id, "service_id": number, "tooth": tooth, "surfaces": surfaces, "planned_id": planned_id,
                 "fee_cents": services[number].fee_cents, "entered_at": unit.now, "entered_by": unit.actor.id,
                 "provider_id": helper if services[number].category == "diagnostic" else spot.provider.id}
                for number, tooth, surfaces, planned_id in lines
            ],
        )  # fmt: skip
    if chosen:
        unit.connection.execute(update(p).where(p.c.id.in_([row.id for row in chosen])).values(visit_id=visit_id))


def check_day_open(unit: Unit, visit: Any) -> None:
    """Past days stay as they were."""
    if visit.day < unit.business_day(visit.site_id):
        raise Refused(
            "That day is over, so its visits stay as they were. Only their track can be corrected, with a reason."
        )


@act("book")
def move_visit(unit: Unit, visit_id: int, order: MoveOrder, version: int | None = None) -> None:
    """To another time, provider, room, site or length; from the shelf too. A visit moved to another time is no longer confirmed."""
    visit = locked_visit(unit, visit_id, version)
    spot = _spot_of_move(unit, visit, order)
    lock_spots(unit, [spot])
    memo = Memo(unit)
    memo.look_at(visit)
    placed = find_place(unit, spot)
    active_patient(unit, visit.patient_id)
    check_own_time(unit, visit.patient_id, spot)
    same_time = (spot.site_id, spot.day, spot.span.start) == (visit.site_id, visit.day, visit.start_min)
    to = _stop_after_move(unit, visit, same_time)
    unit.connection.execute(delete(schema.shelf).where(schema.shelf.c.visit_id == visit.id))
    v = schema.visit
    unit.connection.execute(
        update(v).where(v.c.id == visit.id).values(
            site_id=spot.site_id, day=spot.day, start_min=spot.span.start, minutes=spot.span.minutes, provider_id=spot.provider.id,
            room_id=placed.room_id, buffer_min=spot.kind.buffer, state=to, version=v.c.version + 1,
        )
    )  # fmt: skip
    write_slots(unit, visit.id, spot.day, placed)
    if to != visit.state:
        check_move(Stop(visit.state), to)
        write_move(unit, visit.id, visit.state, to, "moved")
    _lead_follows(unit, visit, spot.provider.id)
    where = f"{spot.day.day} {spot.day:%b} {clock_words(spot.span.start)}, {spot.provider.short}"
    if spot.day < visit.day:
        memo.waits_ended += settle_waits(unit, visit.patient_id, visit.type_id, 0, visit.id)
    unit.audit(
        "visit.moved",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        said=f"moved it to {where}",
        was=f"{visit.day} {clock_words(visit.start_min)}",
    )
    memo.write(f"moved {visit.first} {visit.last} to {where}")
    for site_id, day in {(visit.site_id, visit.day), (spot.site_id, spot.day)}:
        unit.tell("visit", site_id=site_id, day=day, visit_id=visit.id, patient_id=visit.patient_id)


def _spot_of_move(unit: Unit, visit: Any, order: MoveOrder) -> Spot:
    """Where it is to go, checked; a patient who is already here can only be given more or less time."""
    check_day_open(unit, visit)
    if order.site_id not in unit.clinic.sites:
        raise NotFound("There is no such site.")
    provider, kind = provider_of(unit.clinic, order.provider_id), unit.clinic.types[visit.type_id]
    site = unit.clinic.sites[order.site_id]
    with ProblemCollector() as wrong:
        minutes = _minutes(order.minutes, visit.minutes)
        wrong.take(check_length, minutes, site.grid)
        start = wrong.take(parse_clock, order.at)
        if kind.role != provider.role:
            wrong.add("at", f"{provider.name} does not do “{kind.name}”.")
    assert start is not None
    span = Span(start, start + minutes)
    stays = (order.site_id, order.day, start, provider.id) == (
        visit.site_id,
        visit.day,
        visit.start_min,
        visit.provider_id,
    )
    if visit.state in {Stop.HERE, Stop.ROOM}:
        if not stays:
            raise Refused("The patient is already here. The visit can be made longer or shorter, not moved.", "at")
    elif visit.state not in ON_THE_BOOK and visit.state != Stop.SHELF:
        raise Refused("Only a visit that is still to come can be moved.", "at")
    elif not stays or visit.state == Stop.SHELF:
        check_time(order.day, span, site.grid, unit.local_now(site.id))
    room_id = order.room_id or (visit.room_id if order.site_id == visit.site_id and stays else 0)
    return Spot(order.site_id, order.day, span, provider, kind, room_id, frozenset({visit.id}))


def _stop_after_move(unit: Unit, visit: Any, same_time: bool) -> Stop:
    now = Stop(visit.state)
    if now == Stop.SHELF:
        was = unit.one(select(schema.shelf.c.was).where(schema.shelf.c.visit_id == visit.id))
        now = Stop(was.was) if was else Stop.BOOKED
    return Stop.BOOKED if now == Stop.CONFIRMED and not same_time else now


def _lead_follows(unit: Unit, visit: Any, provider_id: int) -> None:
    """What the former lead was to do, the new one does."""
    line = schema.charge_line
    if provider_id != visit.provider_id:
        unit.connection.execute(
            update(line)
            .where(line.c.visit_id == visit.id, line.c.provider_id == visit.provider_id, line.c.removed_at.is_(None))
            .values(provider_id=provider_id)
        )


@act("book")
def replace_patient(unit: Unit, visit_id: int, patient_id: int | None, version: int | None = None) -> None:
    """The visit was booked for the wrong person: give it to the right one where it stands; planned services go back to the first."""
    visit = locked_visit(unit, visit_id, version)
    check_day_open(unit, visit)
    if visit.state not in ON_THE_BOOK:
        raise Refused(
            "The patient can be changed until they have come. Take the visit off and book the right one.", "patient"
        )
    if not patient_id:
        raise Refused("Find the right patient.", "patient")
    memo = Memo(unit)
    memo.look_at(visit)
    kind = unit.clinic.types[visit.type_id]
    active_patient(unit, patient_id)
    check_for_whom(unit, kind, patient_id)
    span = Span(visit.start_min, visit.start_min + visit.minutes)
    check_own_time(
        unit,
        patient_id,
        Spot(
            visit.site_id,
            visit.day,
            span,
            unit.clinic.providers[visit.provider_id],
            kind,
            leaving=frozenset({visit.id}),
        ),
    )
    line, v = schema.charge_line, schema.visit
    unit.connection.execute(
        update(line)
        .where(line.c.visit_id == visit.id, line.c.planned_id.is_not(None), line.c.removed_at.is_(None))
        .values(removed_at=unit.now)
    )
    free_planned(unit, visit.id)
    unit.connection.execute(
        update(v).where(v.c.id == visit.id).values(patient_id=patient_id, state=Stop.BOOKED, version=v.c.version + 1)
    )
    if visit.state != Stop.BOOKED:
        write_move(unit, visit.id, visit.state, Stop.BOOKED, "another patient")
    unit.audit(
        "visit.patient_replaced",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        to=patient_id,
        said="gave it to another patient",
    )
    memo.write(f"gave the visit of {visit.first} {visit.last} to another patient")
    for whom in (visit.patient_id, patient_id):
        unit.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=whom)


def shifted(order: BookOrder, day: date, at: str, key: str) -> BookOrder:
    """The same booking at another time, for a series."""
    return replace(order, day=day, at=at, key=key)

"""Booking and moving visits along their track. What may stand where is decided in core.book; here it is locked, read and written."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import insert, select, update

from zax.core.book.booking import (
    Column,
    StaffSlot,
    check_column,
    check_length,
    check_time,
    nearest_free,
    place_helper,
)
from zax.core.book.hours import Span, clock_words, fits
from zax.core.book.track import EXPECTED, Stop, check_move
from zax.core.errors import Conflict, NotFound, ProblemCollector, Refused, Stale
from zax.core.patients.person import check_new_patient
from zax.core.setup.roles import require
from zax.desk.clinic import Provider, Room, VisitType
from zax.desk.patients import new_patient
from zax.desk.unit import Unit, act
from zax.store import schema, visits


@dataclass(frozen=True, slots=True)
class BookOrder:
    """A booking as asked for. `at` and `minutes` are as typed; a new patient comes in the four fields instead of an id."""

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
    earlier = visits.visit_by_key(unit.connection, order.key)
    if earlier is not None:
        return int(earlier.id)
    clinic = unit.clinic
    provider = clinic.providers.get(order.provider_id)
    if order.site_id not in clinic.sites or provider is None:
        raise NotFound("There is no such provider or site.")
    kind, minutes, start = _check_order(unit, order, provider)
    span = Span(start, start + minutes)
    helpers = [
        p for p in clinic.providers.values() if kind.helper and p.role == kind.helper_role and p.id != provider.id
    ]
    rooms = [r for r in clinic.rooms.values() if r.site_id == order.site_id and r.dental == provider.dental]
    visits.lock_day(unit.connection, order.day, [provider.id, *(p.id for p in helpers)], [room.id for room in rooms])
    earlier = visits.visit_by_key(unit.connection, order.key)
    if earlier is not None:
        return int(earlier.id)
    people = _people(unit, order.site_id, order.day, [provider, *helpers])
    _check_free(unit, order, people[0], span)
    slots = _slots(kind, people, span)
    room = _free_room(unit, order, provider, rooms, span)
    patient_id = _patient(unit, order)
    visit_id = unit.add(
        schema.visit, site_id=order.site_id, patient_id=patient_id, provider_id=provider.id, room_id=room.id, type_id=kind.id,
        day=order.day, start_min=span.start, minutes=span.minutes, note=order.note.strip(), state=Stop.BOOKED,
        request_key=order.key, made_at=unit.now, made_by=unit.actor.id,
    )  # fmt: skip
    _write_parts(unit, visit_id, order.day, kind, provider, slots)
    unit.audit("visit.booked", patient_id=patient_id, visit_id=visit_id, at=f"{order.day} {clock_words(start)}")
    unit.tell("visit", site_id=order.site_id, day=order.day, visit_id=visit_id, patient_id=patient_id)
    return visit_id


def _check_order(unit: Unit, order: BookOrder, provider: Provider) -> tuple[VisitType, int, int]:
    """Everything that can be wrong in the form, found at once."""
    clinic, site = unit.clinic, unit.clinic.sites[order.site_id]
    wrong = ProblemCollector()
    kind = clinic.types.get(int(order.type_id)) if order.type_id.isdecimal() else None
    if kind is None:
        wrong.add("type_id", "Choose what the visit is for.")
    elif kind.role != provider.role:
        wrong.add("type_id", f"{provider.name} does not do “{kind.name}”. Choose another type or provider.")
    minutes = (
        int(order.minutes)
        if order.minutes.strip().isdecimal()
        else (kind.minutes if kind and not order.minutes else 0)
    )
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


def _patient(unit: Unit, order: BookOrder) -> int:
    if order.patient_id is None:
        return new_patient(unit, order.first, order.last, order.birth, order.phone, order.site_id)
    found = unit.one(
        select(schema.patient.c.id, schema.patient.c.status).where(schema.patient.c.id == order.patient_id)
    )
    if found is None or found.status != "active":
        raise Refused("This patient cannot be booked. Find the patient again.", "patient")
    return int(found.id)


def _people(unit: Unit, site_id: int, day: date, people: list[Provider]) -> list[Column]:
    """The people's columns of that day, read after their rows are locked."""
    taken: dict[int, list[tuple[Span, str]]] = {person.id: [] for person in people}
    for row in visits.busy_people(unit.connection, taken, day):
        taken[row.provider_id].append((Span(row.start_min, row.end_min), f"{row.first} {row.last}"))
    return [Column(p.id, p.name, unit.clinic.windows(p.id, site_id, day), tuple(taken[p.id])) for p in people]


def _check_free(unit: Unit, order: BookOrder, column: Column, span: Span) -> None:
    site = unit.clinic.sites[order.site_id]
    if order.day in unit.clinic.closures:
        raise Refused(f"The clinic is closed that day: {unit.clinic.closures[order.day]}.", "at")
    if not column.windows:
        raise Refused(f"{column.name} does not work at {site.name} that day.", "at")
    try:
        check_column(column, span)
    except (Conflict, Refused) as error:
        now = unit.local_now(site.id)
        earliest = now.hour * 60 + now.minute if order.day == now.date() else 0
        near = nearest_free(column, span, site.grid, earliest)
        hint = f" Nearest free: {clock_words(near.start)}." if near else " Nothing of that length is free that day."
        raise type(error)(error.message + hint, "at") from error


def _slots(kind: VisitType, people: list[Column], span: Span) -> list[StaffSlot]:
    slots = [StaffSlot(people[0].id, span)]
    if kind.helper:
        second = place_helper(kind.helper, span.start, people[1:])
        if second is None:
            raise Conflict(
                f"Nobody is free for the {kind.helper.words} in the middle of this visit. Choose a time at which one of "
                f"{', '.join(person.name for person in people[1:])} can step in.", "at",
            )  # fmt: skip
        slots.append(second)
    return slots


def _free_room(unit: Unit, order: BookOrder, provider: Provider, rooms: list[Room], span: Span) -> Room:
    """The provider's own room if it is free, otherwise any free one of the kind."""
    taken: dict[int, list[tuple[Span, str]]] = {room.id: [] for room in rooms}
    for row in visits.busy_rooms(unit.connection, order.site_id, order.day):
        if row.room_id in taken:
            taken[row.room_id].append((Span(row.start_min, row.start_min + row.minutes), f"{row.first} {row.last}"))
    for room in sorted(rooms, key=lambda room: room.id != provider.room_id):
        if Column(room.id, room.name, (), tuple(taken[room.id])).in_the_way(span) is None:
            return room
    raise Conflict("Every room for this kind of visit is taken at that time. Choose another time.", "at")


def _write_parts(
    unit: Unit, visit_id: int, day: date, kind: VisitType, provider: Provider, slots: list[StaffSlot]
) -> None:
    words = kind.helper.words if kind.helper else ""
    unit.connection.execute(
        insert(schema.staff_slot),
        [
            {"visit_id": visit_id, "provider_id": slot.provider_id, "day": day, "start_min": slot.span.start,
             "end_min": slot.span.end, "words": words if number else ""}
            for number, slot in enumerate(slots)
        ],
    )  # fmt: skip
    services = [unit.clinic.services[number] for number in kind.services]
    helper_id = slots[1].provider_id if len(slots) > 1 else provider.id
    if services:
        unit.connection.execute(
            insert(schema.charge_line),
            [
                {"visit_id": visit_id, "service_id": service.id, "fee_cents": service.fee_cents, "entered_at": unit.now,
                 "entered_by": unit.actor.id, "provider_id": helper_id if service.category == "diagnostic" else provider.id}
                for service in services
            ],
        )  # fmt: skip
    write_move(unit, visit_id, "", Stop.BOOKED)


def write_move(unit: Unit, visit_id: int, from_stop: str, to: Stop, reason: str = "") -> None:
    unit.connection.execute(
        insert(schema.track_move).values(
            visit_id=visit_id,
            from_stop=from_stop,
            to_stop=to,
            at=unit.now,
            by_id=unit.actor.id,
            reason=reason.strip()[:200],
        )
    )


def step(unit: Unit, visit: Any, to: Stop, reason: str = "", **values: Any) -> None:
    """Put a locked visit on another stop: the row, the version, the feed. Raises what the track refuses."""
    move = check_move(Stop(visit.state), to, reason)
    require(unit.actor.role, move.right)
    unit.connection.execute(
        update(schema.visit)
        .where(schema.visit.c.id == visit.id)
        .values(state=to, version=schema.visit.c.version + 1, **values)
    )
    write_move(unit, visit.id, visit.state, to, reason)
    unit.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)


def locked_visit(unit: Unit, visit_id: int, version: int | None = None) -> Any:
    """The visit, locked; NotFound for an unknown id, Stale when the form showed an older version."""
    visit = visits.lock_visit(unit.connection, visit_id)
    if visit is None:
        raise NotFound("There is no such visit. It may be an old link; look for the patient instead.")
    if version is not None and version != visit.version:
        last = visits.track(unit.connection, visit_id)[-1]
        at = unit.desk.clock.now()
        ago = max(0, int((at - last.at).total_seconds() // 60))
        raise Stale(
            f"{last.name or 'Zax'} has moved this visit to “{last.to_stop}” {ago} min ago. What you see now is current."
        )
    return visit


@act("book")
def confirm(unit: Unit, visit_id: int, version: int | None = None) -> None:
    step(unit, locked_visit(unit, visit_id, version), Stop.CONFIRMED)


@act("arrivals")
def check_in(unit: Unit, visit_id: int, version: int | None = None) -> None:
    """The patient is here; only on the day of the visit."""
    visit = locked_visit(unit, visit_id, version)
    if visit.day != unit.business_day(visit.site_id):
        raise Refused("This visit is not today, so nobody can be checked in for it.")
    step(unit, visit, Stop.HERE)


@act("arrivals")
def take_to_room(unit: Unit, visit_id: int, room_id: int | None = None, version: int | None = None) -> None:
    """Into the planned room, or another one; refused while somebody else sits there."""
    visit = locked_visit(unit, visit_id, version)
    room = unit.clinic.rooms.get(room_id or visit.room_id)
    if room is None or room.site_id != visit.site_id:
        raise Refused("Choose a room of this site.", "room_id")
    visits.lock_day(unit.connection, visit.day, (), [room.id])
    inside = visits.in_rooms(unit.connection, visit.site_id, visit.day)
    other = inside.get(room.id)
    if other is not None and other.id != visit.id:
        alike = (r for r in unit.clinic.rooms.values() if r.site_id == visit.site_id and r.dental == room.dental)
        free = [r.name for r in alike if r.id not in inside]
        hint = f" Free now: {', '.join(free)}." if free else " No other room is free."
        raise Conflict(f"{other.first} {other.last} is in {room.name}.{hint}", "room_id")
    step(unit, visit, Stop.ROOM, room_id=room.id)


@act("arrivals")
def did_not_come(unit: Unit, visit_id: int, version: int | None = None) -> None:
    visit = locked_visit(unit, visit_id, version)
    now = unit.local_now(visit.site_id)
    if (visit.day, visit.start_min) > (now.date(), now.hour * 60 + now.minute):
        raise Refused("The visit has not begun yet, so nobody can have missed it.")
    step(unit, visit, Stop.MISSED)
    unit.audit("visit.missed", patient_id=visit.patient_id, visit_id=visit.id)


@act("book")
def cancel(unit: Unit, visit_id: int, reason: str, version: int | None = None) -> None:
    """Off the book with a reason; its planned services stay on record with it."""
    visit = locked_visit(unit, visit_id, version)
    step(unit, visit, Stop.CANCELLED, reason)
    unit.audit("visit.cancelled", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)


@act("arrivals")
def step_back(unit: Unit, visit_id: int, reason: str, version: int | None = None) -> None:
    """Undo a wrong step on the premises: back to where the visit came from, with a reason on record."""
    visit = locked_visit(unit, visit_id, version)
    if visit.state not in {Stop.HERE, Stop.ROOM, Stop.MISSED}:
        raise Refused("Only a step on the premises can be taken back here.")
    to = Stop.HERE if visit.state == Stop.ROOM else Stop.BOOKED
    if visit.state == Stop.HERE:
        came_from = [row.from_stop for row in visits.track(unit.connection, visit_id) if row.to_stop == Stop.HERE]
        to = next((Stop(stop) for stop in reversed(came_from) if stop in EXPECTED), Stop.BOOKED)
    step(unit, visit, to, reason)
    unit.audit("visit.stepped_back", patient_id=visit.patient_id, visit_id=visit.id, reason=reason)


def first_free(
    unit_or_connection: Any, clinic: Any, site_id: int, day: date, now: datetime, length: int
) -> tuple[int, int] | None:
    """(provider_id, minute) of the day's first free time of that length, for `Book a visit` without a place chosen."""
    people: Iterable[Provider] = clinic.columns(site_id, day)
    grid = clinic.sites[site_id].grid
    taken: dict[int, list[Span]] = {person.id: [] for person in people}
    for row in visits.busy_people(unit_or_connection, taken, day):
        taken[row.provider_id].append(Span(row.start_min, row.end_min))
    earliest = -(-(now.hour * 60 + now.minute) // grid) * grid if now.date() == day else 0
    found = [
        (start, provider_id)
        for provider_id, spans in taken.items()
        for start in range(earliest, 24 * 60 - length, grid)
        if fits(clinic.windows(provider_id, site_id, day), Span(start, start + length))
        and not any(Span(start, start + length).overlaps(other) for other in spans)
    ]
    return (min(found)[1], min(found)[0]) if found else None

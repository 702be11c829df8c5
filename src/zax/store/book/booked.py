"""What is booked from a day on for some people, or in a room: what a change of the setup would leave without
its time or place.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, bindparam, select

from zax.core.book.track import ON_THE_BOOK
from zax.store.book.tables import staff_slot, visit
from zax.store.patients.tables import patient
from zax.store.rows import many

_SLOTS = (
    select(
        staff_slot.c.visit_id,
        staff_slot.c.provider_id,
        staff_slot.c.day,
        staff_slot.c.start_min,
        staff_slot.c.end_min,
        visit.c.site_id,
        visit.c.buffer_min,
        patient.c.first,
        patient.c.last,
    )
    .join(visit, visit.c.id == staff_slot.c.visit_id)
    .join(patient, patient.c.id == visit.c.patient_id)
    .where(
        staff_slot.c.provider_id.in_(bindparam("people", expanding=True)),
        staff_slot.c.day >= bindparam("first"),
        visit.c.state.in_(tuple(ON_THE_BOOK)),
    )
    .order_by(staff_slot.c.day, staff_slot.c.start_min, staff_slot.c.visit_id)
)


@dataclass(frozen=True, slots=True, kw_only=True)
class BookedSlot:
    """Minutes in which a booked visit needs somebody; the buffer is part of the last ones."""

    visit_id: int
    provider_id: int
    day: date
    start_min: int
    end_min: int
    site_id: int
    buffer_min: int
    first: str
    last: str


@dataclass(frozen=True, slots=True, kw_only=True)
class BookedVisit:
    id: int
    day: date
    start_min: int
    provider_id: int
    first: str
    last: str


def booked_slots(connection: Connection, people: Iterable[int], first: date) -> list[BookedSlot]:
    """From the day on, in order of time."""
    return many(connection, _SLOTS, BookedSlot, people=list(people) or [0], first=first)


def booked_in_room(connection: Connection, room_id: int, first: date) -> list[BookedVisit]:
    """From the day on, in order of time."""
    query = (
        select(
            visit.c.id, visit.c.day, visit.c.start_min, visit.c.provider_id, patient.c.first, patient.c.last
        )
        .join(patient, patient.c.id == visit.c.patient_id)
        .where(visit.c.room_id == room_id, visit.c.day >= first, visit.c.state.in_(tuple(ON_THE_BOOK)))
        .order_by(visit.c.day, visit.c.start_min)
    )
    return many(connection, query, BookedVisit)

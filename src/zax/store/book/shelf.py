"""Reading and writing the shelf: visits in somebody's hand."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Connection, delete, insert, or_, select, update

from zax.store.book.records import ShelfRow, ShelvedVisit
from zax.store.book.tables import shelf, visit
from zax.store.patients.tables import patient
from zax.store.people.tables import user
from zax.store.rows import many, one

_SHELVED = (
    select(
        shelf,
        user.c.name.label("who"),
        visit.c.day,
        visit.c.start_min,
        visit.c.minutes,
        visit.c.type_id,
        visit.c.provider_id,
        visit.c.site_id,
        visit.c.version,
        visit.c.patient_id,
        patient.c.first,
        patient.c.last,
    )
    .join(visit, visit.c.id == shelf.c.visit_id)
    .join(patient, patient.c.id == visit.c.patient_id)
    .join(user, user.c.id == shelf.c.user_id)
    .order_by(shelf.c.at, shelf.c.visit_id)
)


def on_shelf(connection: Connection, user_id: int | None) -> list[ShelvedVisit]:
    """What this person has on the shelf, and what is shared, oldest first."""
    return many(connection, _SHELVED.where(or_(shelf.c.user_id == user_id, shelf.c.shared)), ShelvedVisit)


def shelf_row(connection: Connection, visit_id: int) -> ShelfRow | None:
    return one(connection, select(shelf).where(shelf.c.visit_id == visit_id), ShelfRow)


def put_on_shelf(
    connection: Connection,
    visit_id: int,
    *,
    user_id: int | None,
    shared: bool,
    was: str,
    words: str,
    at: datetime,
) -> None:
    values = {
        "visit_id": visit_id,
        "user_id": user_id,
        "shared": shared,
        "was": was,
        "words": words[:120],
        "at": at,
    }
    connection.execute(insert(shelf).values(**values))


def off_shelf(connection: Connection, visit_id: int) -> None:
    connection.execute(delete(shelf).where(shelf.c.visit_id == visit_id))


def set_shared(connection: Connection, visit_id: int, shared: bool) -> bool:
    """Whether the visit is on the shelf."""
    connection.execute(update(shelf).where(shelf.c.visit_id == visit_id).values(shared=shared))
    return shelf_row(connection, visit_id) is not None

"""Writing visits: made, moved along their track, put elsewhere; their staff slots and where they are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict, fields
from datetime import date, datetime

from sqlalchemy import Connection, delete, insert, update

from zax.core.book.booking import StaffSlot
from zax.store.book.records import NewVisit, StaffSlotRow, Visit, VisitPlace
from zax.store.book.tables import staff_slot, track_move, visit, whereabouts
from zax.store.rows import add

_NEXT = visit.c.version + 1


def add_visit(connection: Connection, made: NewVisit) -> int:
    return add(connection, visit, **asdict(made))


def save_visit(connection: Connection, before: Visit, after: Visit) -> None:
    """Write what differs and raise the version, whatever it is by now."""
    names = [each.name for each in fields(Visit) if each.name in visit.c and each.name != "version"]
    changed = {name: getattr(after, name) for name in names if getattr(after, name) != getattr(before, name)}
    connection.execute(update(visit).where(visit.c.id == before.id).values(**changed, version=_NEXT))


def place_visit(connection: Connection, visit_id: int, place: VisitPlace) -> None:
    connection.execute(update(visit).where(visit.c.id == visit_id).values(**asdict(place), version=_NEXT))


def touch_visit(connection: Connection, visit_id: int) -> None:
    """Something about the visit has changed that stands elsewhere."""
    connection.execute(update(visit).where(visit.c.id == visit_id).values(version=_NEXT))


def forget_why_off(connection: Connection, visit_id: int) -> None:
    """Somebody who was marked as not come is expected after all; no change of the visit's own version."""
    connection.execute(update(visit).where(visit.c.id == visit_id).values(off_why=""))


def write_move(
    connection: Connection,
    visit_id: int,
    *,
    from_stop: str,
    to_stop: str,
    at: datetime,
    by_id: int | None,
    reason: str,
) -> None:
    values = {"visit_id": visit_id, "from_stop": from_stop, "to_stop": to_stop, "at": at, "by_id": by_id}
    connection.execute(insert(track_move).values(**values, reason=reason.strip()[:200]))


def write_whereabouts(
    connection: Connection,
    visit_id: int,
    *,
    room_id: int | None,
    stage_id: int | None,
    at: datetime,
    by_id: int | None,
    words: str,
) -> None:
    values = {"visit_id": visit_id, "room_id": room_id, "stage_id": stage_id, "at": at, "by_id": by_id}
    connection.execute(insert(whereabouts).values(**values, words=words[:200]))


def write_slots(connection: Connection, visit_id: int, day: date, slots: Sequence[StaffSlot]) -> None:
    """The staff slots of a visit, instead of those it had."""
    rows = [StaffSlotRow(each.provider_id, day, each.span.start, each.span.end, each.words) for each in slots]
    put_slots(connection, visit_id, rows)


def put_slots(connection: Connection, visit_id: int, slots: Iterable[StaffSlotRow]) -> None:
    connection.execute(delete(staff_slot).where(staff_slot.c.visit_id == visit_id))
    rows = [asdict(each) | {"visit_id": visit_id} for each in slots]
    if rows:
        connection.execute(insert(staff_slot), rows)

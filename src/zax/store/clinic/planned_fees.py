"""Reading and writing fees that hold from a day on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.store.clinic.tables import planned_fee
from zax.store.rows import add, many

_p = planned_fee


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedFee:
    """`cents` from `from_day` on, the clinic's day."""

    id: int
    service_id: int
    from_day: date
    cents: int


def planned(connection: Connection, until: date | None = None) -> list[PlannedFee]:
    """Those that are still to come, by day; up to `until`, the ones that are due."""
    query = select(_p).where(_p.c.ended_at.is_(None)).order_by(_p.c.from_day, _p.c.id)
    return many(connection, query if until is None else query.where(_p.c.from_day <= until), PlannedFee)


def planned_for_update(connection: Connection) -> list[PlannedFee]:
    return many(connection, select(_p).where(_p.c.ended_at.is_(None)).with_for_update(), PlannedFee)


def add_planned(
    connection: Connection, service_id: int, from_day: date, cents: int, at: datetime, by_id: int | None
) -> int:
    return add(
        connection, _p, service_id=service_id, from_day=from_day, cents=cents, made_at=at, made_by=by_id
    )


def end_planned(connection: Connection, ids: Sequence[int], at: datetime) -> None:
    connection.execute(update(_p).where(_p.c.id.in_(list(ids))).values(ended_at=at))

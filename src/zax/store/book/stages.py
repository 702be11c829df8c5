"""Reading and writing the clinic's stages between here and checkout, and where somebody was."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import Connection, select

from zax.core.arrivals.stages import Stage, Whereabouts
from zax.store.book.tables import stage, whereabouts
from zax.store.rows import add, change, many, put_in_order


def stages(connection: Connection) -> dict[int, Stage]:
    return {each.id: each for each in many(connection, select(stage).order_by(stage.c.position), Stage)}


def save_stage(connection: Connection, kept: Stage, position: int) -> int:
    """A stage (id 0 makes one, at this place); its id."""
    values = {"name": kept.name, "whose": kept.whose, "dental": kept.dental, "active": kept.active}
    if not kept.id:
        return add(connection, stage, position=position, **values)
    change(connection, stage, kept.id, **values)
    return kept.id


def order_stages(connection: Connection, ids: Iterable[int]) -> None:
    put_in_order(connection, stage, ids)


def whereabouts_of(connection: Connection, visit_id: int) -> list[Whereabouts]:
    """Every change of room or stage, oldest first."""
    w = whereabouts
    query = select(w.c.at, w.c.room_id, w.c.stage_id).where(w.c.visit_id == visit_id).order_by(w.c.id)
    return many(connection, query, Whereabouts)

"""Reading the clinic's stages between here and checkout."""

from __future__ import annotations

from sqlalchemy import Connection, select

from zax.core.arrivals.stages import Stage
from zax.store.book.tables import stage
from zax.store.rows import many


def stages(connection: Connection) -> dict[int, Stage]:
    return {each.id: each for each in many(connection, select(stage).order_by(stage.c.position), Stage)}

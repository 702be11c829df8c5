"""A visit to show words with."""

from __future__ import annotations

from datetime import date

from sqlalchemy import Connection, select

from zax.core.book.track import EXPECTED
from zax.store.book.tables import visit


def visits_to_show(connection: Connection, site_id: int, today: date, type_id: int, most: int) -> list[int]:
    """The next visits of a site, of one type where it is named; all of one day, where there are as many."""
    which = [visit.c.site_id == site_id, visit.c.day > today, visit.c.state.in_(sorted(EXPECTED))]
    if type_id:
        which.append(visit.c.type_id == type_id)
    query = select(visit.c.id).where(*which).order_by(visit.c.day, visit.c.start_min, visit.c.id).limit(most)
    return list(connection.execute(query).scalars())

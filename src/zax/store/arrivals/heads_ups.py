"""Reading and writing which heads-ups someone dismissed, for a visit or for the day."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from datetime import date, datetime

from sqlalchemy import Connection, and_, bindparam, select, text, update

from zax.store.arrivals.records import PutAway
from zax.store.arrivals.tables import headsup, headsup_dismissal
from zax.store.people.tables import user
from zax.store.rows import add, many

_d = headsup_dismissal
_DISMISSED = text(
    """
    SELECT patient_id, headsup_id
    FROM headsup_dismissal
    WHERE patient_id IN :ids AND undone_at IS NULL AND (visit_id IN :visits OR (visit_id IS NULL AND day =
        :today))
    """
).bindparams(bindparam("ids", expanding=True), bindparam("visits", expanding=True))


def dismissed_of(connection: Connection, asked: Mapping[int, int], today: date) -> dict[int, frozenset[int]]:
    """By patient, what was dismissed: for the visit given (0: none), or for today without one."""
    found: dict[int, set[int]] = defaultdict(set)
    values = {"ids": list(asked) or [0], "visits": list(asked.values()) or [0], "today": today}
    for row in connection.execute(_DISMISSED, values):
        found[row.patient_id].add(row.headsup_id)
    return {number: frozenset(found[number]) for number in asked}


def put_away(
    connection: Connection,
    *,
    headsup_id: int,
    patient_id: int,
    visit_id: int | None,
    day: date,
    at: datetime,
    by_id: int | None,
) -> None:
    add(
        connection,
        _d,
        headsup_id=headsup_id,
        patient_id=patient_id,
        visit_id=visit_id,
        day=day,
        at=at,
        by_id=by_id,
    )


def show_again(connection: Connection, headsup_id: int, patient_id: int, at: datetime) -> None:
    mine = (_d.c.headsup_id == headsup_id, _d.c.patient_id == patient_id, _d.c.undone_at.is_(None))
    connection.execute(update(_d).where(*mine).values(undone_at=at))


def away_with_names(connection: Connection, patient_id: int, visit_id: int, today: date) -> list[PutAway]:
    """What was dismissed here, by whom and when."""
    here = _d.c.visit_id == visit_id if visit_id else and_(_d.c.visit_id.is_(None), _d.c.day == today)
    query = (
        select(_d.c.headsup_id, _d.c.at, user.c.name, headsup.c.words)
        .join(user, user.c.id == _d.c.by_id)
        .join(headsup, headsup.c.id == _d.c.headsup_id)
        .where(_d.c.patient_id == patient_id, here, _d.c.undone_at.is_(None))
        .order_by(_d.c.id)
    )
    return many(connection, query, PutAway)

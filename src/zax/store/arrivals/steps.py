"""Reading and writing what was done of the check-in list."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import Connection, select, text, update

from zax.store.arrivals.records import StepDone
from zax.store.arrivals.tables import arrival_done
from zax.store.people.tables import user
from zax.store.rows import add, many

_d = arrival_done
_LAST_DONE = text(
    """
    SELECT d.step_id, MAX(d.at) AS at
    FROM arrival_done d
    WHERE d.patient_id = :patient_id AND d.visit_id <> :visit_id AND d.undone_at IS NULL AND d.how = 'done'
    GROUP BY d.step_id
    """
)
_CARDS = text(
    """
    SELECT kind, MAX(at) AS at
    FROM patient_file
    WHERE patient_id = :patient_id AND ended_at IS NULL AND kind IN ('card_front', 'card_back')
    GROUP BY kind
    """
)


def steps_done(connection: Connection, visit_id: int) -> list[StepDone]:
    """What stands of the visit's answers, with who gave them."""
    query = select(_d, user.c.name).join(user, user.c.id == _d.c.by_id, isouter=True)
    return many(connection, query.where(_d.c.visit_id == visit_id, _d.c.undone_at.is_(None)), StepDone)


def last_done(connection: Connection, patient_id: int, but_visit: int) -> dict[int, datetime]:
    """When each step was done last, at another visit."""
    rows = connection.execute(_LAST_DONE, {"patient_id": patient_id, "visit_id": but_visit})
    return {row.step_id: row.at for row in rows}


def card_pictures(connection: Connection, patient_id: int) -> dict[str, datetime]:
    """When each side of the insurance card was kept last."""
    return {row.kind: row.at for row in connection.execute(_CARDS, {"patient_id": patient_id})}


def undo_step(connection: Connection, visit_id: int, step_id: int, at: datetime) -> None:
    mine = (_d.c.visit_id == visit_id, _d.c.step_id == step_id, _d.c.undone_at.is_(None))
    connection.execute(update(_d).where(*mine).values(undone_at=at))


def add_step_done(
    connection: Connection,
    *,
    visit_id: int,
    patient_id: int,
    step_id: int,
    how: str,
    note: str,
    at: datetime,
    by_id: int | None,
) -> None:
    add(
        connection,
        _d,
        visit_id=visit_id,
        patient_id=patient_id,
        step_id=step_id,
        how=how,
        note=note[:200],
        at=at,
        by_id=by_id,
    )

"""How patients kept their times: what the patient did counts, what the clinic did never does
(zax.core.book.cancellation).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import date

from sqlalchemy import ColumnElement, Connection, ScalarSelect, bindparam, func, select

from zax.core.book.cancellation import Attendance, OffWhy, tally
from zax.core.book.track import CAME, EXPECTED, Stop
from zax.store.schema import visit, visit_type

_VISITS = (
    select(visit.c.patient_id, visit.c.state, visit.c.off_why, func.count().label("n"))
    .where(visit.c.patient_id.in_(bindparam("patient_ids", expanding=True)), visit.c.minutes > 0)
    .group_by(visit.c.patient_id, visit.c.state, visit.c.off_why)
)
_LAST_CAME = (
    select(visit.c.patient_id, func.max(visit.c.day).label("day"))
    .where(
        visit.c.patient_id.in_(bindparam("patient_ids", expanding=True)),
        visit.c.day < bindparam("before"),
        visit.c.state.in_(sorted(CAME)),
    )
    .group_by(visit.c.patient_id)
)


def last_came(connection: Connection, patient_ids: Iterable[int], before: date) -> dict[int, date]:
    """The last day before this one on which each patient came; who never did is left out."""
    values = {"patient_ids": list(patient_ids) or [0], "before": before}
    return {row.patient_id: row.day for row in connection.execute(_LAST_CAME, values)}


def last_seen(connection: Connection, patient_id: int, dental: bool, before: date) -> date | None:
    """The last day before this one on which the patient came for this kind of care."""
    query = (
        select(func.max(visit.c.day))
        .join(visit_type, visit_type.c.id == visit.c.type_id)
        .where(visit.c.patient_id == patient_id, visit.c.day < before, visit_type.c.dental == dental)
        .where(visit.c.state.in_(sorted(CAME)))
    )
    return connection.execute(query).scalar()


def missed_of(patient_id: ColumnElement[int]) -> ScalarSelect[int]:
    """How often the patient of a row was a no-show, for a statement about many: only the few visits that did
    not take place are read.
    """
    past = visit.alias("past")
    missed = (past.c.state == Stop.MISSED) | (past.c.off_why == OffWhy.MISSED.value)
    off = past.c.state.in_(sorted(set(Stop) - CAME - EXPECTED))
    query = select(func.count()).where(past.c.patient_id == patient_id, off, missed)
    return query.scalar_subquery()


def tallies_of(connection: Connection, patient_ids: Iterable[int]) -> dict[int, Attendance]:
    """By patient; one without visits has an empty one."""
    ids = list(set(patient_ids))
    found: dict[int, list[tuple[str, str, int]]] = defaultdict(list)
    for row in connection.execute(_VISITS, {"patient_ids": ids or [0]}):
        found[row.patient_id].append((row.state, row.off_why, row.n))
    return {number: tally(found[number]) for number in ids}


def attendance_of(connection: Connection, patient_id: int) -> Attendance:
    return tallies_of(connection, [patient_id])[patient_id]

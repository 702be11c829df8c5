"""How patients kept their times: what the patient did counts, what the clinic did never does
(zax.core.book.cancellation).
"""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import ColumnElement, Connection, Label, bindparam, case, func, select

from zax.core.book.cancellation import OFF, Attendance, OffWhy
from zax.store.schema import visit

_CAME = ("here", "room", "checkout", "left", "settled")
_CANCELLED = tuple(why.value for why, off in OFF.items() if off.tally == "cancelled")


def _count(condition: ColumnElement[bool], name: str) -> Label[int]:
    return func.sum(case((condition, 1), else_=0)).label(name)


_TALLY = (
    select(
        visit.c.patient_id,
        _count(visit.c.state.in_(_CAME), "kept"),
        _count((visit.c.state == "missed") | (visit.c.off_why == OffWhy.MISSED.value), "missed"),
        _count((visit.c.state == "cancelled") & visit.c.off_why.in_(_CANCELLED), "cancelled"),
    )
    .where(visit.c.patient_id.in_(bindparam("patient_ids", expanding=True)))
    .group_by(visit.c.patient_id)
)


def tallies_of(connection: Connection, patient_ids: Iterable[int]) -> dict[int, Attendance]:
    """By patient; one without visits has an empty tally."""
    ids = list(set(patient_ids))
    found = {
        row.patient_id: Attendance(int(row.kept), int(row.missed), int(row.cancelled))
        for row in connection.execute(_TALLY, {"patient_ids": ids or [0]})
    }
    return {number: found.get(number, Attendance()) for number in ids}


def tally_of(connection: Connection, patient_id: int) -> Attendance:
    return tallies_of(connection, [patient_id])[patient_id]

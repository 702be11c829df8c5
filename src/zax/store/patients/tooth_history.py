"""Reading and writing what was in a patient's mouth before us. Removed rows stay, with who and when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.core.charges.tooth_history import Known, ToothWork, When, Work
from zax.store.patients.tables import tooth_work
from zax.store.rows import add, many

_w = tooth_work


@dataclass(frozen=True, slots=True, kw_only=True)
class ToothEntry:
    """A work as it is kept; `entered_at` is UTC."""

    id: int
    patient_id: int
    teeth: list[str]
    work: str
    surfaces: str
    day: date | None
    known: str
    here: bool
    replaced: list[str]
    entered_at: datetime
    entered_by: int | None

    @property
    def told(self) -> ToothWork:
        return ToothWork(
            teeth=tuple(self.teeth),
            work=Work(self.work),
            surfaces=self.surfaces,
            when=When(self.day, Known(self.known)),
            here=self.here,
            replaced=tuple(self.replaced),
        )


def tooth_history(connection: Connection, patient_id: int) -> list[ToothEntry]:
    """What is on the patient's chart from before us, as it was entered."""
    query = select(_w).where(_w.c.patient_id == patient_id, _w.c.removed_at.is_(None)).order_by(_w.c.id)
    return many(connection, query, ToothEntry)


def add_tooth_work(
    connection: Connection, patient_id: int, told: ToothWork, at: datetime, by_id: int | None
) -> int:
    return add(
        connection,
        _w,
        patient_id=patient_id,
        teeth=list(told.teeth),
        work=told.work.value,
        surfaces=told.surfaces,
        day=told.when.day,
        known=told.when.known.value,
        here=told.here,
        replaced=list(told.replaced),
        entered_at=at,
        entered_by=by_id,
    )


def remove_tooth_work(connection: Connection, ids: Sequence[int], at: datetime, by_id: int | None) -> None:
    connection.execute(update(_w).where(_w.c.id.in_(ids)).values(removed_at=at, removed_by=by_id))


def put_tooth_work_back(connection: Connection, patient_id: int, ids: Sequence[int]) -> list[ToothEntry]:
    """Those of the patient that were removed, on the chart again."""
    mine = (_w.c.id.in_(ids), _w.c.patient_id == patient_id)
    connection.execute(update(_w).where(*mine).values(removed_at=None, removed_by=None))
    return many(connection, select(_w).where(*mine), ToothEntry)

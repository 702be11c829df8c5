"""Reading and writing recalls and the clinic's recall types. One recall is open a patient and type; what was
done or ended stays readable.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Select, and_, exists, select, update

from zax.core.book.track import FINISHED, FREES_THE_TIME
from zax.core.followup.due import DueFacts, Stand, stand_of
from zax.core.followup.recall import Interval, PlannedTry, RecallType, Unit
from zax.core.messages.channel import Channel
from zax.store.book.tables import visit
from zax.store.followup.tables import recall, recall_type
from zax.store.rows import add, change, keep, many, one

_r, _t = recall, recall_type
# A visit of these still lies ahead and holds its time.
OVER = sorted(FINISHED | FREES_THE_TIME)


@dataclass(frozen=True, slots=True, kw_only=True)
class Recall:
    """One recall with the window of its type and the next visit that does it. Days are local, moments UTC."""

    id: int
    patient_id: int
    recall_type_id: int
    own_count: int
    own_unit: str
    due_day: date
    note: str
    paused_until: date | None
    made_at: datetime
    visit_id: int | None
    done_visit_id: int | None
    ended_at: datetime | None
    ended_how: str
    version: int
    name: str
    type_id: int
    count: int
    unit: str
    before_days: int
    after_days: int
    booked_visit_id: int | None
    booked_day: date | None

    @property
    def every(self) -> Interval:
        if self.own_count:
            return Interval(self.own_count, Unit(self.own_unit))
        return Interval(self.count, Unit(self.unit))

    @property
    def own(self) -> Interval | None:
        return self.every if self.own_count else None

    @property
    def opens(self) -> date:
        return self.due_day - timedelta(days=self.before_days)

    @property
    def closes(self) -> date:
        """The last day that is in time."""
        return self.due_day + timedelta(days=self.after_days)

    def stand(self, today: date) -> Stand:
        facts = DueFacts(
            opens=self.opens,
            due=self.closes,
            visit="booked" if self.booked_visit_id else "",
            paused_until=self.paused_until,
            ended=self.ended_at is not None,
        )
        return Stand.DONE if self.done_visit_id else stand_of(facts, today)


def recall_columns(today: date) -> list[Any]:
    """What a `Recall` is read from, for a statement over `recall` joined with its type. What does it is the
    next visit of its type that stands, from today on: worked out, so no way of changing a visit forgets it.
    """
    ahead = (
        select(visit.c.id)
        .where(
            visit.c.patient_id == _r.c.patient_id,
            visit.c.type_id == _t.c.type_id,
            visit.c.day >= today,
            visit.c.state.not_in(OVER),
        )
        .order_by(visit.c.day, visit.c.id)
        .limit(1)
        .correlate(_r, _t)
        .scalar_subquery()
    )
    return [
        *(column for column in _r.c if column.name != "open_key"),
        _t.c.name,
        _t.c.type_id,
        _t.c.count,
        _t.c.unit,
        _t.c.before_days,
        _t.c.after_days,
        ahead.label("booked_visit_id"),
    ]


def _recalls(today: date) -> Select[Any]:
    return select(*recall_columns(today)).join(_t, _t.c.id == _r.c.recall_type_id)


def _with_day(inner: Select[Any]) -> Select[Any]:
    found = inner.subquery("r")
    day = visit.alias("ahead")
    return (
        select(found, day.c.day.label("booked_day"))
        .join(day, day.c.id == found.c.booked_visit_id, isouter=True)
        .order_by(found.c.due_day, found.c.id)
    )


def recalls_of(connection: Connection, patient_id: int, today: date) -> list[Recall]:
    """The open recalls of a patient, the soonest first."""
    return recalls_among(connection, [patient_id], today)


def recalls_among(connection: Connection, patient_ids: Sequence[int], today: date) -> list[Recall]:
    """The open recalls of these people, the soonest first."""
    query = _recalls(today).where(_r.c.patient_id.in_(patient_ids), _r.c.ended_at.is_(None))
    return many(connection, _with_day(query), Recall)


def over_of(connection: Connection, patient_id: int, today: date) -> list[Recall]:
    """Those that were done or ended."""
    query = _recalls(today).where(_r.c.patient_id == patient_id, _r.c.ended_at.is_not(None))
    return many(connection, _with_day(query), Recall)


def hold_recall(connection: Connection, recall_id: int, today: date) -> Recall | None:
    """Held until the transaction ends."""
    connection.execute(select(_r.c.id).where(_r.c.id == recall_id).with_for_update()).first()
    return one(connection, _with_day(_recalls(today).where(_r.c.id == recall_id)), Recall)


def hold_recalls_of(connection: Connection, patient_id: int, today: date) -> list[Recall]:
    """The open ones, held."""
    mine = and_(_r.c.patient_id == patient_id, _r.c.ended_at.is_(None))
    connection.execute(select(_r.c.id).where(mine).with_for_update()).all()
    return recalls_of(connection, patient_id, today)


def set_by_visit(connection: Connection, visit_id: int) -> list[int]:
    """The open recalls a visit set."""
    query = select(_r.c.id).where(_r.c.visit_id == visit_id, _r.c.ended_at.is_(None))
    return list(connection.execute(query).scalars())


def open_again(connection: Connection, visit_id: int) -> int:
    """Those a visit did or ended are open as before, where none of their type is; how many."""
    other = _r.alias("other")
    same = and_(other.c.patient_id == _r.c.patient_id, other.c.recall_type_id == _r.c.recall_type_id)
    taken = exists().where(same, other.c.ended_at.is_(None)).correlate(_r)
    query = select(_r.c.id).where(_r.c.done_visit_id == visit_id, ~taken)
    numbers = list(connection.execute(query).scalars())
    done = update(_r).where(_r.c.id.in_(numbers))
    connection.execute(done.values(done_visit_id=None, ended_at=None, ended_by=None, ended_how=""))
    return len(numbers)


def change_recall(connection: Connection, recall_id: int, **values: Any) -> None:
    change(connection, _r, recall_id, **values)


def add_recall(connection: Connection, **values: Any) -> int:
    return add(connection, _r, **values)


def recall_types(connection: Connection) -> dict[int, RecallType]:
    """The clinic's own, in their order."""
    rows = connection.execute(select(_t).order_by(_t.c.position, _t.c.id))
    return {row.id: _recall_type(row) for row in rows}


def _recall_type(row: Any) -> RecallType:
    return RecallType(
        id=row.id,
        name=row.name,
        every=Interval(row.count, Unit(row.unit)),
        type_id=row.type_id,
        before=row.before_days,
        after=row.after_days,
        youngest=row.youngest,
        oldest=row.oldest,
        same_person=row.same_person,
        starts=tuple(row.starts),
        ends=tuple(row.ends),
        repeats=row.repeats,
        tries=tuple(PlannedTry(days, Channel(channel)) for days, channel in row.tries),
        text=row.words,
        letter=row.letter,
        active=row.active,
        version=row.version,
    )


def keep_type(connection: Connection, kind: RecallType) -> int:
    """As it is kept now; id 0 makes one. Raises NotFound and Stale."""
    values = {
        "name": kind.name,
        "count": kind.every.count,
        "unit": str(kind.every.unit),
        "type_id": kind.type_id,
        "before_days": kind.before,
        "after_days": kind.after,
        "youngest": kind.youngest,
        "oldest": kind.oldest,
        "same_person": kind.same_person,
        "starts": list(kind.starts),
        "ends": list(kind.ends),
        "repeats": kind.repeats,
        "tries": [[each.days, str(each.channel)] for each in kind.tries],
        "words": kind.text,
        "letter": kind.letter,
        "active": kind.active,
    }
    return keep(connection, _t, kind.id, kind.version, values, "recall type")

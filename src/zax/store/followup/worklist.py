"""The recalls of everybody, filtered and a page at a time; with who it is, whom they saw last, and what was
tried. Nothing is out of sight for being old: the list begins with the longest due.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, and_, exists, func, or_, select

from zax.core.book.track import FINISHED, FREES_THE_TIME
from zax.core.followup.worklist import Booked, By, RecallFilter, Tried
from zax.store.book.tables import visit
from zax.store.coverage.tables import coverage
from zax.store.followup.recalls import Recall, recall_columns
from zax.store.followup.tables import contact_try, recall, recall_type
from zax.store.patients.tables import patient, patient_flag
from zax.store.rows import many

# Nobody works through more; what lies beyond it is said as "more than".
MOST_COUNTED = 10_000
_r, _t, _p = recall, recall_type, patient


@dataclass(frozen=True, slots=True, kw_only=True)
class DueRow(Recall):
    """A recall with whose it is. `last_*` is their last finished visit, `next_*` the next of any kind."""

    first: str
    last: str
    birth: date | None
    status: str
    phone: str
    household_id: int
    last_day: date | None
    last_provider_id: int | None
    next_visit_id: int | None
    next_day: date | None
    next_type_id: int | None


def due_rows(
    connection: Connection, wanted: RecallFilter, today: date, most: int, skip: int = 0
) -> list[DueRow]:
    """The rows of one page, in their order. Which they are is found first, along the index of due days; what
    is said of each is read for those alone.
    """
    page = _along(wanted, today, _r.c.id).order_by(_r.c.due_day, _r.c.id).limit(most).offset(skip)
    return rows_by_id(connection, list(connection.execute(page).scalars()), today)


def count_due(connection: Connection, wanted: RecallFilter, today: date) -> int:
    """How many rows the list has, counted up to one more than MOST_COUNTED."""
    found = _along(wanted, today, _r.c.id).limit(MOST_COUNTED + 1).subquery()
    return int(connection.execute(select(func.count()).select_from(found)).scalar_one())


def ids_due(connection: Connection, wanted: RecallFilter, today: date, most: int) -> list[int]:
    """The recalls of the whole list, for what is done with all of them at once."""
    query = _along(wanted, today, _r.c.id).order_by(_r.c.due_day, _r.c.id)
    return list(connection.execute(query.limit(most)).scalars())


def rows_by_id(connection: Connection, recall_ids: list[int], today: date) -> list[DueRow]:
    """These recalls, open or not, the longest due first."""
    return many(connection, _with_visits(_due(today).where(_r.c.id.in_(recall_ids))), DueRow)


def _along(wanted: RecallFilter, today: date, *columns: Any) -> Select[Any]:
    """The list's recalls, read in the order of their due days: left to itself, the database would sort a
    whole
    town before it takes the first page.
    """
    return _joined(*columns).prefix_with("STRAIGHT_JOIN").where(*_conditions(wanted, today))


def _joined(*columns: Any) -> Select[Any]:
    return select(*columns).join(_t, _t.c.id == _r.c.recall_type_id).join(_p, _p.c.id == _r.c.patient_id)


def _due(today: date) -> Select[Any]:
    return _joined(
        *recall_columns(today),
        *(_p.c.first, _p.c.last, _p.c.birth, _p.c.status, _p.c.phone, _p.c.household_id),
        _visit_id(_came()).label("last_visit_id"),
        _visit_id(_ahead(today), newest=False).label("next_visit_id"),
    ).order_by(_r.c.due_day, _r.c.id)


def _with_visits(inner: Select[Any]) -> Select[Any]:
    """The days and people of the visits, read for the rows of the page alone."""
    found = inner.subquery("r")
    booked, last, ahead = visit.alias("booked"), visit.alias("last_one"), visit.alias("next_one")
    return (
        select(
            found,
            booked.c.day.label("booked_day"),
            last.c.day.label("last_day"),
            last.c.provider_id.label("last_provider_id"),
            ahead.c.day.label("next_day"),
            ahead.c.type_id.label("next_type_id"),
        )
        .join(booked, booked.c.id == found.c.booked_visit_id, isouter=True)
        .join(last, last.c.id == found.c.last_visit_id, isouter=True)
        .join(ahead, ahead.c.id == found.c.next_visit_id, isouter=True)
        .order_by(found.c.due_day, found.c.id)
    )


def _came() -> ColumnElement[bool]:
    return and_(visit.c.patient_id == _p.c.id, visit.c.state.in_(sorted(FINISHED)))


def _ahead(today: date) -> ColumnElement[bool]:
    over = sorted(FINISHED | FREES_THE_TIME)
    return and_(visit.c.patient_id == _p.c.id, visit.c.day >= today, visit.c.state.not_in(over))


def _visit_id(which: ColumnElement[bool], newest: bool = True) -> Any:
    order = (visit.c.day.desc(), visit.c.id.desc()) if newest else (visit.c.day, visit.c.id)
    return select(visit.c.id).where(which).order_by(*order).limit(1).correlate(_p).scalar_subquery()


def _conditions(wanted: RecallFilter, today: date) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [_r.c.ended_at.is_(None)]
    if wanted.before:
        found.append(_r.c.due_day <= wanted.before)
    if wanted.by is By.OVER:
        found.append(func.datediff(today, _r.c.due_day) > _t.c.after_days)
    if wanted.type_id:
        found.append(_r.c.recall_type_id == wanted.type_id)
    found += [*_booked(wanted, today), *_tried(wanted), *_about_the_person(wanted, today)]
    for column, number in ((visit.c.provider_id, wanted.provider_id), (visit.c.site_id, wanted.site_id)):
        if number:
            last = _visit_id(_came())
            found.append(exists().where(visit.c.id == last, column == number))
    return found


def _booked(wanted: RecallFilter, today: date) -> list[ColumnElement[bool]]:
    does_it = exists().where(_ahead(today), visit.c.type_id == _t.c.type_id).correlate(_p, _t)
    match wanted.booked:
        case Booked.NOT_YET:
            return [~does_it]
        case Booked.NO_VISIT:
            return [~exists().where(_ahead(today)).correlate(_p)]
        case Booked.BOOKED:
            return [does_it]
        case Booked.EITHER:
            return []


def _tried(wanted: RecallFilter) -> list[ColumnElement[bool]]:
    if wanted.tried is Tried.EITHER:
        return []
    about = func.json_contains(contact_try.c.about, func.concat('"recall-', _r.c.id, '"'))
    tried = (
        exists()
        .where(contact_try.c.patient_id == _p.c.id, contact_try.c.undone_at.is_(None), about == 1)
        .correlate(_p, _r)
    )
    return [tried if wanted.tried is Tried.TRIED else ~tried]


def _about_the_person(wanted: RecallFilter, today: date) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.plan_id:
        c = coverage.c
        began, lasts = (
            or_(c.from_day.is_(None), c.from_day <= today),
            or_(c.to_day.is_(None), c.to_day >= today),
        )
        holds = and_(began, lasts, c.plan_id == wanted.plan_id)
        found.append(exists().where(c.patient_id == _p.c.id, holds).correlate(_p))
    if wanted.flag_id:
        f = patient_flag.c
        mine = and_(f.patient_id == _p.c.id, f.flag_id == wanted.flag_id, f.ended_at.is_(None))
        found.append(exists().where(mine).correlate(_p))
    born = wanted.born(today)
    if born.first:
        found.append(_p.c.birth > born.first)
    if born.last:
        found.append(_p.c.birth <= born.last)
    return found

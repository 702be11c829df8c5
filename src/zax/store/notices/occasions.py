"""What there is to write about: one query an event, each giving the occasions nobody was told of yet,
household by household, so that any number is read in pages and those of one household come together.

A query may give a little more than is due; zax.desk.notices.planning decides to the minute. `anchor` is what
the lead is counted from: the visit's time or a day on the site's wall clock, or for what happened its moment
in UTC.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, Table, and_, exists, func, literal, or_, select

from zax.core.book.cancellation import OffWhy
from zax.core.book.track import CAME, EXPECTED, FINISHED, Stop
from zax.core.messages.message import Sort
from zax.core.money.statement import PAPER, StatementState
from zax.core.money.tender import PaymentState
from zax.core.notices.events import Event
from zax.store.book.records import IMPORTED
from zax.store.rows import many
from zax.store.schema import (
    audit,
    closure,
    message,
    notice_told,
    patient,
    patient_return,
    payment,
    recall,
    statement,
    track_move,
    visit,
    waiting,
)

_v, _p, _told = visit, patient, notice_told
# Whoever has not been here for so long hears nothing on their birthday.
SEEN_WITHIN = timedelta(days=2 * 365)
_TOLD_OTHERWISE = (Sort.REQUEST, Sort.OFFER)
_SAID_NOTHING = (OffWhy.MISTAKE, OffWhy.EXPIRED, OffWhy.REFUSED, OffWhy.MISSED, OffWhy.UNSEEN)


@dataclass(frozen=True, slots=True, kw_only=True)
class Occasion:
    """`mark` tells this occasion of its subject from the next. The fields of a visit are empty where none is
    meant.
    """

    subject_id: int
    mark: str
    patient_id: int
    household_id: int
    visit_id: int | None
    type_id: int
    site_id: int
    day: date | None
    start_min: int
    at: datetime | None

    @property
    def anchor(self) -> datetime:
        if self.at is not None:
            return self.at
        assert self.day is not None
        return datetime.combine(self.day, time(self.start_min // 60, self.start_min % 60))


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """Which try of which message of a site is looked for; `first` and `last` are the anchors it may have,
    `since` the UTC moment from which the clinic writes at all.
    """

    event: Event
    channel: str
    try_no: int
    site_id: int
    first: datetime
    last: datetime
    since: datetime
    today: date


def occasions(connection: Connection, window: Window, after: int, most: int) -> list[Occasion]:
    """The next of those nobody was told of, by household above `after`."""
    query = _QUERIES[window.event](window)
    query = query.where(_p.c.household_id > after).order_by(
        _p.c.household_id, "day", "start_min", "subject_id"
    )
    return many(connection, query.limit(most), Occasion)


def _untold(window: Window, subject: ColumnElement[int], mark: ColumnElement[str]) -> ColumnElement[bool]:
    return ~exists(
        select(literal(1)).where(
            _told.c.event == window.event,
            _told.c.channel == window.channel,
            _told.c.try_no == window.try_no,
            _told.c.subject_id == subject,
            _told.c.mark == mark,
        )
    )


_TIME_MARK = func.concat(_v.c.day, "-", _v.c.start_min)
_ANCHOR = func.addtime(func.timestamp(_v.c.day), func.sec_to_time(_v.c.start_min * 60))


def _visits(window: Window, mark: ColumnElement[str], at: ColumnElement[Any]) -> Select[Any]:
    return (
        select(
            _v.c.id.label("subject_id"),
            mark.label("mark"),
            _v.c.patient_id,
            _p.c.household_id,
            _v.c.id.label("visit_id"),
            _v.c.type_id,
            _v.c.site_id,
            _v.c.day.label("day"),
            _v.c.start_min.label("start_min"),
            at.label("at"),
        )
        .join(_p, _p.c.id == _v.c.patient_id)
        .where(_v.c.site_id == window.site_id, _v.c.minutes > 0)
    )


def _by_time(window: Window, states: frozenset[Stop]) -> Select[Any]:
    """Visits whose time lies in the window, in these states."""
    return _visits(window, _TIME_MARK, literal(None)).where(
        _v.c.day.between(window.first.date(), window.last.date()),
        _ANCHOR.between(window.first, window.last),
        _v.c.state.in_(sorted(states)),
        _untold(window, _v.c.id, _TIME_MARK),
    )


def _reminders(window: Window) -> Select[Any]:
    return _by_time(window, frozenset({Stop.BOOKED}) if window.try_no else EXPECTED)


def _unconfirmed(window: Window) -> Select[Any]:
    return _by_time(window, frozenset({Stop.BOOKED}))


def _expected(window: Window) -> Select[Any]:
    return _by_time(window, EXPECTED)


def _seen(window: Window) -> Select[Any]:
    return _by_time(window, CAME)


def _first_visits(window: Window) -> Select[Any]:
    other = visit.alias("earlier")
    before = exists(
        select(literal(1)).where(
            other.c.patient_id == _v.c.patient_id,
            other.c.id != _v.c.id,
            other.c.day <= _v.c.day,
            other.c.state.in_(sorted(CAME)),
        )
    )
    return _by_time(window, CAME).where(~before)


def _ahead(window: Window) -> ColumnElement[bool]:
    """Not over yet, by the day; its minute is looked at when it goes."""
    return and_(_v.c.day >= window.today, _v.c.state.in_(sorted(EXPECTED)))


def _told_otherwise() -> ColumnElement[bool]:
    return exists(
        select(literal(1)).where(message.c.visit_id == _v.c.id, message.c.event.in_(_TOLD_OTHERWISE))
    )


def _booked(window: Window) -> Select[Any]:
    """Once a visit and patient, whatever its time by then. A visit that a list brought along was booked
    elsewhere, and told there.
    """
    mark = func.concat("p", _v.c.patient_id)
    return _visits(window, mark, _v.c.made_at).where(
        _v.c.made_at.between(window.first, window.last),
        _v.c.made_at >= window.since,
        func.coalesce(_v.c.request_key, "").not_like(f"{IMPORTED}%"),
        _ahead(window),
        _untold(window, _v.c.id, mark),
        ~_told_otherwise(),
    )


def _moved(window: Window) -> Select[Any]:
    """Once each time it was moved or a move was undone, even where they know that time: that is seen when it
    is planned.
    """
    moves = (
        select(audit.c.visit_id, func.max(audit.c.at).label("at"))
        .where(
            audit.c.at.between(window.first, window.last),
            audit.c.at >= window.since,
            audit.c.act.in_(("visit.moved", "visit.undone")),
        )
        .group_by(audit.c.visit_id)
        .subquery()
    )
    mark = func.date_format(moves.c.at, "%Y%m%d%H%i%s%f")
    return (
        _visits(window, mark, moves.c.at)
        .join(moves, moves.c.visit_id == _v.c.id)
        .where(_ahead(window), moves.c.at > _v.c.made_at, _untold(window, _v.c.id, mark), ~_told_otherwise())
    )


def _canceled(window: Window) -> Select[Any]:
    offs = (
        select(track_move.c.visit_id, func.max(track_move.c.at).label("at"))
        .where(
            track_move.c.to_stop == Stop.CANCELED,
            track_move.c.at.between(window.first, window.last),
            track_move.c.at >= window.since,
        )
        .group_by(track_move.c.visit_id)
        .subquery()
    )
    return (
        _visits(window, _TIME_MARK, offs.c.at)
        .join(offs, offs.c.visit_id == _v.c.id)
        .where(
            _v.c.state == Stop.CANCELED,
            _v.c.off_why.not_in(_SAID_NOTHING),
            _v.c.day >= window.today,
            _untold(window, _v.c.id, _TIME_MARK),
        )
    )


def _closed(window: Window) -> Select[Any]:
    """Visits that stand on a day that became a closed day."""
    shut = exists(
        select(literal(1)).where(
            closure.c.ended_at.is_(None),
            or_(closure.c.site_id.is_(None), closure.c.site_id == _v.c.site_id),
            closure.c.starts <= _ANCHOR,
            closure.c.ends > _ANCHOR,
        )
    )
    return _visits(window, _TIME_MARK, literal(window.last)).where(
        _ahead(window), shut, _untold(window, _v.c.id, _TIME_MARK)
    )


def _of_person(
    window: Window,
    subject: ColumnElement[int],
    mark: ColumnElement[str],
    day: ColumnElement[Any],
    at: ColumnElement[Any],
    type_id: ColumnElement[Any] | None = None,
) -> Select[Any]:
    return select(
        subject.label("subject_id"),
        mark.label("mark"),
        _p.c.id.label("patient_id"),
        _p.c.household_id,
        literal(None).label("visit_id"),
        (type_id if type_id is not None else literal(0)).label("type_id"),
        literal(window.site_id).label("site_id"),
        day.label("day"),
        literal(0).label("start_min"),
        at.label("at"),
    ).where(_untold(window, subject, mark))


def _to_come_back(window: Window, table: Table, booked: ColumnElement[Any]) -> Select[Any]:
    """Who falls due to come again and has no visit for it; not while it is put off."""
    c = table.c
    return (
        _of_person(window, c.id, func.concat(c.due_day), c.due_day, literal(None))
        .join(_p, _p.c.id == c.patient_id)
        .where(
            c.ended_at.is_(None),
            booked.is_(None),
            or_(c.paused_until.is_(None), c.paused_until <= window.today),
            c.due_day.between(window.first.date(), window.last.date()),
        )
    )


def _recalls(window: Window) -> Select[Any]:
    return _to_come_back(window, recall, recall.c.visit_id)


def _returns(window: Window) -> Select[Any]:
    return _to_come_back(window, patient_return, patient_return.c.booked_visit_id)


def _waitlist(window: Window) -> Select[Any]:
    w = waiting
    return (
        _of_person(window, w.c.id, literal("listed"), literal(None), w.c.since_at)
        .join(_p, _p.c.id == w.c.patient_id)
        .where(
            w.c.ended_at.is_(None),
            w.c.site_id == window.site_id,
            w.c.since_at.between(window.first, window.last),
            w.c.since_at >= window.since,
        )
    )


def _statements(window: Window) -> Select[Any]:
    s = statement
    about = func.coalesce(s.c.patient_id, _p.c.id) == _p.c.id
    return (
        _of_person(window, s.c.id, literal("made"), literal(None), s.c.made_at)
        .join(_p, and_(_p.c.household_id == s.c.household_id, _p.c.guarantor, about))
        .where(
            s.c.state == StatementState.MADE,
            s.c.way == PAPER,  # who wants no paper is told with the link (zax.desk.own.statements)
            s.c.made_at.between(window.first, window.last),
            s.c.made_at >= window.since,
        )
    )


def _cards(window: Window) -> Select[Any]:
    """Installments that the card on file was declined for."""
    t = payment
    return (
        _of_person(window, t.c.id, literal("declined"), literal(None), t.c.at)
        .join(_p, _p.c.id == t.c.patient_id)
        .where(
            t.c.request_key.like("plan-%"),
            t.c.state == PaymentState.DECLINED,
            t.c.at.between(window.first, window.last),
            t.c.at >= window.since,
        )
    )


def _birthdays(window: Window) -> Select[Any]:
    """Of those who were here of late; a child's is not ours to write about."""
    today = window.today
    here = exists(
        select(literal(1)).where(
            _v.c.patient_id == _p.c.id, _v.c.state.in_(sorted(FINISHED)), _v.c.day >= today - SEEN_WITHIN
        )
    )
    on = [(today.month, today.day)]
    if (today.month, today.day) == (2, 28) and (today + timedelta(days=1)).month == 3:
        on.append((2, 29))
    days = or_(*(and_(func.month(_p.c.birth) == m, func.day(_p.c.birth) == d) for m, d in on))
    return (
        _of_person(window, _p.c.id, literal(str(today.year)), literal(today), literal(None))
        .select_from(_p)
        .where(days, _p.c.status == "active", _p.c.birth <= _years_before(today, 18), here)
    )


def _years_before(day: date, years: int) -> date:
    return day.replace(year=day.year - years, day=min(day.day, 28) if day.month == 2 else day.day)


_QUERIES: Mapping[Event, Callable[[Window], Select[Any]]] = {
    Event.BOOKED: _booked,
    Event.MOVED: _moved,
    Event.CANCELED: _canceled,
    Event.REMINDER: _reminders,
    Event.UNCONFIRMED: _unconfirmed,
    Event.LATE: _expected,
    Event.FORM: _expected,
    Event.THANKS: _seen,
    Event.REVIEW: _first_visits,
    Event.RECALL: _recalls,
    Event.RETURN: _returns,
    Event.WAITLIST: _waitlist,
    Event.STATEMENT: _statements,
    Event.CARD_FAILED: _cards,
    Event.BIRTHDAY: _birthdays,
    Event.CLOSED: _closed,
}

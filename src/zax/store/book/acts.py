"""What people did on the Book, kept with what it was like before, so that it can be undone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime

from sqlalchemy import Connection, select, update

from zax.core.book.calendar import DAY
from zax.store.book.records import BookAct, LastAct
from zax.store.book.tables import book_act, visit
from zax.store.clinic.tables import provider_exception
from zax.store.rows import add, change, one

_a = book_act


def add_act(
    connection: Connection, *, by_id: int | None, at: datetime, words: str, detail: Mapping[str, object]
) -> int:
    return add(connection, _a, by_id=by_id, at=at, words=words[:200], detail=detail)


def last_act(connection: Connection, user_id: int | None, since: datetime) -> LastAct | None:
    """The newest act of this person since then, undone or not."""
    query = select(_a.c.id, _a.c.words, _a.c.undone_at).where(_a.c.by_id == user_id, _a.c.at > since)
    return one(connection, query.order_by(_a.c.id.desc()).limit(1), LastAct)


def act_for_update(connection: Connection, act_id: int, user_id: int | None) -> BookAct | None:
    return one(
        connection, select(_a).where(_a.c.id == act_id, _a.c.by_id == user_id).with_for_update(), BookAct
    )


def mark_undone(connection: Connection, act_id: int, at: datetime) -> None:
    change(connection, _a, act_id, undone_at=at)


def versions_of(connection: Connection, visit_ids: Iterable[int]) -> dict[int, int]:
    query = select(visit.c.id, visit.c.version).where(visit.c.id.in_(list(visit_ids) or [0]))
    return {row.id: row.version for row in connection.execute(query)}


def add_day_off(connection: Connection, provider_id: int, day: date, words: str) -> int:
    """A provider's whole day off, as an exception to their hours."""
    return add(
        connection,
        provider_exception,
        provider_id=provider_id,
        from_day=day,
        to_day=day,
        start_min=DAY.start,
        end_min=DAY.end,
        words=words[:80],
    )


def end_exceptions(connection: Connection, ids: Iterable[int], at: datetime) -> None:
    e = provider_exception
    connection.execute(update(e).where(e.c.id.in_(list(ids))).values(ended_at=at))

"""When people work, as it is edited: weekly hours with the days they hold, exceptions, closures. Ended rows
stay for the past.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from sqlalchemy import Connection, select, update

from zax.store.clinic.tables import closure, provider_exception, provider_hours
from zax.store.rows import add, many, one


@dataclass(frozen=True, slots=True, kw_only=True)
class HoursLine:
    """One line of the weekly editor, as checked: minutes of the site's day; `rest` names a break, and is
    empty for work; every second week counts from the week of `counted_from`.
    """

    weekday: int
    pattern: str
    site_id: int
    start_min: int
    end_min: int
    rest: str
    counted_from: date | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class WeeklyHours(HoursLine):
    """A kept line; it holds from `from_day` (None: always) to `to_day` (None: until changed)."""

    from_day: date | None
    to_day: date | None


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptException:
    """Away, or working besides (`extra`), on some dates."""

    id: int
    provider_id: int
    site_id: int | None
    from_day: date
    to_day: date
    start_min: int
    end_min: int
    extra: bool
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptClosure:
    """One site, or all of them, shut from one wall-clock time to another."""

    id: int
    site_id: int | None
    starts: datetime
    ends: datetime
    words: str


def weekly_hours(connection: Connection, provider_id: int, day: date) -> list[WeeklyHours]:
    """The weekly lines that hold on or after the day, those that hold first."""
    h = provider_hours
    query = (
        select(h)
        .where(
            h.c.provider_id == provider_id,
            (h.c.to_day.is_(None)) | (h.c.to_day >= day),
            (h.c.to_day.is_(None)) | (h.c.from_day.is_(None)) | (h.c.to_day >= h.c.from_day),
        )
        .order_by(h.c.weekday, h.c.start_min, h.c.id)
    )
    return many(connection, query, WeeklyHours)


def replace_hours(connection: Connection, provider_id: int, from_day: date, lines: list[HoursLine]) -> None:
    """These weekly hours from the day on; what held before it stays."""
    h = provider_hours
    still_held = (h.c.to_day.is_(None)) | (h.c.to_day >= from_day)
    connection.execute(
        update(h)
        .where(h.c.provider_id == provider_id, still_held)
        .values(to_day=from_day - timedelta(days=1))
    )
    for line in lines:
        add(
            connection,
            h,
            provider_id=provider_id,
            from_day=from_day,
            weekday=line.weekday,
            pattern=line.pattern,
            site_id=line.site_id,
            start_min=line.start_min,
            end_min=line.end_min,
            rest=line.rest,
            counted_from=line.counted_from,
        )


def exceptions_from(connection: Connection, provider_id: int, today: date) -> list[KeptException]:
    """The exceptions that are not over, in order."""
    e = provider_exception
    query = select(e).where(e.c.provider_id == provider_id, e.c.ended_at.is_(None), e.c.to_day >= today)
    return many(connection, query.order_by(e.c.from_day, e.c.id), KeptException)


def add_exception(
    connection: Connection,
    *,
    provider_id: int,
    site_id: int | None,
    from_day: date,
    to_day: date,
    start_min: int,
    end_min: int,
    extra: bool,
    words: str,
) -> int:
    return add(
        connection,
        provider_exception,
        provider_id=provider_id,
        site_id=site_id,
        from_day=from_day,
        to_day=to_day,
        start_min=start_min,
        end_min=end_min,
        extra=extra,
        words=words,
    )


def locked_exception(connection: Connection, exception_id: int) -> KeptException | None:
    """An exception that still holds, locked until the act ends."""
    e = provider_exception
    query = select(e).where(e.c.id == exception_id, e.c.ended_at.is_(None)).with_for_update()
    return one(connection, query, KeptException)


def end_exception(connection: Connection, exception_id: int, at: datetime) -> None:
    e = provider_exception
    connection.execute(update(e).where(e.c.id == exception_id).values(ended_at=at))


def closures_from(connection: Connection, today: date) -> list[KeptClosure]:
    """The closures that are not over, in order."""
    c = closure
    query = select(c).where(c.c.ended_at.is_(None), c.c.ends > datetime.combine(today, time()))
    return many(connection, query.order_by(c.c.starts, c.c.id), KeptClosure)


def add_closure(
    connection: Connection, starts: datetime, ends: datetime, words: str, site_id: int | None
) -> int:
    return add(connection, closure, starts=starts, ends=ends, words=words, site_id=site_id)


def end_closure(connection: Connection, closure_id: int, at: datetime) -> bool:
    """Whether it held until now."""
    c = closure
    done = connection.execute(
        update(c).where(c.c.id == closure_id, c.c.ended_at.is_(None)).values(ended_at=at)
    )
    return bool(done.rowcount)

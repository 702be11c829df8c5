"""The Book's views: a day by provider or by room, at one site or all of them, and one provider's week. Made
of the day_columns of zax.desk.day.live_day.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from zax.clock import local
from zax.core.book.hours import Span
from zax.core.book.track import FREES_THE_TIME, Stop
from zax.core.clinic.providers import Provider
from zax.core.wording import weekday_day
from zax.desk.book.day_columns import Bar, DayColumn, make_bar, shut_spans, side_by_side, still_free
from zax.desk.book.undo import WITHIN as UNDO_WITHIN
from zax.desk.book.undo import last_act
from zax.desk.clinic.clinic import Clinic
from zax.desk.day.live_day import day_view, room_columns
from zax.store.book import queries as visits
from zax.store.book.queries import held_requests
from zax.store.book.records import HeldRequest, LastAct, ShelvedVisit, WeekVisit
from zax.store.book.shelf import on_shelf
from zax.store.day.screens import what_is_beside
from zax.store.engine import Connection

VIEWS = ("provider", "room", "week")
FINE_BELOW = 20


@dataclass(frozen=True, slots=True)
class Beside:
    """What stands beside the Book for one person: their shelf, requests from the web, and their last act if
    it could be undone.
    """

    shelf: Sequence[ShelvedVisit] = ()
    requests: Sequence[HeldRequest] = ()
    undoable: LastAct | None = None


def beside(connection: Connection, user_id: int | None, site_id: int, now: datetime) -> Beside:
    """One short look whether there is anything, and reads only of what there is."""
    there = what_is_beside(connection, user_id, site_id, now - UNDO_WITHIN)
    return Beside(
        on_shelf(connection, user_id) if there.shelf else (),
        held_requests(connection, site_id) if there.requests else (),
        last_act(connection, user_id, now) if there.acts else None,
    )


@dataclass(slots=True, kw_only=True)
class BookView:
    """What the Book shows. `opens` and `closes` are the minutes shown; `now` the minute of now, None when
    today is not shown.
    """

    by: str
    sites: tuple[int, ...]
    day: date
    first: date
    last: date
    today: date
    day_columns: list[DayColumn]
    opens: int
    closes: int
    grid: int
    now: int | None
    closure: str
    provider: Provider | None = None

    @property
    def bars(self) -> list[Bar]:
        return [bar for day_column in self.day_columns for bar in day_column.bars]

    @property
    def fine(self) -> bool:
        """Whether some visit is so short that the day needs a larger scale to show its name."""
        return any(bar.minutes < FINE_BELOW for bar in self.bars)

    @property
    def past_until(self) -> int:
        """The minute up to which the day shown is over; in a week each day_column knows its own."""
        if self.now is not None:
            return self.now
        return 24 * 60 if self.day < self.today else 0

    def column_past(self, day_column: DayColumn) -> int:
        if day_column.day == self.today:
            return self.now or 0
        return 24 * 60 if day_column.day < self.today else 0


def book_view(
    connection: Connection,
    clinic: Clinic,
    now: datetime,
    sites: tuple[int, ...],
    day: date,
    by: str,
    provider_id: int = 0,
) -> BookView:
    """The chosen view; a few statements a site."""
    if by == "week":
        return _week(connection, clinic, now, sites, day, provider_id)
    views = [day_view(connection, clinic, now, site, day) for site in sites]
    day_columns = [
        day_column
        for view in views
        for day_column in (room_columns(clinic, view) if by == "room" else view.day_columns)
    ]
    if len(sites) > 1:
        for day_column in day_columns:
            day_column.under = clinic.sites[day_column.site_id].name
    opens, closes = _hours_shown(clinic, sites, day_columns)
    for day_column in day_columns:
        own = clinic.sites[day_column.site_id].day
        day_column.shut += [
            (span, "Closed") for span in (Span(opens, own.start), Span(own.end, closes)) if span.minutes > 30
        ]
    first = views[0]
    closure = first.closure if all(view.closure for view in views) else ""
    return BookView(
        by=by,
        sites=sites,
        day=day,
        first=day,
        last=day,
        today=first.today,
        day_columns=day_columns,
        opens=opens,
        closes=closes,
        grid=min(clinic.sites[s].grid for s in sites),
        now=first.now,
        closure=closure,
    )


def _hours_shown(clinic: Clinic, sites: tuple[int, ...], day_columns: list[DayColumn]) -> tuple[int, int]:
    """From the first opening to the last closing, on half hours, and never so narrow that a visit
    is hidden.
    """
    bars = [bar for day_column in day_columns for bar in day_column.bars]
    opens = min([*(clinic.sites[s].day.start for s in sites), *(bar.at for bar in bars)])
    closes = max([*(clinic.sites[s].day.end for s in sites), *(bar.end for bar in bars)])
    return opens // 30 * 30, -(-closes // 30) * 30


def _week(
    connection: Connection, clinic: Clinic, now: datetime, sites: tuple[int, ...], day: date, provider_id: int
) -> BookView:
    """One provider's week, Monday to Sunday, at every site they work at; days without hours or visits at the
    weekend are left out.
    """
    provider = clinic.providers.get(provider_id) or next(iter(clinic.hours.columns(sites[0], day)))
    monday = day - timedelta(days=day.weekday())
    days = [monday + timedelta(days=number) for number in range(7)]
    home = clinic.sites[sites[0]]
    wall = local(now, home.timezone)
    rows = visits.week_visits(connection, provider.id, days[0], days[-1])
    day_columns = [
        day_column
        for each in days
        if (day_column := _week_day(clinic, now, provider, each, rows, sites[0], wall)) is not None
    ]
    shown = tuple(
        dict.fromkeys((*sites, *(bar.site_id for day_column in day_columns for bar in day_column.bars)))
    )
    minute = wall.hour * 60 + wall.minute if wall.date() in days else None
    opens, closes = _hours_shown(clinic, shown, day_columns)
    return BookView(
        by="week",
        sites=sites,
        day=day,
        first=days[0],
        last=days[-1],
        today=wall.date(),
        day_columns=day_columns,
        opens=opens,
        closes=closes,
        grid=home.grid,
        now=minute,
        closure="",
        provider=provider,
    )


def _week_day(
    clinic: Clinic,
    now: datetime,
    provider: Provider,
    day: date,
    rows: Sequence[WeekVisit],
    site_id: int,
    wall: datetime,
) -> DayColumn | None:
    site = clinic.sites[site_id]
    bars = [
        make_bar(row, clinic, {}, now, clinic.sites[row.site_id].timezone) for row in rows if row.day == day
    ]
    bars = [bar for bar in bars if bar.stop != Stop.CANCELED]
    windows = [w for each in clinic.sites for w in clinic.hours.windows(provider.id, each, day)]
    if day.weekday() > 4 and not bars and not windows:
        return None
    helping = {
        row.id: (row.slot_start, row.slot_end)
        for row in rows
        if row.day == day and row.provider_id != provider.id
    }
    for bar in bars:
        if bar.id in helping:
            start, end = helping[bar.id]
            bar.at, bar.minutes, bar.type_name = start, end - start, f"exam for {bar.provider.short}"
    minute = wall.hour * 60 + wall.minute if wall.date() == day else None
    busy = [Span(bar.at, bar.end) for bar in bars if bar.stop not in FREES_THE_TIME]
    free = (
        still_free(clinic.hours.windows(provider.id, site_id, day), busy, minute, site.grid)
        if day >= wall.date()
        else []
    )
    where = sorted({clinic.sites[bar.site_id].name for bar in bars}) or [site.name]
    under = f"{len(bars)} visits" if len(where) == 1 else ", ".join(where)
    title = weekday_day(day)
    return DayColumn(
        key=f"d{day}",
        title=title,
        under=under,
        day=day,
        site_id=site_id,
        provider=provider,
        room=None,
        bars=side_by_side(bars),
        shut=shut_spans(clinic, provider, site, day),
        free=free,
    )

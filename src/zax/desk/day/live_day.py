"""The day as the desk sees it: a column for every provider or room, who needs the desk now, rooms, and the
next jobs. For Day and Book alike.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import local
from zax.core.arrivals.free_rooms import Waiting, rooms_to_offer
from zax.core.arrivals.turn import Standing, desk_order
from zax.core.book.hours import Span
from zax.core.book.track import EXPECTED, FREES_THE_TIME, Stop
from zax.core.clinic.places import Room, Site
from zax.core.subject import About, Subject
from zax.core.wording import clock_words, day_words, dollars
from zax.desk.book.day_columns import (
    Bar,
    DayColumn,
    Strap,
    day_bars,
    hang_straps,
    provider_column,
    side_by_side,
    still_free,
)
from zax.desk.book.forecast import forecast
from zax.desk.clinic.clinic import Clinic
from zax.store.book import queries as visits
from zax.store.day import screens
from zax.store.engine import Connection
from zax.store.money import queries as money

MOST_JOBS = 5


@dataclass(frozen=True, slots=True)
class Filter:
    """What of a day is shown: one provider's, one room's or one role's; 0 and "" for all. `by` is provider or
    room.
    """

    provider_id: int = 0
    room_id: int = 0
    role: str = ""
    by: str = "provider"

    @property
    def on(self) -> bool:
        return bool(self.provider_id or self.room_id or self.role)

    def shows(self, bar: Bar) -> bool:
        return (
            (not self.provider_id or bar.provider.id == self.provider_id)
            and (not self.room_id or bar.room_id == self.room_id)
            and (not self.role or bar.provider.role == self.role)
        )


@dataclass(slots=True, kw_only=True)
class DayView:
    """Everything about one site's day. `now` is the minute of the day, or None on another day than today."""

    site: Site
    day: date
    today: date
    now: int | None
    closure: str
    day_columns: list[DayColumn]
    bars: list[Bar]
    filter: Filter = Filter()

    @property
    def past_until(self) -> int:
        """The minute up to which the day is over."""
        if self.now is not None:
            return self.now
        return 24 * 60 if self.day < self.today else 0

    @property
    def straps(self) -> list[Strap]:
        return [strap for day_column in self.day_columns for strap in day_column.straps]


def day_view(
    connection: Connection,
    clinic: Clinic,
    now_utc: datetime,
    site_id: int,
    day: date,
    chosen: Filter = Filter(),
) -> DayView:
    """Read and compute one day; four statements. What `chosen` leaves out is not in the columns and bars."""
    site = clinic.sites[site_id]
    wall = local(now_utc, site.timezone)
    now = wall.hour * 60 + wall.minute if wall.date() == day else None
    bars = day_bars(connection, clinic, now_utc, site_id, day)
    starts = forecast(bars, now)
    for bar in bars:
        bar.forecast = starts.get(bar.id)
    straps = visits.day_straps(connection, site_id, day)
    columns = clinic.hours.columns(site_id, day)
    # Whoever has a visit here is shown, even if their hours no longer hold it.
    shown = {provider.id for provider in columns}
    busy = {bar.provider.id for bar in bars if bar.stop not in FREES_THE_TIME} - shown
    columns += [clinic.providers[number] for number in clinic.providers if number in busy]
    day_columns = [provider_column(provider, bars, straps, clinic, site, day, now) for provider in columns]
    hang_straps(day_columns, bars, straps, columns)
    view = DayView(
        site=site,
        day=day,
        today=wall.date(),
        now=now,
        closure=clinic.hours.closure_words(site_id, day),
        day_columns=day_columns,
        bars=bars,
        filter=chosen,
    )
    return _narrowed(clinic, view, chosen) if chosen != Filter() else view


def _narrowed(clinic: Clinic, view: DayView, chosen: Filter) -> DayView:
    """The view with only what was chosen, by provider or by room."""
    view.bars = [bar for bar in view.bars if chosen.shows(bar)]
    if chosen.by == "room":
        day_columns = room_columns(clinic, view)
        busy = {bar.room_id for bar in view.bars}
        view.day_columns = [
            day_column
            for day_column in day_columns
            if day_column.room
            and (not chosen.on or day_column.room.id in busy or day_column.room.id == chosen.room_id)
        ]
        return view
    shown = {bar.provider.id for bar in view.bars} | {chosen.provider_id}
    view.day_columns = [
        day_column
        for day_column in view.day_columns
        if day_column.provider
        and (not chosen.on or day_column.provider.id in shown or day_column.provider.role == chosen.role)
    ]
    for day_column in view.day_columns:
        day_column.bars = [bar for bar in day_column.bars if chosen.shows(bar)]
    return view


def room_columns(clinic: Clinic, view: DayView) -> list[DayColumn]:
    """The same visits in the columns of their rooms; a room is free where nobody is in it."""
    day_columns = []
    for room in clinic.rooms.values():
        if room.site_id != view.site.id:
            continue
        mine = [bar for bar in view.bars if bar.room_id == room.id and bar.stop != Stop.CANCELED]
        if not room.active and not mine:
            continue
        for bar in mine:
            bar.share = (0, 1)
        busy = [Span(bar.at, bar.end) for bar in mine if bar.stop not in FREES_THE_TIME]
        under = ", ".join(sorted(room.equipment)) or ("chair" if room.dental else "room")
        free = still_free((view.site.day,), busy, view.now, view.site.grid) if not view.closure else []
        day_columns.append(
            DayColumn(
                key=f"r{room.id}",
                title=room.name,
                under=under,
                day=view.day,
                site_id=view.site.id,
                provider=None,
                room=room,
                bars=side_by_side(mine),
                shut=[],
                free=free,
            )
        )
    return day_columns


@dataclass(slots=True)
class Job:
    """One of the next jobs: how many, what, and the words of the link that does it."""

    count: str
    words: str
    link: str
    subject: Subject


@dataclass(slots=True, kw_only=True)
class DeskLists:
    """Who needs the desk; `turns` has by visit its place in the order of need, from 1; `goes_to` the free
    room for each who waits (None: there is none); what is in the rooms; the next jobs; the day's sums in
    cents.
    """

    ready: list[Bar]
    waiting: list[Bar]
    expected: list[Bar]
    missed: list[Bar]
    turns: dict[int, int]
    goes_to: dict[int, Room | None]
    jobs: list[Job]
    numbers: Counter[Stop]
    rooms: list[tuple[Room, Bar | None, Bar | None]]
    taken: int
    plans: int
    worked: int


def desk_lists(connection: Connection, clinic: Clinic, view: DayView) -> DeskLists:
    """What stands below the day line. Two statements more."""
    sums = money.open_of_visits(connection, view.site.id, view.day)
    for bar in view.bars:
        if bar.id in sums:
            row = sums[bar.id]
            bar.fee, bar.insurer, bar.due = row.fee_cents, row.insurer_cents, row.patient_cents
    by_stop: dict[Stop, list[Bar]] = {}
    for bar in view.bars:
        by_stop.setdefault(bar.stop, []).append(bar)
    ready = sorted((b for b in by_stop.get(Stop.CHECKOUT, []) if not b.gone), key=lambda bar: -bar.since)
    waiting = sorted(by_stop.get(Stop.HERE, []), key=lambda bar: -bar.since)
    expected = [bar for bar in view.bars if bar.stop in EXPECTED]
    turns = _turns(clinic, view, [*ready, *waiting, *expected])
    worked = sum(row.fee_cents for row in sums.values())
    left = sum(max(0, row.patient_cents) for row in sums.values())
    plans = sum(row.insurer_cents for row in sums.values())
    return DeskLists(
        ready=ready,
        waiting=waiting,
        expected=expected,
        missed=by_stop.get(Stop.MISSED, []),
        turns=turns,
        goes_to=rooms_to_go(connection, clinic, view, waiting),
        jobs=_jobs(connection, view, by_stop.get(Stop.MISSED, [])),
        numbers=Counter(bar.stop for bar in view.bars),
        rooms=_rooms(clinic, view, waiting),
        taken=worked - plans - left,
        plans=plans,
        worked=worked,
    )


def rooms_to_go(
    connection: Connection, clinic: Clinic, view: DayView, waiting: Sequence[Bar]
) -> dict[int, Room | None]:
    """By visit that waits, the room to take it to (zax.core.arrivals.free_rooms); empty when nobody waits."""
    if not waiting:
        return {}
    waits = [
        Waiting(
            bar.id,
            bar.room_id,
            bar.minutes,
            tuple(r.id for r in clinic.rooms_for(clinic.types[bar.type_id], view.site.id, bar.room_id)),
        )
        for bar in waiting
    ]
    inside = visits.in_rooms(connection, view.site.id, view.day)
    expected = [(bar.room_id, bar.at) for bar in view.bars if bar.stop in EXPECTED]
    offered = rooms_to_offer(waits, inside, expected, view.now or 0)
    return {number: clinic.rooms.get(room) for number, room in offered.items()}


def _turns(clinic: Clinic, view: DayView, bars: Sequence[Bar]) -> dict[int, int]:
    """The order of need; on another day than today nobody's turn has come."""
    if view.now is None:
        return {}
    rows = [Standing(bar.id, bar.stop, bar.since, bar.at, view.now) for bar in bars]
    return {number: at for at, number in enumerate(desk_order(rows, clinic.wait_limit, clinic.late_limit), 1)}


def _rooms(
    clinic: Clinic, view: DayView, waiting: Sequence[Bar]
) -> list[tuple[Room, Bar | None, Bar | None]]:
    """Each room with who is in it and who waits for it."""
    inside = {bar.room_id: bar for bar in view.bars if bar.stop == Stop.ROOM}
    coming = {bar.room_id: bar for bar in reversed(waiting)}
    return [
        (room, inside.get(room.id), coming.get(room.id))
        for room in clinic.rooms.values()
        if room.site_id == view.site.id
    ]


def _jobs(connection: Connection, view: DayView, missed: Sequence[Bar]) -> list[Job]:
    counts = screens.job_counts(connection, view.site.id)
    jobs = []
    if counts["unclear"].n:
        for row in screens.unclear_payments(connection):
            jobs.append(
                Job(
                    "◇",
                    f"card payment from {row.first} {row.last} isn’t confirmed yet",
                    f"See {dollars(abs(row.cents))}",
                    Subject(About.RECEIPT, row.receipt_id),
                )
            )
    if counts["aside"].n:
        n = counts["aside"].n
        words = "background job couldn’t be done" if n == 1 else "background jobs couldn’t be done"
        jobs.append(Job(str(n), words, "Review", Subject(About.SET_ASIDE)))
    for left in screens.unfinished_checkouts(connection, view.site.id, view.today):
        on = f", {day_words(left.day)}" if left.day != view.today else ""
        words = f"{left.first} {left.last} left before the checkout{on}"
        jobs.append(Job("1", words, "Finish the checkout", Subject(About.CHECKOUT, left.id)))
    if counts["asked"].n:
        one = counts["asked"].n == 1
        jobs.append(
            Job(
                str(counts["asked"].n),
                f"request{'' if one else 's'} from the web",
                "Answer",
                Subject(About.REQUESTS),
            )
        )
    first = money.newest_rest(connection, view.site.id)
    if first is not None:
        does = "Collect" if first.patient_cents > 0 else "Refund"
        jobs.append(
            Job(
                "1",
                f"balance of {first.first} {first.last}, {day_words(first.day)}",
                f"{does} {dollars(abs(first.patient_cents))}",
                Subject(About.ACCOUNT, first.patient_id, visit_id=first.id or 0),
            )
        )
    if first is not None and first.of_visits > 1:
        every = f"{first.of_visits}"
        jobs.append(Job(every, "visits with a balance due", "Work through them", Subject(About.BALANCES)))
    if counts["held"].n:
        jobs.append(
            Job(
                str(counts["held"].n),
                "claims held back or rejected",
                "Fix them",
                Subject(About.CLAIMS_IN_TROUBLE),
            )
        )
    if counts["remit"].n or counts["bad"].n:
        jobs.append(
            Job(
                str(counts["remit"].n + counts["bad"].n),
                "payer responses need review",
                "Review",
                Subject(About.ANSWERS),
            )
        )
    jobs += [
        Job(
            "1",
            f"no-show, {clock_words(bar.at)}",
            f"Call {bar.name}",
            Subject(About.TODAYS_VISIT, bar.id),
        )
        for bar in missed[:2]
    ]
    return jobs[:MOST_JOBS]

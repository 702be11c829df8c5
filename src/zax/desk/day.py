"""The day as the desk sees it: a lane for every provider, who needs the desk now, rooms, and the next jobs. For Day and Book alike."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, text

from zax.clock import local
from zax.core.book.calendar import DayHours
from zax.core.book.hours import Span, clock_words, closed, gaps
from zax.core.book.lateness import Running, expected_end, minutes_behind
from zax.core.book.track import FREES_THE_TIME, ON_THE_BOOK, Stop
from zax.core.money.cents import plain
from zax.core.patients.gaps import record_gaps
from zax.desk.clinic import Clinic, Provider
from zax.desk.held import held_words
from zax.desk.placing import stands_outside
from zax.store import money, visits

LEAST_FREE = 15
MOST_JOBS = 5
CLOSE = 15  # minutes under which two straps would lie on each other when drawn
_JOBS = text(
    "SELECT 'held' AS what, COUNT(*) AS n, 0 AS cents FROM claim WHERE state IN ('held_back', 'rejected', 'denied') "
    "UNION ALL SELECT 'remit', COUNT(*), COALESCE(SUM(paid_cents), 0) FROM remit_claim WHERE outcome IN ('unknown', 'repeated', 'person') "
    "UNION ALL SELECT 'unclear', COUNT(*), COALESCE(SUM(cents), 0) FROM payment WHERE state IN ('asking', 'unknown') "
    "UNION ALL SELECT 'bad', COUNT(*), 0 FROM x12_file WHERE direction = 'in' AND kind = 'bad'"
)
_UNCLEAR = text(
    "SELECT y.id, y.cents, y.visit_id, p.first, p.last FROM payment y JOIN patient p ON p.id = y.patient_id "
    "WHERE y.state IN ('asking', 'unknown') ORDER BY y.id LIMIT 3"
)


@dataclass(slots=True)
class Bar:
    """One visit as drawn. `waited` and `since` are minutes; `came_at` and `in_at` minutes of the day (local).

    `share` is its place among visits at the same time in one column: (which, of how many). `outside` says why it lies outside working hours.
    """

    id: int
    patient_id: int
    first: str
    last: str
    at: int
    minutes: int
    stop: Stop
    type_name: str
    provider: Provider
    room_id: int
    room_name: str
    gap: str
    alert: str
    version: int
    note: str
    site_id: int = 0
    type_id: int = 0
    day: date | None = None
    held: str = ""
    outside: str = ""
    share: tuple[int, int] = (0, 1)
    waited: int = 0
    since: int = 0
    in_at: int | None = None
    fee: int = 0
    insurer: int = 0
    due: int = 0

    @property
    def name(self) -> str:
        return f"{self.first} {self.last}"

    @property
    def end(self) -> int:
        return self.at + self.minutes


@dataclass(slots=True)
class Strap:
    """A staff slot inside somebody else's visit; columns count from 0; `close` to the one before."""

    at: int
    minutes: int
    words: str
    provider: Provider
    host: Provider
    name: str
    column: int
    host_column: int
    close: bool = False


@dataclass(slots=True)
class Lane:
    """One column: a provider's day, a room's day, or one day of a provider's week. `key` names it; `under` stands under its title."""

    key: str
    title: str
    under: str
    day: date
    site_id: int
    provider: Provider | None
    room: Any
    bars: list[Bar]
    shut: list[tuple[Span, str]]
    free: list[Span]
    overrun: list[Span] = field(default_factory=list)
    behind: int = 0
    straps: list[Strap] = field(default_factory=list)


@dataclass(slots=True)
class DayView:
    """Everything about one site's day. `now` is the minute of the day, or None on another day than today."""

    site: Any
    day: date
    today: date
    now: int | None
    closure: str
    lanes: list[Lane]
    bars: list[Bar]

    @property
    def past_until(self) -> int:
        """The minute up to which the day is over."""
        if self.now is not None:
            return self.now
        return 24 * 60 if self.day < self.today else 0

    @property
    def straps(self) -> list[Strap]:
        return [strap for lane in self.lanes for strap in lane.straps]


def day_view(connection: Connection, clinic: Clinic, now_utc: datetime, site_id: int, day: date) -> DayView:
    """Read and compute one day; three statements."""
    site = clinic.sites[site_id]
    wall = local(now_utc, site.timezone)
    now = wall.hour * 60 + wall.minute if wall.date() == day else None
    bars = day_bars(connection, clinic, now_utc, site_id, day)
    straps = visits.day_straps(connection, site_id, day)
    columns = clinic.columns(site_id, day)
    # Whoever has a visit here is shown, even if their hours no longer hold it.
    columns += [
        p
        for p in clinic.providers.values()
        if p not in columns and any(b.provider.id == p.id and b.stop not in FREES_THE_TIME for b in bars)
    ]
    lanes = [_lane(provider, bars, straps, clinic, site, day, now) for provider in columns]
    _hang_straps(lanes, bars, straps, columns)
    return DayView(site, day, wall.date(), now, clinic.closure_words(site_id, day), lanes, bars)


def day_bars(connection: Connection, clinic: Clinic, now_utc: datetime, site_id: int, day: date) -> list[Bar]:
    """Every visit of the site's day as it is drawn; two statements."""
    moves = _moves(visits.day_moves(connection, site_id, day))
    zone = clinic.sites[site_id].timezone
    return [
        make_bar(row, clinic, moves.get(row.id, {}), now_utc, zone)
        for row in visits.day_visits(connection, site_id, day)
    ]


def _moves(rows: Sequence[Any]) -> dict[int, dict[str, datetime]]:
    """By visit, when it last came to each stop on the premises."""
    found: dict[int, dict[str, datetime]] = {}
    for visit_id, stop, at in rows:
        found.setdefault(visit_id, {})[stop] = at
    return found


def make_bar(row: Any, clinic: Clinic, moves: Mapping[str, datetime], now: datetime, zone: str) -> Bar:
    missing = record_gaps(row.birth, row.sex, row.phone, row.street)
    bar = Bar(
        row.id, row.patient_id, row.first, row.last, row.start_min, row.minutes, Stop(row.state), clinic.types[row.type_id].name,
        clinic.providers[row.provider_id], row.room_id, clinic.rooms[row.room_id].name, missing[0].words if missing else "", row.alert,
        row.version, row.note, row.site_id, row.type_id, row.day,
    )  # fmt: skip
    if bar.stop == Stop.HELD:
        bar.held = held_words(row, zone)
    if bar.stop in ON_THE_BOOK:
        bar.outside = stands_outside(clinic, row)
    if bar.stop in moves:
        bar.since = max(0, int((now - moves[bar.stop]).total_seconds() // 60))
    if bar.stop == Stop.ROOM and Stop.ROOM in moves:
        began = local(moves[Stop.ROOM], zone)
        bar.in_at = began.hour * 60 + began.minute
    return bar


def _lane(
    provider: Provider,
    bars: Sequence[Bar],
    straps: Sequence[Any],
    clinic: Clinic,
    site: Any,
    day: date,
    now: int | None,
) -> Lane:
    mine = [bar for bar in bars if bar.provider.id == provider.id and bar.stop != Stop.CANCELLED]
    windows = clinic.windows(provider.id, site.id, day)
    busy = [Span(bar.at, bar.end) for bar in mine if bar.stop != Stop.MISSED]
    busy += [Span(s.start_min, s.end_min) for s in straps if s.provider_id == provider.id]
    over, behind = _running(mine, now) if now is not None else ([], 0)
    rooms = list(dict.fromkeys(bar.room_name for bar in mine)) or [clinic.rooms[provider.room_id].name]
    free = free_spans(windows, busy, now, site.grid)
    return Lane(
        f"p{provider.id}", provider.name, ", ".join(rooms[:2]), day, site.id, provider, None, side_by_side(mine),
        shut_spans(clinic, provider, site, day), free, over, behind,
    )  # fmt: skip


def free_spans(windows: Sequence[Span], busy: Sequence[Span], now: int | None, grid: int) -> list[Span]:
    """What could still be sold: free stretches of LEAST_FREE minutes or more that are not over."""
    found = [gap for gap in gaps(windows, busy, LEAST_FREE) if now is None or gap.end > now + LEAST_FREE]
    return [Span(max(gap.start, _round_up(now, grid)), gap.end) if now else gap for gap in found]


def side_by_side(bars: list[Bar]) -> list[Bar]:
    """Give visits at the same time in one column their share of its width. The bars, in order of time."""
    group: list[Bar] = []
    until = 0
    for bar in sorted(bars, key=lambda bar: (bar.at, bar.id)):
        if group and bar.at >= until:
            _share(group)
            group = []
        group.append(bar)
        until = max(until, bar.end) if len(group) > 1 else bar.end
    _share(group)
    return bars


def _share(group: list[Bar]) -> None:
    """Each bar takes the first strip that is free at its start; all are as wide as the most that stand abreast."""
    ends: list[int] = []
    strips = []
    for bar in group:
        strip = next((number for number, end in enumerate(ends) if end <= bar.at), len(ends))
        ends[strip : strip + 1] = [bar.end]
        strips.append(strip)
    for bar, strip in zip(group, strips, strict=True):
        bar.share = (strip, len(ends))


def shut_spans(clinic: Clinic, provider: Provider, site: Any, day: date) -> list[tuple[Span, str]]:
    """The closed stretches of the site's day in this provider's column, each with why."""
    hours = clinic.day_hours(provider.id, site.id, day)
    return [(span, _why_shut(span, hours, clinic, provider, site, day)) for span in closed(hours.windows, site.day)]


def _round_up(minute: int, grid: int) -> int:
    return -(-minute // grid) * grid


def _running(mine: Sequence[Bar], now: int) -> tuple[list[Span], int]:
    """The stretches by which visits in rooms run over their time, and the minutes behind."""
    running = [Running(Span(bar.at, bar.end), bar.stop, bar.in_at) for bar in mine]
    over = [
        Span(bar.end, expected_end(each, now))
        for bar, each in zip(mine, running, strict=True)
        if bar.stop == Stop.ROOM and expected_end(each, now) > bar.end
    ]
    return over, minutes_behind(running, now)


def _why_shut(span: Span, hours: DayHours, clinic: Clinic, provider: Provider, site: Any, day: date) -> str:
    closure = clinic.closure_words(site.id, day)
    said = next((words for shut, words in hours.shut if shut.overlaps(span)), "")
    elsewhere = [name for other, name in clinic.elsewhere(provider.id, site.id, day) if other.overlaps(span)]
    if closure or said:
        return closure or said
    if elsewhere:
        return f"At {elsewhere[0]}"
    if not hours.windows:
        return "Not in"
    return f"In at {clock_words(hours.windows[0].start)}" if span.end <= hours.windows[0].start else "Closed"


def _hang_straps(lanes: list[Lane], bars: Sequence[Bar], rows: Sequence[Any], columns: Sequence[Provider]) -> None:
    """Straps in order of time, each in the column of the person who steps in."""
    place = {provider.id: number for number, provider in enumerate(columns)}
    by_visit = {bar.id: bar for bar in bars}
    for row in rows:
        host = by_visit[row.visit_id]
        if row.provider_id in place and host.provider.id in place:
            column, host_column = place[row.provider_id], place[host.provider.id]
            before = lanes[column].straps[-1] if lanes[column].straps else None
            close = before is not None and not before.close and row.start_min - before.at < CLOSE
            lanes[column].straps.append(
                Strap(
                    row.start_min,
                    row.end_min - row.start_min,
                    row.words,
                    columns[column],
                    host.provider,
                    host.name,
                    column,
                    host_column,
                    close,
                )
            )


@dataclass(slots=True)
class Job:
    """One of the next jobs: how many, what, and the words of the link that does it."""

    count: str
    words: str
    link: str
    href: str


@dataclass(slots=True)
class DeskLists:
    """Who needs the desk, in order of need; what is in the rooms; the next jobs; the day's sums in cents."""

    ready: list[Bar]
    waiting: list[Bar]
    expected: list[Bar]
    missed: list[Bar]
    jobs: list[Job]
    tally: Counter[Stop]
    rooms: list[tuple[Any, Bar | None, Bar | None]]
    taken: int
    plans: int
    worked: int


def desk_lists(connection: Connection, clinic: Clinic, view: DayView) -> DeskLists:
    """What stands below the day line. Two statements more."""
    sums = {
        row.visit_id: row
        for row in connection.execute(money.OPEN_OF_VISITS, {"site_id": view.site.id, "day": view.day})
    }
    for bar in view.bars:
        if bar.id in sums:
            row = sums[bar.id]
            bar.fee, bar.insurer, bar.due = int(row.fee_cents), int(row.insurer_cents), int(row.patient_cents)
    by_stop: dict[Stop, list[Bar]] = {}
    for bar in view.bars:
        by_stop.setdefault(bar.stop, []).append(bar)
    waiting = sorted(by_stop.get(Stop.HERE, []), key=lambda bar: -bar.since)
    expected = [bar for bar in view.bars if bar.stop in {Stop.BOOKED, Stop.CONFIRMED}]
    worked = sum(int(row.fee_cents) for row in sums.values())
    left = sum(max(0, int(row.patient_cents)) for row in sums.values())
    plans = sum(int(row.insurer_cents) for row in sums.values())
    return DeskLists(
        sorted(by_stop.get(Stop.CHECKOUT, []), key=lambda bar: -bar.since), waiting, expected, by_stop.get(Stop.MISSED, []),
        _jobs(connection, view, by_stop.get(Stop.MISSED, [])), Counter(bar.stop for bar in view.bars), _rooms(clinic, view, waiting),
        worked - plans - left, plans, worked,
    )  # fmt: skip


def _rooms(clinic: Clinic, view: DayView, waiting: Sequence[Bar]) -> list[tuple[Any, Bar | None, Bar | None]]:
    """Each room with who is in it and who waits for it."""
    inside = {bar.room_id: bar for bar in view.bars if bar.stop == Stop.ROOM}
    coming = {bar.room_id: bar for bar in reversed(waiting)}
    return [
        (room, inside.get(room.id), coming.get(room.id))
        for room in clinic.rooms.values()
        if room.site_id == view.site.id
    ]


def _jobs(connection: Connection, view: DayView, missed: Sequence[Bar]) -> list[Job]:
    counts = {row.what: row for row in connection.execute(_JOBS)}
    jobs = []
    if counts["unclear"].n:
        for row in connection.execute(_UNCLEAR):
            jobs.append(
                Job(
                    "◇",
                    f"card payment of {row.first} {row.last} is being clarified",
                    f"Look at {plain(row.cents)}",
                    f"/visits/{row.visit_id}/checkout",
                )
            )
    rest = connection.execute(money.PATIENT_REST, {"site_id": view.site.id}).all()
    jobs += [
        Job("1", f"rest of {row.first} {row.last}, {row.day:%-d %b}", f"{'Collect' if row.patient_cents > 0 else 'Give back'} {plain(int(abs(row.patient_cents)))}",
            f"/accounts/{row.patient_id}#v{row.id}")
        for row in rest[:1]
    ]  # fmt: skip
    if len(rest) > 1:
        more = "40 or more" if len(rest) == 40 else str(len(rest))
        jobs.append(Job(more.split()[0], "patients with a rest to pay", "Work through them", "/money"))
    if counts["held"].n:
        jobs.append(Job(str(counts["held"].n), "claims held back or rejected", "Mend them", "/claims?show=trouble"))
    if counts["remit"].n or counts["bad"].n:
        jobs.append(
            Job(
                str(counts["remit"].n + counts["bad"].n),
                "insurer answers need a person",
                "Decide",
                "/claims?show=answers",
            )
        )
    jobs += [
        Job("1", f"did not come, {bar.at // 60}:{bar.at % 60:02d}", f"Call {bar.name}", f"/day?visit={bar.id}")
        for bar in missed[:2]
    ]
    return jobs[:MOST_JOBS]

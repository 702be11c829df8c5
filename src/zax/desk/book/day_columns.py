"""The columns of a day: bars for visits, closed and free stretches, how far behind a provider runs, and
straps of those who step in.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime

from zax.clock import local
from zax.core.book.calendar import DayHours
from zax.core.book.hours import Span, closed
from zax.core.book.lateness import Forecast, Running, expected_end, minutes_behind
from zax.core.book.minutes import free_spans
from zax.core.book.track import EXPECTED, ON_THE_BOOK, Stop
from zax.core.clinic.places import Room, Site
from zax.core.clinic.providers import Provider
from zax.core.record.gaps import Facts, record_gaps
from zax.core.wording import clock_words
from zax.desk.book.placing import stands_outside
from zax.desk.book.web_requests import held_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.eligibility import mark_of
from zax.store.book import queries as visits
from zax.store.book.records import DayMove, DayVisit, StrapRow
from zax.store.coverage.queries import day_states
from zax.store.engine import Connection

COVER_GAP = {"problem": "coverage problem"}
LEAST_FREE = 15
STRAP_HEIGHT = 15  # minutes that a strap takes when drawn, however short it is


@dataclass(slots=True, kw_only=True)
class Bar:
    """One visit as drawn. `since`, `came_late` and `says_late` (what they told us) are minutes, `in_at` a
    minute of the day (local); `gone`: left before the checkout.

    `share` is its place among visits at the same time in one column: (which, of how many). `outside` says why
    it lies outside working hours.
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
    cover: str = ""
    share: tuple[int, int] = (0, 1)
    since: int = 0
    in_at: int | None = None
    fee: int = 0
    insurer: int = 0
    due: int = 0
    stage_id: int = 0
    gone: bool = False
    phone: str = ""
    came_late: int = 0
    says_late: int = 0
    forecast: Forecast | None = None

    @property
    def late(self) -> int:
        """Minutes after its time that the visit is expected to begin."""
        return self.forecast.late if self.forecast else 0

    @property
    def initials(self) -> str:
        return f"{self.first[:1]}. {self.last[:1]}."

    @property
    def name(self) -> str:
        return f"{self.first} {self.last}"

    @property
    def end(self) -> int:
        return self.at + self.minutes


@dataclass(slots=True, kw_only=True)
class Strap:
    """A staff slot inside somebody else's visit. `drawn_at` is the minute at which it is drawn: later than
    `at` where it would lie on the one before; `joins` where the two columns stand side by side.
    """

    visit_id: int
    at: int
    drawn_at: int
    minutes: int
    words: str
    provider: Provider
    host: Provider
    name: str
    joins: bool


@dataclass(slots=True, kw_only=True)
class DayColumn:
    """One column: a provider's day, a room's day, or one day of a provider's week. `key` names it; `under`
    stands under its title. `straps` are the slots in which its provider steps in elsewhere, `guests` those in
    which others step in here: each drawn in a lane beside the visits, so that no name is covered.
    """

    key: str
    title: str
    under: str
    day: date
    site_id: int
    provider: Provider | None
    room: Room | None
    bars: list[Bar]
    shut: list[tuple[Span, str]]
    free: list[Span]
    overrun: list[Span] = field(default_factory=list)
    behind: int = 0
    straps: list[Strap] = field(default_factory=list)
    guests: list[Strap] = field(default_factory=list)


def day_bars(connection: Connection, clinic: Clinic, now_utc: datetime, site_id: int, day: date) -> list[Bar]:
    """Every visit of the site's day as it is drawn, with how its coverage stands; three statements."""
    moves = _moves(visits.day_moves(connection, site_id, day))
    zone = clinic.sites[site_id].timezone
    covers = day_states(connection, day, site_id)
    bars = [
        make_bar(row, clinic, moves.get(row.id, {}), now_utc, zone)
        for row in visits.day_visits(connection, site_id, day)
    ]
    for bar in bars:
        found = covers.get(bar.id)
        bar.cover = mark_of(clinic, found, now_utc)
        if not bar.gap:
            bar.gap = (
                "no member ID"
                if found is not None and found.member_id == ""
                else COVER_GAP.get(bar.cover, "")
            )
    return bars


def _moves(rows: Sequence[DayMove]) -> dict[int, dict[str, datetime]]:
    """By visit, when it last came to each stop on the premises."""
    found: dict[int, dict[str, datetime]] = {}
    for row in rows:
        found.setdefault(row.visit_id, {})[row.to_stop] = row.at
    return found


def make_bar(row: DayVisit, clinic: Clinic, moves: Mapping[str, datetime], now: datetime, zone: str) -> Bar:
    missing = record_gaps(Facts(birth=row.birth, sex=row.sex, phone=row.phone, street=row.street))
    bar = Bar(
        id=row.id,
        patient_id=row.patient_id,
        first=row.first,
        last=row.last,
        at=row.start_min,
        minutes=row.minutes,
        stop=Stop(row.state),
        type_name=clinic.types[row.type_id].name,
        provider=clinic.providers[row.provider_id],
        room_id=row.room_id,
        room_name=clinic.rooms[row.room_id].name,
        gap=missing[0].words if missing else "",
        alert=row.alert,
        version=row.version,
        note=row.note,
        site_id=row.site_id,
        type_id=row.type_id,
        day=row.day,
        stage_id=row.stage_id or 0,
        gone=row.gone_at is not None,
        phone=row.phone,
    )
    if bar.stop == Stop.HELD:
        bar.held = held_words(row, zone)
    bar.says_late = row.late_min if bar.stop in EXPECTED else 0
    if bar.stop in ON_THE_BOOK:
        bar.outside = stands_outside(clinic, row)
    if bar.stop in moves:
        bar.since = max(0, int((now - moves[bar.stop]).total_seconds() // 60))
    if Stop.HERE in moves and row.day == local(moves[Stop.HERE], zone).date():
        came = local(moves[Stop.HERE], zone)
        bar.came_late = max(0, came.hour * 60 + came.minute - bar.at)
    if bar.stop == Stop.ROOM and Stop.ROOM in moves:
        began = local(moves[Stop.ROOM], zone)
        bar.in_at = began.hour * 60 + began.minute
    return bar


def provider_column(
    provider: Provider,
    bars: Sequence[Bar],
    straps: Sequence[StrapRow],
    clinic: Clinic,
    site: Site,
    day: date,
    now: int | None,
) -> DayColumn:
    mine = [bar for bar in bars if bar.provider.id == provider.id and bar.stop != Stop.CANCELED]
    windows = clinic.hours.windows(provider.id, site.id, day)
    busy = [Span(bar.at, bar.end) for bar in mine if bar.stop != Stop.MISSED]
    busy += [Span(s.start_min, s.end_min) for s in straps if s.provider_id == provider.id]
    over, behind = _running(mine, now) if now is not None else ([], 0)
    rooms = list(dict.fromkeys(bar.room_name for bar in mine)) or [clinic.rooms[provider.room_id].name]
    free = still_free(windows, busy, now, site.grid)
    return DayColumn(
        key=f"p{provider.id}",
        title=provider.name,
        under=", ".join(rooms[:2]),
        day=day,
        site_id=site.id,
        provider=provider,
        room=None,
        bars=side_by_side(mine),
        shut=shut_spans(clinic, provider, site, day),
        free=free,
        overrun=over,
        behind=behind,
    )


def still_free(windows: Sequence[Span], busy: Sequence[Span], now: int | None, grid: int) -> list[Span]:
    """What could still be sold: free stretches of LEAST_FREE minutes or more that are not over."""
    found = free_spans(windows, busy, LEAST_FREE)
    found = [gap for gap in found if now is None or gap.end > now + LEAST_FREE]
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
    """Each bar takes the first strip that is free at its start; all are as wide as the most that stand
    abreast.
    """
    ends: list[int] = []
    strips = []
    for bar in group:
        strip = next((number for number, end in enumerate(ends) if end <= bar.at), len(ends))
        ends[strip : strip + 1] = [bar.end]
        strips.append(strip)
    for bar, strip in zip(group, strips, strict=True):
        bar.share = (strip, len(ends))


def shut_spans(clinic: Clinic, provider: Provider, site: Site, day: date) -> list[tuple[Span, str]]:
    """The closed stretches of the site's day in this provider's column, each with why."""
    hours = clinic.hours.day_hours(provider.id, site.id, day)
    return [
        (span, _why_shut(span, hours, clinic, provider, site, day))
        for span in closed(hours.windows, site.day)
    ]


def _round_up(minute: int, grid: int) -> int:
    return -(-minute // grid) * grid


def _running(mine: Sequence[Bar], now: int) -> tuple[list[Span], int]:
    """The stretches by which visits in rooms run over their time, and the minutes behind."""
    running = [Running(Span(bar.at, bar.end), bar.stop, bar.in_at, bar.at + bar.came_late) for bar in mine]
    over = [
        Span(bar.end, expected_end(each, now))
        for bar, each in zip(mine, running, strict=True)
        if bar.stop == Stop.ROOM and expected_end(each, now) > bar.end
    ]
    return over, minutes_behind(running, now)


def _why_shut(span: Span, hours: DayHours, clinic: Clinic, provider: Provider, site: Site, day: date) -> str:
    closure = clinic.hours.closure_words(site.id, day)
    said = next((words for shut, words in hours.shut if shut.overlaps(span)), "")
    elsewhere = [
        name for other, name in clinic.hours.elsewhere(provider.id, site.id, day) if other.overlaps(span)
    ]
    if closure or said:
        return closure or said
    if elsewhere:
        return f"At {elsewhere[0]}"
    if not hours.windows:
        return "Out"
    return f"In at {clock_words(hours.windows[0].start)}" if span.end <= hours.windows[0].start else "Closed"


def hang_straps(
    day_columns: list[DayColumn], bars: Sequence[Bar], rows: Sequence[StrapRow], columns: Sequence[Provider]
) -> None:
    """Straps in order of time, each in the lane of the person who steps in and in that of their host, at the
    same height in both.
    """
    place = {provider.id: number for number, provider in enumerate(columns)}
    by_visit = {bar.id: bar for bar in bars}
    for row in sorted(rows, key=lambda each: (each.start_min, each.visit_id)):
        host = by_visit[row.visit_id]
        if row.provider_id not in place or host.provider.id not in place:
            continue
        column, host_column = place[row.provider_id], place[host.provider.id]
        own, guests = day_columns[column].straps, day_columns[host_column].guests
        before = [lane[-1].drawn_at + STRAP_HEIGHT for lane in (own, guests) if lane]
        strap = Strap(
            visit_id=row.visit_id,
            at=row.start_min,
            drawn_at=max([row.start_min, *before]),
            minutes=row.end_min - row.start_min,
            words=row.words,
            provider=columns[column],
            host=host.provider,
            name=host.name,
            joins=host_column == column + 1,
        )
        own.append(strap)
        guests.append(strap)

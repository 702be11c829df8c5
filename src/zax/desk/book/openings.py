"""Finding openings in the database: a request becomes needs, and days are read two weeks at a time, only as
far as the search asks.

The search itself is zax.core.book.openings; what it gets here are the working hours and busy minutes of
everybody the need could use.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta

from zax.clock import local
from zax.core.book.booking import LONGEST_VISIT
from zax.core.book.calendar import on_wall
from zax.core.book.hours import Span
from zax.core.book.minutes import STEP, bits_of, bits_within, minutes_in
from zax.core.book.openings import best_openings, feasible, soonest_opening
from zax.core.book.search_request import Helpers, Opening, SearchRequest, SiteDay
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Refused
from zax.core.patients.wishes import Wishes
from zax.desk.book.placing import days_that_meet
from zax.desk.clinic.clinic import Clinic
from zax.store.book import openings as stored
from zax.store.book.openings import Window
from zax.store.book.queries import person
from zax.store.book.records import Visit
from zax.store.engine import Connection

CHUNK = timedelta(days=14)
FARTHEST = timedelta(days=731)
_SHORTEST_DEFAULT = 30


@dataclass(frozen=True, slots=True)
class Part:
    """One visit of a request: the type, its minutes (0: as usual), and a provider (0: anybody who
    does it).
    """

    type_id: int
    minutes: int = 0
    provider_id: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What is looked for. No weekdays means every one; times are minutes of the day; `same` asks for the
    person of the last visit only.
    """

    parts: tuple[Part, ...]
    sites: tuple[int, ...]
    first: date
    last: date
    weekdays: frozenset[int] = frozenset()
    from_min: int = 0
    to_min: int = 24 * 60
    room_id: int = 0
    patient_id: int = 0
    same: bool = False
    together: bool = False
    leaving: frozenset[int] = frozenset()
    limit: int = 20


@dataclass(frozen=True, slots=True)
class _About:
    """The patient looked for: wishes, household by id, and the last person by role."""

    wishes: Wishes = Wishes()
    family: dict[int, str] | None = None
    id: int = 0


def find_openings(connection: Connection, clinic: Clinic, now: datetime, request: Request) -> list[Opening]:
    """The best openings, best first. `now` is UTC. Refused, beside its field, for a request that cannot be
    searched.
    """
    needs = needs_of(connection, clinic, request)
    first = max(request.first, min(local(now, clinic.sites[site].timezone).date() for site in request.sites))
    if request.last < first:
        raise Refused("The last day is before the first. Choose a later one.", "until")
    if request.last - first > FARTHEST:
        raise Refused("You can search up to two years ahead.", "until")
    about = _about(connection, request)
    days = site_days(
        connection, clinic, now, replace(request, first=first), needs, about.family or {}, about.id
    )
    return best_openings(needs, days, first, request.limit, request.together)


def soonest(connection: Connection, clinic: Clinic, now: datetime, request: Request) -> Opening | None:
    """The first time that works for a request of one visit, however well it suits. `now` is UTC."""
    needs = needs_of(connection, clinic, request)
    days = site_days(connection, clinic, now, request, needs, {}, request.patient_id)
    return soonest_opening(needs[0], days)


def _about(connection: Connection, request: Request) -> _About:
    if not request.patient_id:
        return _About()
    found = person(connection, request.patient_id)
    family = stored.family_of(connection, request.patient_id)
    family.pop(request.patient_id, None)
    return _About(Wishes(found.likes, found.never) if found else Wishes(), family, request.patient_id)


def needs_of(connection: Connection, clinic: Clinic, request: Request) -> list[SearchRequest]:
    """The request's visits as the search wants them."""
    if not request.parts:
        raise Refused("Choose what the visit is for.", "type")
    wishes = _about(connection, request).wishes
    return [_need(connection, clinic, request, part, wishes) for part in request.parts]


def _need(
    connection: Connection, clinic: Clinic, request: Request, part: Part, wishes: Wishes
) -> SearchRequest:
    kind = clinic.types.get(part.type_id)
    if kind is None or not kind.active:
        raise Refused("Choose what the visit is for.", "type")
    minutes = part.minutes or kind.minutes
    if not 0 < minutes <= LONGEST_VISIT:
        raise Refused(f"A visit takes up to {LONGEST_VISIT // 60} hours.", "minutes")
    last = stored.last_with(connection, request.patient_id, kind.role) if request.patient_id else None
    leads = [p.id for site in request.sites for p in clinic.hours.leads(kind, site)]
    if part.provider_id:
        leads = [number for number in leads if number == part.provider_id]
    elif request.same and last:
        leads = [number for number in leads if number == last]
    if not leads:
        raise Refused(
            f"No one here does “{kind.name}” with these choices. Try another provider or site.", "who"
        )
    rooms = [
        room.id
        for site in request.sites
        for room in clinic.rooms_for(kind, site)
        if request.room_id in {0, room.id}
    ]
    if not rooms:
        raise Refused(f"This room is not equipped for “{kind.name}”. Choose another or any.", "room")
    return SearchRequest(
        minutes=minutes,
        leads=tuple(dict.fromkeys(leads)),
        rooms=tuple(rooms),
        type_id=kind.id,
        home_rooms={p.id: p.room_id for p in clinic.providers.values()},
        helpers=_helpers(clinic, kind, request.sites),
        lead_parts=kind.lead_parts,
        buffer=kind.buffer,
        hours=_hours(request, kind),
        shortest=shortest_of(clinic, kind.role),
        goal=kind.goal,
        most=kind.most,
        wishes=wishes,
        last_person=int(last or 0),
    )


def _hours(request: Request, kind: VisitType) -> tuple[int, ...]:
    """By weekday, the minutes in which the visit must lie: the times asked for, within the type's
    own hours.
    """
    asked = bits_within([Span(request.from_min, request.to_min)])
    if not kind.hours:
        return (asked,) * 7
    return tuple(
        asked & bits_within(span for days, span in kind.hours if weekday in days) for weekday in range(7)
    )


def _helpers(clinic: Clinic, kind: VisitType, sites: Sequence[int]) -> tuple[Helpers, ...]:
    """Who ever works at one of the sites: nobody else's minutes need be read."""
    there = {p.id: p for site in sites for p in clinic.hours.team(site)}
    return tuple(
        Helpers(
            tuple(p.id for p in clinic.providers.values() if p.id in there and p.role == need.role),
            need.minutes,
            need.offsets,
            need.words,
            need.same_as,
        )
        for need in kind.needs
    )


def shortest_of(clinic: Clinic, role: str) -> int:
    """The shortest visit that can still be sold to somebody of the role."""
    return min(
        (kind.minutes for kind in clinic.types.values() if kind.role == role and kind.active),
        default=_SHORTEST_DEFAULT,
    )


def site_days(
    connection: Connection,
    clinic: Clinic,
    now: datetime,
    request: Request,
    needs: Sequence[SearchRequest],
    family: dict[int, str],
    patient_id: int = 0,
) -> Iterator[SiteDay]:
    """Every day and site of the request in order of date, read as it is asked for."""
    people = sorted(
        {p for need in needs for p in (*need.leads, *(h for helper in need.helpers for h in helper.people))}
    )
    start = request.first
    while start <= request.last:
        end = min(request.last, start + CHUNK - timedelta(days=1))
        yield from _chunk(
            connection,
            clinic,
            now,
            replace(request, first=start, last=end),
            needs,
            people,
            family,
            patient_id,
        )
        start = end + timedelta(days=1)


def _chunk(
    connection: Connection,
    clinic: Clinic,
    now: datetime,
    request: Request,
    needs: Sequence[SearchRequest],
    people: Sequence[int],
    family: dict[int, str],
    patient_id: int,
) -> Iterator[SiteDay]:
    busy = _busy_people(connection, clinic, request, people)
    at = _at_sites(connection, request, needs, family, patient_id)
    for number in range((request.last - request.first).days + 1):
        day = request.first + timedelta(days=number)
        if request.weekdays and day.weekday() not in request.weekdays:
            continue
        for site_id in request.sites:
            site = clinic.sites[site_id]
            open_bits = {p: clinic.hours.open_bits(p, site_id, day) for p in people}
            if not any(open_bits[p] for need in needs for p in need.leads):
                continue
            wall = local(now, site.timezone)
            if day < wall.date():
                continue
            earliest = (
                -(-(wall.hour * 60 + wall.minute) // site.grid) * site.grid if day == wall.date() else 0
            )
            yield SiteDay(
                day=day,
                site_id=site_id,
                grid=site.grid,
                open=open_bits,
                busy=busy.get((site_id, day), {}),
                rooms={
                    room.id: at.rooms.get((room.id, day), 0)
                    for room in clinic.rooms.values()
                    if room.site_id == site_id and room.active
                },
                counts=at.counts.get((site_id, day), {}),
                household=tuple(at.together.get((site_id, day), ())),
                own=at.own.get((site_id, day), 0),
                earliest=earliest,
            )


def _window(request: Request, margin: timedelta = timedelta()) -> Window:
    return Window(request.first - margin, request.last + margin, request.leaving)


def _bits(spans: str) -> int:
    """'480 510 600 660' as bits of minutes."""
    numbers = [int(part) for part in spans.split()]
    found = 0
    for start, end in zip(numbers[::2], numbers[1::2], strict=True):
        found |= (1 << -(-end // STEP)) - (1 << start // STEP)
    return found


def _busy_people(
    connection: Connection, clinic: Clinic, request: Request, people: Sequence[int]
) -> dict[tuple[int, date], dict[int, int]]:
    """Busy bits by site and day, then person; every visit anywhere counts, on the clock of the site asked
    about.
    """
    zones = {site.id: site.timezone for site in clinic.sites.values()}
    one_zone = len(set(zones.values())) == 1
    found: dict[tuple[int, date], dict[int, int]] = defaultdict(dict)
    window = _window(request, timedelta(days=0 if one_zone else 1))
    for row in stored.person_spans(connection, window, people):
        who, day, there, spans = row.provider_id, row.day, row.site_id, row.spans
        bits = _bits(spans)
        for site_id in request.sites:
            if zones[there] == zones[site_id]:
                of_day = found[site_id, day]
                of_day[who] = of_day.get(who, 0) | bits
                continue
            for other in days_that_meet(clinic, site_id, day):
                moved = [on_wall(day, span, zones[there], other, zones[site_id]) for span in _spans(spans)]
                of_day = found[site_id, other]
                of_day[who] = of_day.get(who, 0) | bits_of(span for span in moved if span)
    return found


def _spans(spans: str) -> list[Span]:
    numbers = [int(part) for part in spans.split()]
    return [Span(start, end) for start, end in zip(numbers[::2], numbers[1::2], strict=True)]


@dataclass(slots=True)
class _AtSites:
    """Busy bits by room and day; counts by site and day where a need has a limit or goal; the household's
    visits; the patient's own minutes.
    """

    rooms: dict[tuple[int, date], int]
    counts: dict[tuple[int, date], dict[int, int]] = field(default_factory=lambda: defaultdict(dict))
    together: dict[tuple[int, date], list[tuple[Span, str]]] = field(
        default_factory=lambda: defaultdict(list)
    )
    own: dict[tuple[int, date], int] = field(default_factory=lambda: defaultdict(int))


def _at_sites(
    connection: Connection,
    request: Request,
    needs: Sequence[SearchRequest],
    family: dict[int, str],
    patient_id: int,
) -> _AtSites:
    window = _window(request)
    rows = stored.room_spans(connection, window, request.sites)
    found = _AtSites({(row.room_id, row.day): _bits(row.spans) for row in rows})
    limited = [need.type_id for need in needs if need.goal or need.most]
    if limited:
        for each in stored.type_counts(connection, window, request.sites, limited):
            found.counts[each.site_id, each.day][each.type_id] = each.n
    people = [*family, patient_id] if patient_id else []
    for theirs in stored.visits_of_people(connection, window, people) if people else ():
        span = Span(theirs.start_min, theirs.start_min + theirs.minutes)
        if theirs.patient_id == patient_id:
            found.own[theirs.site_id, theirs.day] |= bits_of([span])
        else:
            found.together[theirs.site_id, theirs.day].append((span, family[theirs.patient_id]))
    return found


@dataclass(frozen=True, slots=True)
class Target:
    """A column into which a visit could be put: `room_id` 0 means any room."""

    key: str
    site_id: int
    day: date
    provider_id: int
    room_id: int = 0


def places_for(
    connection: Connection, clinic: Clinic, now: datetime, targets: Sequence[Target], moving: Visit
) -> dict[str, tuple[str, list[int]]]:
    """For a visit in hand: by column, why it cannot take the visit at all (empty: it can), and every minute
    at which it may begin.
    """
    kind = clinic.types[moving.type_id]
    found: dict[str, tuple[str, list[int]]] = {}
    read: dict[tuple[int, date], tuple[list[SearchRequest], SiteDay | None]] = {}
    for target in targets:
        if clinic.providers[target.provider_id].role != kind.role:
            found[target.key] = (f"does not do {kind.name.lower()}", [])
            continue
        room = clinic.rooms.get(target.room_id)
        if room is not None and not kind.may_use(room):
            found[target.key] = (f"not equipped for {kind.name.lower()}", [])
            continue
        where = (target.site_id, target.day)
        if where not in read:
            read[where] = _site_day_for(connection, clinic, now, target, moving)
        needs, site_day = read[where]
        if site_day is None or not site_day.open.get(target.provider_id):
            found[target.key] = ("not in", [])
            continue
        need = replace(needs[0], rooms=(room.id,)) if room is not None else needs[0]
        begins = list(minutes_in(feasible(need, site_day, target.provider_id)))
        found[target.key] = ("" if begins else "no time left", begins)
    return found


def _site_day_for(
    connection: Connection, clinic: Clinic, now: datetime, target: Target, moving: Visit
) -> tuple[list[SearchRequest], SiteDay | None]:
    request = Request(
        parts=(Part(moving.type_id, moving.minutes),),
        sites=(target.site_id,),
        first=target.day,
        last=target.day,
        leaving=frozenset({moving.id}),
        patient_id=moving.patient_id,
    )
    try:
        needs = needs_of(connection, clinic, request)
    except Refused:
        return [], None
    return needs, next(site_days(connection, clinic, now, request, needs, {}, moving.patient_id), None)

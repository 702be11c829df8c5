"""Finding openings in the database: a request becomes needs, and days are read two weeks at a time, only as far as the search asks.

The search itself is zax.core.book.openings; what it gets here are the working hours and busy minutes of everybody the need could use.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any

from sqlalchemy import Connection, bindparam, select, text

from zax.clock import local
from zax.core.book.booking import LONGEST_VISIT
from zax.core.book.calendar import on_wall
from zax.core.book.hours import Span
from zax.core.book.minutes import STEP, bits_of, minutes_in
from zax.core.book.openings import best_openings, feasible
from zax.core.book.search_request import Helpers, Opening, SearchRequest, SiteDay
from zax.core.book.track import FREES_THE_TIME
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Refused
from zax.core.patients.wishes import Wishes
from zax.desk.book.placing import days_that_meet
from zax.desk.clinic.clinic import Clinic
from zax.store.schema import patient

CHUNK = timedelta(days=14)
FARTHEST = timedelta(days=731)
# A row a person, site and day: its spans as 'start end start end ...', so that a month of a large clinic is a few hundred rows.
_SLOTS = text(
    "SELECT s.provider_id, s.day, v.site_id, GROUP_CONCAT(s.start_min, ' ', s.end_min SEPARATOR ' ') AS spans FROM staff_slot s "
    "JOIN visit v ON v.id = s.visit_id WHERE s.provider_id IN :people AND s.day BETWEEN :first AND :last AND v.state NOT IN :frees AND v.id NOT IN :leaving "
    "GROUP BY s.provider_id, s.day, v.site_id"
).bindparams(
    bindparam("people", expanding=True), bindparam("frees", expanding=True), bindparam("leaving", expanding=True)
)
_ROOMS = text(
    "SELECT room_id, day, GROUP_CONCAT(start_min, ' ', start_min + minutes + buffer_min SEPARATOR ' ') AS spans FROM visit "
    "WHERE site_id IN :sites AND day BETWEEN :first AND :last AND state NOT IN :frees AND id NOT IN :leaving GROUP BY room_id, day"
).bindparams(
    bindparam("sites", expanding=True), bindparam("frees", expanding=True), bindparam("leaving", expanding=True)
)
_COUNTS = text(
    "SELECT day, site_id, type_id, COUNT(*) AS n FROM visit WHERE site_id IN :sites AND day BETWEEN :first AND :last AND state NOT IN :frees "
    "AND id NOT IN :leaving AND type_id IN :types GROUP BY day, site_id, type_id"
).bindparams(*(bindparam(name, expanding=True) for name in ("sites", "frees", "leaving", "types")))
_OF_PEOPLE = text(
    "SELECT day, site_id, patient_id, start_min, minutes FROM visit WHERE patient_id IN :patients AND day BETWEEN :first AND :last "
    "AND state NOT IN :frees AND id NOT IN :leaving"
).bindparams(*(bindparam(name, expanding=True) for name in ("patients", "frees", "leaving")))
_FAMILY = text(
    "SELECT o.id, o.first FROM patient p JOIN patient o ON o.household_id = p.household_id WHERE p.id = :patient_id AND o.status = 'active'"
)
_LAST_WITH = text(
    "SELECT v.provider_id FROM visit v JOIN visit_type t ON t.id = v.type_id WHERE v.patient_id = :patient_id AND t.role = :role "
    "AND v.state IN ('left', 'settled', 'checkout', 'room') ORDER BY v.day DESC, v.start_min DESC LIMIT 1"
)
_SHORTEST_DEFAULT = 30


@dataclass(frozen=True, slots=True)
class Part:
    """One visit of a request: the type, its minutes (0: as usual), and a provider (0: anybody who does it)."""

    type_id: int
    minutes: int = 0
    provider_id: int = 0


@dataclass(frozen=True, slots=True)
class Request:
    """What is looked for. No weekdays means every one; times are minutes of the day; `same` asks for the person of the last visit only."""

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
    """The best openings, best first. `now` is UTC. Refused, beside its field, for a request that cannot be searched."""
    needs = needs_of(connection, clinic, request)
    first = max(request.first, min(local(now, clinic.sites[site].timezone).date() for site in request.sites))
    if request.last < first:
        raise Refused("The last day is before the first. Choose a later one.", "until")
    if request.last - first > FARTHEST:
        raise Refused("Openings are looked for up to two years ahead.", "until")
    about = _about(connection, request)
    days = site_days(connection, clinic, now, replace(request, first=first), needs, about.family or {}, about.id)
    return best_openings(needs, days, first, request.limit, request.together)


def _about(connection: Connection, request: Request) -> _About:
    if not request.patient_id:
        return _About()
    row = connection.execute(
        select(patient.c.likes, patient.c.never).where(patient.c.id == request.patient_id)
    ).first()
    family = {
        r.id: r.first
        for r in connection.execute(_FAMILY, {"patient_id": request.patient_id})
        if r.id != request.patient_id
    }
    return _About(Wishes(row.likes, row.never) if row else Wishes(), family, request.patient_id)


def needs_of(connection: Connection, clinic: Clinic, request: Request) -> list[SearchRequest]:
    """The request's visits as the search wants them."""
    if not request.parts:
        raise Refused("Choose what the visit is for.", "type")
    wishes = _about(connection, request).wishes
    return [_need(connection, clinic, request, part, wishes) for part in request.parts]


def _need(connection: Connection, clinic: Clinic, request: Request, part: Part, wishes: Wishes) -> SearchRequest:
    kind = clinic.types.get(part.type_id)
    if kind is None or not kind.active:
        raise Refused("Choose what the visit is for.", "type")
    minutes = part.minutes or kind.minutes
    if not 0 < minutes <= LONGEST_VISIT:
        raise Refused(f"A visit takes up to {LONGEST_VISIT // 60} hours.", "minutes")
    last = (
        connection.execute(_LAST_WITH, {"patient_id": request.patient_id, "role": kind.role}).scalar()
        if request.patient_id
        else None
    )
    leads = [p.id for site in request.sites for p in clinic.hours.leads(kind, site)]
    if part.provider_id:
        leads = [number for number in leads if number == part.provider_id]
    elif request.same and last:
        leads = [number for number in leads if number == last]
    if not leads:
        raise Refused(f"Nobody here does “{kind.name}” with this choice of person and site. Widen it.", "who")
    rooms = [
        room.id for site in request.sites for room in clinic.rooms_for(kind, site) if request.room_id in {0, room.id}
    ]
    if not rooms:
        raise Refused(f"This room is not equipped for “{kind.name}”. Choose another or any.", "room")
    return SearchRequest(
        minutes, tuple(dict.fromkeys(leads)), tuple(rooms), kind.id, {p.id: p.room_id for p in clinic.providers.values()}, _helpers(clinic, kind),
        kind.lead_parts, kind.buffer, _hours(request, kind), shortest_of(clinic, kind.role), kind.goal, kind.most, wishes, int(last or 0),
    )  # fmt: skip


def _hours(request: Request, kind: VisitType) -> tuple[int, ...]:
    """By weekday, the minutes in which the visit must lie: the times asked for, within the type's own hours."""
    asked = bits_of([Span(request.from_min, request.to_min)])
    if not kind.hours:
        return (asked,) * 7
    return tuple(asked & bits_of(span for days, span in kind.hours if weekday in days) for weekday in range(7))


def _helpers(clinic: Clinic, kind: VisitType) -> tuple[Helpers, ...]:
    return tuple(
        Helpers(
            tuple(p.id for p in clinic.providers.values() if p.role == need.role),
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
            connection, clinic, now, replace(request, first=start, last=end), needs, people, family, patient_id
        )
        start = end + timedelta(days=1)


def _chunk(
    connection: Connection, clinic: Clinic, now: datetime, request: Request, needs: Sequence[SearchRequest], people: Sequence[int], family: dict[int, str], patient_id: int,
) -> Iterator[SiteDay]:  # fmt: skip
    busy = _busy_people(connection, clinic, request, people)
    rooms, counts, together, own = _at_sites(connection, request, needs, family, patient_id)
    for number in range((request.last - request.first).days + 1):
        day = request.first + timedelta(days=number)
        if request.weekdays and day.weekday() not in request.weekdays:
            continue
        for site_id in request.sites:
            site = clinic.sites[site_id]
            open_bits = {p: bits_of(clinic.hours.windows(p, site_id, day)) for p in people}
            if not any(open_bits[p] for need in needs for p in need.leads):
                continue
            wall = local(now, site.timezone)
            if day < wall.date():
                continue
            earliest = -(-(wall.hour * 60 + wall.minute) // site.grid) * site.grid if day == wall.date() else 0
            yield SiteDay(
                day, site_id, site.grid, open_bits, busy.get((site_id, day), {}),
                {room.id: rooms.get((room.id, day), 0) for room in clinic.rooms.values() if room.site_id == site_id and room.active},
                counts.get((site_id, day), {}), tuple(together.get((site_id, day), ())), own.get((site_id, day), 0), earliest,
            )  # fmt: skip


def _window(request: Request, margin: timedelta = timedelta()) -> dict[str, Any]:
    """What all reads of a stretch of days ask with; no visit has the number 0."""
    return {
        "first": request.first - margin,
        "last": request.last + margin,
        "frees": list(FREES_THE_TIME),
        "leaving": list(request.leaving) or [0],
    }


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
    """Busy bits by site and day, then person; every visit anywhere counts, on the clock of the site asked about."""
    zones = {site.id: site.timezone for site in clinic.sites.values()}
    one_zone = len(set(zones.values())) == 1
    found: dict[tuple[int, date], dict[int, int]] = defaultdict(dict)
    for person, day, there, spans in connection.execute(
        _SLOTS, {"people": people} | _window(request, timedelta(days=0 if one_zone else 1))
    ):
        bits = _bits(spans)
        for site_id in request.sites:
            if zones[there] == zones[site_id]:
                of_day = found[site_id, day]
                of_day[person] = of_day.get(person, 0) | bits
                continue
            for other in days_that_meet(clinic, site_id, day):
                moved = [on_wall(day, span, zones[there], other, zones[site_id]) for span in _spans(spans)]
                of_day = found[site_id, other]
                of_day[person] = of_day.get(person, 0) | bits_of(span for span in moved if span)
    return found


def _spans(spans: str) -> list[Span]:
    numbers = [int(part) for part in spans.split()]
    return [Span(start, end) for start, end in zip(numbers[::2], numbers[1::2], strict=True)]


def _at_sites(
    connection: Connection, request: Request, needs: Sequence[SearchRequest], family: dict[int, str], patient_id: int
) -> tuple[Any, Any, Any, Any]:
    """Busy bits by room and day; counts by site and day where a need has a limit or goal; the household's visits and the patient's own minutes."""
    window, counts = _window(request), defaultdict(dict)  # type: ignore[var-annotated]
    rooms = {
        (room, day): _bits(spans)
        for room, day, spans in connection.execute(_ROOMS, {"sites": request.sites} | window)
    }
    limited = [need.type_id for need in needs if need.goal or need.most]
    if limited:
        for day, site_id, type_id, number in connection.execute(
            _COUNTS, {"sites": request.sites, "types": limited} | window
        ):
            counts[site_id, day][type_id] = number
    together: dict[tuple[int, date], list[tuple[Span, str]]] = defaultdict(list)
    own: dict[tuple[int, date], int] = defaultdict(int)
    people = [*family, patient_id] if patient_id else []
    for day, site_id, whom, start, minutes in (
        connection.execute(_OF_PEOPLE, {"patients": people} | window) if people else ()
    ):
        if whom == patient_id:
            own[site_id, day] |= bits_of([Span(start, start + minutes)])
        else:
            together[site_id, day].append((Span(start, start + minutes), family[whom]))
    return rooms, counts, together, own


@dataclass(frozen=True, slots=True)
class Target:
    """A column into which a visit could be put: `room_id` 0 means any room."""

    key: str
    site_id: int
    day: date
    provider_id: int
    room_id: int = 0


def places_for(
    connection: Connection, clinic: Clinic, now: datetime, targets: Sequence[Target], moving: Any
) -> dict[str, tuple[str, list[int]]]:
    """For a visit in hand: by column, why it cannot take the visit at all (empty: it can), and every minute at which it may begin."""
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
    connection: Connection, clinic: Clinic, now: datetime, target: Target, moving: Any
) -> tuple[list[SearchRequest], SiteDay | None]:
    request = Request(
        (Part(moving.type_id, moving.minutes),),
        (target.site_id,),
        target.day,
        target.day,
        leaving=frozenset({moving.id}),
        patient_id=moving.patient_id,
    )
    try:
        needs = needs_of(connection, clinic, request)
    except Refused:
        return [], None
    return needs, next(site_days(connection, clinic, now, request, needs, {}, moving.patient_id), None)

"""Where a visit may stand, asked of the database: who and what it could use, locked and read, and handed to
core.book.booking.

Everything that puts a visit on the Book goes through `find_place`, so there is one way in which a time is
taken.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from zax.core.book.booking import Column, Placed, Taken, Want, nearest_fit, place
from zax.core.book.calendar import on_wall
from zax.core.book.hours import Span
from zax.core.book.track import FREES_THE_TIME
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Conflict, NotFound, Refused, ZaxError
from zax.core.wording import clock_span, clock_words
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.book import queries as visits
from zax.store.book.records import DayVisit, StaffSlotRow, Visit, VisitPlace
from zax.store.engine import Connection


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A place on the Book as asked for. `room_id` is the room wished for; `leaving` the visits that make room
    for it.
    """

    site_id: int
    day: date
    span: Span
    provider: Provider
    kind: VisitType
    room_id: int = 0
    leaving: frozenset[int] = frozenset()


def provider_of(clinic: Clinic, provider_id: int) -> Provider:
    provider = clinic.providers.get(provider_id)
    if provider is None:
        raise NotFound("There is no such provider.")
    return provider


def lock_spots(tx: Transaction, spots: Sequence[Spot]) -> None:
    """Take the day rows of everybody and every room that the spots could use."""
    for spot in spots:
        tx.at_site(spot.site_id)
    people, rooms = set(), set()
    for spot in spots:
        team = [spot.provider, *_helpers(tx.clinic, spot)]
        people |= {
            (person.id, day) for person in team for day in days_that_meet(tx.clinic, spot.site_id, spot.day)
        }
        rooms |= {(room.id, spot.day) for room in tx.clinic.rooms_for(spot.kind, spot.site_id)}
    visits.lock_days(tx.connection, people, rooms)


def days_that_meet(clinic: Clinic, site_id: int, day: date) -> list[date]:
    """The dates of other sites that overlap this site's date: the same one, and its neighbors where the
    zones differ.
    """
    zone = clinic.sites[site_id].timezone
    if all(site.timezone == zone for site in clinic.sites.values()):
        return [day]
    return [day - timedelta(days=1), day, day + timedelta(days=1)]


def _helpers(clinic: Clinic, spot: Spot) -> list[Provider]:
    roles = {need.role for need in spot.kind.needs}
    return [p for p in clinic.providers.values() if p.role in roles and p.id != spot.provider.id]


def want_for(connection: Connection, clinic: Clinic, spot: Spot) -> Want:
    """The spot with everybody's and every room's day as it stands now."""
    helpers = _helpers(clinic, spot)
    taken = people_taken(connection, clinic, [spot.provider, *helpers], spot.site_id, spot.day, spot.leaving)
    columns = {p.id: _column(clinic, p, spot, taken[p.id]) for p in (spot.provider, *helpers)}
    roles = {need.role: [columns[p.id] for p in helpers if p.role == need.role] for need in spot.kind.needs}
    kind = spot.kind
    return Want(
        span=spot.span,
        lead=columns[spot.provider.id],
        rooms=_rooms(connection, clinic, spot),
        needs=kind.needs,
        people=roles,
        lead_parts=kind.lead_parts,
        buffer=kind.buffer,
        doubles=kind.doubles,
    )


def _column(clinic: Clinic, provider: Provider, spot: Spot, taken: Sequence[Taken]) -> Column:
    windows = clinic.hours.windows(provider.id, spot.site_id, spot.day)
    return Column(provider.id, provider.name, windows, tuple(taken), provider.at_once)


def people_taken(
    connection: Connection,
    clinic: Clinic,
    people: Sequence[Provider],
    site_id: int,
    day: date,
    leaving: Collection[int] = (),
) -> dict[int, list[Taken]]:
    """By person, what they have on the site's date and clock, at whichever site it is."""
    zone = clinic.sites[site_id].timezone
    taken: dict[int, list[Taken]] = {person.id: [] for person in people}
    for row in visits.busy_people(connection, taken, days_that_meet(clinic, site_id, day)):
        span = on_wall(
            row.day, Span(row.start_min, row.end_min), clinic.sites[row.site_id].timezone, day, zone
        )
        if span and row.visit_id not in leaving:
            taken[row.provider_id].append(
                Taken(span, f"{row.first} {row.last}", clinic.types[row.type_id].doubles)
            )
    return taken


def _rooms(connection: Connection, clinic: Clinic, spot: Spot) -> list[Column]:
    """The rooms the visit may use, the wished one first, then the provider's own."""
    rooms = clinic.rooms_for(spot.kind, spot.site_id, spot.provider.room_id)
    rooms.sort(key=lambda room: room.id != spot.room_id)
    taken: dict[int, list[Taken]] = {room.id: [] for room in rooms}
    for row in visits.busy_rooms(connection, spot.site_id, spot.day):
        if row.room_id in taken and row.id not in spot.leaving:
            taken[row.room_id].append(
                Taken(Span(row.start_min, row.start_min + row.minutes), f"{row.first} {row.last}")
            )
    return [Column(room.id, room.name, (), tuple(taken[room.id])) for room in rooms]


def find_place(tx: Transaction, spot: Spot) -> Placed:
    """The staff and room the visit takes there; call after `lock_spots`. A refusal names who is in the way
    and the nearest fit.
    """
    clinic, site = tx.clinic, tx.clinic.sites[spot.site_id]
    check_type_day(tx.connection, clinic, spot)
    if not clinic.hours.windows(spot.provider.id, spot.site_id, spot.day):
        raise Refused(_not_in(clinic, spot), "at")
    want = want_for(tx.connection, clinic, spot)
    if spot.room_id and spot.room_id not in {room.id for room in want.rooms}:
        raise Refused(
            f"{clinic.rooms[spot.room_id].name} is not equipped for “{spot.kind.name}”. Choose another room.",
            "at",
        )
    try:
        return place(want)
    except (Conflict, Refused) as error:
        now = tx.local_now(site.id)
        earliest = now.hour * 60 + now.minute if spot.day == now.date() else 0
        near = nearest_fit([want], site.grid, earliest, lambda span: spot.kind.allows(spot.day, span))
        hint = (
            f" Nearest free: {clock_words(near.span.start)}."
            if near
            else " Nothing that long is open that day."
        )
        raise type(error)(error.message + hint, "at") from error


def _not_in(clinic: Clinic, spot: Spot) -> str:
    site = clinic.sites[spot.site_id]
    closed = clinic.hours.closure_words(spot.site_id, spot.day)
    if closed:
        return f"The clinic is closed that day: {closed}."
    shut = clinic.hours.day_hours(spot.provider.id, spot.site_id, spot.day).shut
    away = f": {shut[-1][1]}" if shut else ""
    return f"{spot.provider.name} does not work at {site.name} that day{away}."


def check_type_day(connection: Connection, clinic: Clinic, spot: Spot) -> None:
    """The type's own limits: its hours, and how many a day."""
    kind = spot.kind
    if not kind.allows(spot.day, spot.span):
        windows = ", ".join(
            clock_span(w.start, w.end) for days, w in kind.hours if spot.day.weekday() in days
        )
        raise Refused(
            f"“{kind.name}” is booked {windows or 'on other weekdays'} only. Choose such a time.", "at"
        )
    if kind.most:
        there = visits.visits_of_type(connection, spot.site_id, spot.day, kind.id)
        if len(there - spot.leaving) >= kind.most:
            raise Conflict(
                f"There are already {kind.most} visits “{kind.name}” that day, the most the clinic allows.",
                "at",
            )


def nearest_anywhere(
    connection: Connection, clinic: Clinic, spot: Spot, earliest: int
) -> tuple[Provider, Span] | None:
    """The nearest fit on the day with this provider or another who does the type: for a visit that is
    carried.
    """
    leads = sorted(clinic.hours.leads(spot.kind, spot.site_id), key=lambda p: p.id != spot.provider.id)
    wants = [want_for(connection, clinic, replace(spot, provider=lead)) for lead in leads]
    found = nearest_fit(
        wants, clinic.sites[spot.site_id].grid, earliest, lambda span: spot.kind.allows(spot.day, span)
    )
    return (clinic.providers[found.lead.id], found.span) if found else None


def stands_outside(clinic: Clinic, visit: DayVisit) -> str:
    """Why a booked visit lies outside its provider's hours as they are now; empty when it does not."""
    hours = clinic.hours.day_hours(visit.provider_id, visit.site_id, visit.day)
    span = Span(visit.start_min, visit.start_min + visit.minutes)
    if any(span.within(window) for window in hours.windows):
        return ""
    return next((words for shut, words in hours.shut if shut.overlaps(span)), "outside working hours")


def why_not_there(connection: Connection, clinic: Clinic, spot: Spot) -> str:
    """Why the spot couldn't be taken now, without locking; empty where it could."""
    try:
        check_type_day(connection, clinic, spot)
        place(want_for(connection, clinic, spot))
    except ZaxError as error:
        return error.message
    return ""


def trial(
    connection: Connection, clinic: Clinic, spot: Spot, earliest: int
) -> tuple[str, tuple[Provider, Span] | None]:
    """Whether the spot could be taken now, without locking: why not (empty: it could), and the nearest fit
    instead.
    """
    why_not = why_not_there(connection, clinic, spot)
    if why_not:
        return why_not, nearest_anywhere(connection, clinic, spot, earliest)
    if spot.span.start < earliest:
        return f"{clock_words(spot.span.start)} has passed.", nearest_anywhere(
            connection, clinic, spot, earliest
        )
    return "", None


def check_still_free(
    tx: Transaction, who: Visit, where: VisitPlace, slots: Sequence[StaffSlotRow], leaving: Collection[int]
) -> None:
    """Whether a visit can stand again where it stood, with the staff slots it had.

    Conflict, naming who has the time now, when it cannot. A place that takes no time (canceled, on the
    shelf) is always free.
    """
    if where.state in FREES_THE_TIME:
        return
    kind = tx.clinic.types[where.type_id]
    team = [tx.clinic.providers[number] for number in {slot.provider_id for slot in slots}]
    taken = people_taken(tx.connection, tx.clinic, team, where.site_id, where.day, leaving)
    back = f"so {who.first} {who.last} can’t go back there"
    for slot in slots:
        provider = tx.clinic.providers[slot.provider_id]
        column = Column(provider.id, provider.name, (), tuple(taken[provider.id]), provider.at_once)
        other = column.in_the_way(Span(slot.start_min, slot.end_min), kind.doubles)
        if other:
            raise Conflict(f"{provider.name} now has {other.who} at {clock_words(other.span.start)}, {back}.")
    whole = Span(where.start_min, where.start_min + where.minutes + where.buffer_min)
    for row in visits.busy_rooms(tx.connection, where.site_id, where.day):
        held = Span(row.start_min, row.start_min + row.minutes)
        if row.room_id == where.room_id and row.id not in leaving and held.overlaps(whole):
            raise Conflict(
                f"{tx.clinic.rooms[row.room_id].name} now has {row.first} {row.last} at"
                f" {clock_words(row.start_min)}, {back}."
            )

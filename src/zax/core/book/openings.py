"""Openings: for a need, the best free times with the reasons why each is good.

Days are searched in order of date as sets of minutes (zax.core.book.minutes). A day is left out as soon as
nothing on it could still be among the best, so a year costs hardly more than a month. What a time is worth
says zax.core.book.scoring. Openings never double-book. Units: minutes of the day (local).
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache

from zax.core.book.booking import StaffSlot, lead_spans
from zax.core.book.hours import Span
from zax.core.book.minutes import WHOLE_DAY, bits_of, minutes_in, on_grid, starts
from zax.core.book.scoring import POINTS, reasons_for
from zax.core.book.search_request import Helpers, Opening, SearchRequest, SiteDay

ROUND = 30
BEST_OF_A_DAY = 2
LONGEST_WAIT = 30
_FIT_MOST = POINTS["exact"]


@dataclass(frozen=True, slots=True)
class _Used:
    """Time that earlier visits of the same chain take, as bits by person and room."""

    people: Mapping[int, int] = field(default_factory=dict)
    rooms: Mapping[int, int] = field(default_factory=dict)

    def plus(self, visit: Opening, buffer: int) -> _Used:
        people = dict(self.people)
        for slot in visit.staff:
            people[slot.provider_id] = people.get(slot.provider_id, 0) | bits_of([slot.span])
        rooms = dict(self.rooms)
        rooms[visit.room] = rooms.get(visit.room, 0) | bits_of(
            [Span(visit.start, visit.start + visit.minutes + buffer)]
        )
        return _Used(people, rooms)


_NOTHING = _Used()


def best_openings(
    needs: Sequence[SearchRequest],
    days: Iterable[SiteDay],
    first_day: date,
    limit: int = 20,
    together: bool = False,
) -> list[Opening]:
    """The `limit` best openings, best first. `days` must come in order of date and are read only as far as
    needed.

    Several needs are visits of one day in order, each within LONGEST_WAIT minutes of the one before; or with
    `together` all at the same time. Of one lead on one day at most BEST_OF_A_DAY are given, so that the list
    offers a choice.
    """
    kept: list[tuple[tuple[int, int, int, int, int], Opening]] = []
    for site_day in days:
        if len(kept) == limit and _most(needs, site_day, first_day) < kept[0][1].score:
            if _most_ever(needs, first_day, site_day.day) < kept[0][1].score:
                break
            continue
        for lead in needs[0].leads:
            found = sorted(
                _of_lead(needs, site_day, lead, first_day, together), key=lambda opening: opening.rank
            )
            for opening in found[:BEST_OF_A_DAY]:
                entry = (_worst_first(opening), opening)
                if len(kept) < limit:
                    heapq.heappush(kept, entry)
                elif entry[0] > kept[0][0]:
                    heapq.heapreplace(kept, entry)
    return sorted((opening for _, opening in kept), key=lambda opening: opening.rank)


def soonest_opening(need: SearchRequest, days: Iterable[SiteDay]) -> Opening | None:
    """The first time at all that works, with the lead of last time where two are free at once."""
    for site_day in days:
        begins = [
            (minute, lead != need.last_person, lead)
            for lead in need.leads
            if (minute := next(minutes_in(feasible(need, site_day, lead)), None)) is not None
        ]
        for minute, _, lead in sorted(begins):
            found = _visit(need, site_day, lead, minute, _NOTHING)
            if found is not None:
                return found
    return None


def _worst_first(opening: Opening) -> tuple[int, int, int, int, int]:
    return (opening.score, -opening.day.toordinal(), -opening.start, -opening.site_id, -opening.lead)


def _most_ever(needs: Sequence[SearchRequest], first_day: date, day: date) -> int:
    """What no opening on this day or later can be worth more than."""
    likes = POINTS["likes"] if any(need.wishes.likes for need in needs) else 0
    goal = POINTS["goal"] if any(need.goal for need in needs) else 0
    same = POINTS["same_person"] if any(need.last_person for need in needs) else 0
    each = _FIT_MOST + likes + goal + same + POINTS["household"]
    return each * len(needs) - (day - first_day).days


def _most(needs: Sequence[SearchRequest], site_day: SiteDay, first_day: date) -> int:
    """What no opening on this very day can be worth more than."""
    total = -(site_day.day - first_day).days
    for need in needs:
        total += _FIT_MOST + (POINTS["household"] if site_day.household else 0)
        total += POINTS["likes"] if need.wishes.likes >> (2 * site_day.day.weekday()) & 3 else 0
        total += POINTS["goal"] if site_day.counts.get(need.type_id, 0) < need.goal else 0
        total += POINTS["same_person"] if need.last_person else 0
    return total


def _of_lead(
    needs: Sequence[SearchRequest], site_day: SiteDay, lead: int, first_day: date, together: bool
) -> Iterator[Opening]:
    """Every opening worth offering with this lead on the day: of each stretch of possible starts the first,
    the last and the round ones.
    """
    need = needs[0]
    possible = feasible(need, site_day, lead, _NOTHING)
    chains: dict[int, tuple[Opening, ...]] = {}
    if possible and len(needs) > 1:
        chains = {
            minute: chain
            for minute in minutes_in(possible)
            if (chain := _chain(needs, site_day, lead, minute, together))
        }
        possible = sum(1 << minute // 5 for minute in chains)
    for minute in _worth_offering(possible, site_day.grid):
        visits = chains[minute] if chains else (_visit(need, site_day, lead, minute, _NOTHING),)
        if None not in visits:
            yield _scored(needs, site_day, visits, first_day)  # type: ignore[arg-type]


def _worth_offering(possible: int, grid: int) -> Iterator[int]:
    step = grid // 5
    first = possible & ~(possible << step)
    last = possible & ~(possible >> step)
    return minutes_in(possible & (first | last | on_grid(ROUND)))


def feasible(need: SearchRequest, site_day: SiteDay, lead: int, used: _Used = _NOTHING) -> int:
    """The starts, as bits, at which the lead, a room and every helper are free. Exact."""
    if need.most and site_day.counts.get(need.type_id, 0) >= need.most:
        return 0
    possible = _lead_starts(need, site_day, lead, used)
    possible &= _allowed(need.hours[site_day.day.weekday()], need.minutes, site_day.grid)
    if possible:
        possible &= -1 << -(-site_day.earliest // 5)
        possible &= starts(~site_day.own & WHOLE_DAY, need.minutes)
    if possible:
        possible &= _room_starts(need, site_day, used)
    if not possible or not need.helpers:
        return possible
    possible &= _helper_starts(need, site_day, lead, used)
    if len(need.helpers) == 1:
        return possible
    return sum(
        1 << minute // 5
        for minute in minutes_in(possible)
        if _helpers(need, site_day, lead, minute, used) is not None
    )


@lru_cache(maxsize=256)
def _allowed(hours: int, minutes: int, grid: int) -> int:
    """The starts on the grid from which the whole visit lies inside these minutes."""
    return on_grid(grid) & starts(hours, minutes)


def _lead_starts(need: SearchRequest, site_day: SiteDay, lead: int, used: _Used) -> int:
    taken = site_day.busy.get(lead, 0) | used.people.get(lead, 0)
    free = site_day.open.get(lead, 0) & ~taken
    if not need.lead_parts and not need.buffer:
        return starts(free, need.minutes)
    parts = need.lead_parts or ((0, need.minutes),)
    found = WHOLE_DAY
    for offset, minutes in parts:
        found &= starts(free, minutes) >> offset // 5
    if need.buffer:
        end = parts[-1][0] + parts[-1][1]
        found &= starts(_on_and_on(~taken), need.buffer) >> end // 5
    return found


def _on_and_on(free: int) -> int:
    """Nobody needs the minutes after midnight: free time there lets a buffer end with the day."""
    return (free & WHOLE_DAY) | (WHOLE_DAY << WHOLE_DAY.bit_length())


def _room_starts(need: SearchRequest, site_day: SiteDay, used: _Used) -> int:
    found = 0
    for room in need.rooms:
        if room in site_day.rooms:
            found |= starts(
                _on_and_on(~(site_day.rooms[room] | used.rooms.get(room, 0))), need.minutes + need.buffer
            )
    return found


def _helper_starts(need: SearchRequest, site_day: SiteDay, lead: int, used: _Used) -> int:
    """Starts at which each need has somebody; those with the same person are asked of one person
    at a time.
    """
    found = WHOLE_DAY
    for number, first in enumerate(need.helpers):
        if first.same_as is not None:
            continue
        group = [first, *(h for h in need.helpers[number + 1 :] if h.same_as == number)]
        anybody = 0
        for person in first.people:
            if person != lead:
                anybody |= _person_starts(group, site_day.free(person) & ~used.people.get(person, 0))
        found &= anybody
    return found


def _person_starts(group: Sequence[Helpers], free: int) -> int:
    found = WHOLE_DAY
    for helper in group:
        begins, some = starts(free, helper.minutes), 0
        for offset in helper.offsets:
            some |= begins >> offset // 5
        found &= some
    return found


def _helpers(
    need: SearchRequest, site_day: SiteDay, lead: int, start: int, used: _Used
) -> tuple[StaffSlot, ...] | None:
    """Somebody for every need, in order of preference; None if it cannot be done."""

    def fill(chosen: tuple[StaffSlot, ...]) -> tuple[StaffSlot, ...] | None:
        if len(chosen) == len(need.helpers):
            return chosen
        helper = need.helpers[len(chosen)]
        for offset in helper.offsets:
            span = Span(start + offset, start + offset + helper.minutes)
            for person in helper.people:
                free = site_day.free(person) & ~used.people.get(person, 0)
                fitting = helper.same_as is None or chosen[helper.same_as].provider_id == person
                clash = any(slot.provider_id == person and slot.span.overlaps(span) for slot in chosen)
                if person != lead and fitting and not clash and not bits_of([span]) & ~free:
                    done = fill((*chosen, StaffSlot(person, span, helper.words)))
                    if done is not None:
                        return done
        return None

    return fill(())


def _visit(need: SearchRequest, site_day: SiteDay, lead: int, start: int, used: _Used) -> Opening | None:
    """The visit at that time with its staff and room, or None."""
    helpers = _helpers(need, site_day, lead, start, used)
    span = Span(start, start + need.minutes)
    whole = bits_of([Span(span.start, span.end + need.buffer)])
    home = need.home_rooms.get(lead, 0)
    rooms = sorted(need.rooms, key=lambda room: room != home)
    room = next(
        (r for r in rooms if r in site_day.rooms and not (site_day.rooms[r] | used.rooms.get(r, 0)) & whole),
        None,
    )
    if helpers is None or room is None:
        return None
    mine = tuple(StaffSlot(lead, part) for part in lead_spans(span, need.lead_parts))
    return Opening(
        site_id=site_day.site_id,
        day=site_day.day,
        start=start,
        minutes=need.minutes,
        lead=lead,
        room=room,
        staff=(*mine, *helpers),
    )


def _chain(
    needs: Sequence[SearchRequest], site_day: SiteDay, lead: int, start: int, together: bool
) -> tuple[Opening, ...]:
    """The visits of all needs, the first with this lead at this time, each as soon as it can be; empty if
    they do not fit.
    """
    first = _visit(needs[0], site_day, lead, start, _NOTHING)
    if first is None:
        return ()
    return _follow(needs, 1, site_day, (first,), _NOTHING.plus(first, needs[0].buffer), together)


def _follow(
    needs: Sequence[SearchRequest],
    number: int,
    site_day: SiteDay,
    done: tuple[Opening, ...],
    used: _Used,
    together: bool,
) -> tuple[Opening, ...]:
    if number == len(needs):
        return done
    need, before = needs[number], done[-1]
    latest = before.start if together else before.start + before.minutes + LONGEST_WAIT
    earliest = before.start if together else before.start + before.minutes
    window = bits_of([Span(earliest, min(latest, 24 * 60 - 5) + 5)]) if earliest < 24 * 60 else 0
    options = [
        (minute, lead)
        for lead in need.leads
        for minute in minutes_in(feasible(need, site_day, lead, used) & window)
    ]
    for minute, lead in sorted(options, key=lambda option: (option[0], need.leads.index(option[1]))):
        visit = _visit(need, site_day, lead, minute, used)
        if visit is not None:
            rest = _follow(
                needs, number + 1, site_day, (*done, visit), used.plus(visit, need.buffer), together
            )
            if rest:
                return rest
    return ()


def _scored(
    needs: Sequence[SearchRequest], site_day: SiteDay, visits: Sequence[Opening], first_day: date
) -> Opening:
    found: dict[str, int] = {}
    for need, visit in zip(needs, visits, strict=True):
        for words, points in reasons_for(need, site_day, visit):
            found[words] = found.get(words, 0) + points
    away = (site_day.day - first_day).days
    first = visits[0]
    ordered = sorted(found, key=lambda words: -abs(found[words]))
    return Opening(
        site_id=first.site_id,
        day=first.day,
        start=first.start,
        minutes=first.minutes,
        lead=first.lead,
        room=first.room,
        staff=first.staff,
        score=sum(found.values()) - away,
        reasons=tuple(ordered),
        then=tuple(visits[1:]),
    )

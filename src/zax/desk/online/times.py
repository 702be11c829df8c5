"""The times that are shown online: from the desk's own search, never more than the clinic lets be seen."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from itertools import takewhile, tee

from zax.clock import local, to_utc
from zax.core.book.openings import best_openings, soonest_opening
from zax.core.book.search_request import Opening, SiteDay
from zax.core.errors import Refused
from zax.desk.book.openings import Part, Request, needs_of, site_days
from zax.desk.clinic.clinic import Clinic
from zax.desk.online.habits import online_habits
from zax.store.engine import Connection

WEEK = timedelta(days=7)
MOST_FOUND = 400
PARTS = {
    "": (0, 24 * 60),
    "mornings": (0, 12 * 60),
    "afternoons": (12 * 60, 17 * 60),
    "evenings": (17 * 60, 24 * 60),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """`provider_id` 0 is anybody; `part` one of PARTS."""

    type_id: int
    site_id: int
    provider_id: int = 0
    part: str = ""
    first: date


@dataclass(frozen=True, slots=True)
class Week:
    """By day, the times that are shown; every day from the first to the last of the week is there."""

    days: dict[date, list[Opening]]
    soonest: Opening | None


def week_of(connection: Connection, clinic: Clinic, wanted: Wanted, now: datetime) -> Week:
    """Seven days of times from the first day on, and the soonest of all that may be seen."""
    latest = last_day(clinic, wanted.site_id, now)
    last = min(wanted.first + WEEK - timedelta(days=1), latest)
    days: dict[date, list[Opening]] = {
        wanted.first + timedelta(days=n): [] for n in range((last - wanted.first).days + 1)
    }
    soonest, found = _look(connection, clinic, wanted, last, latest, now)
    by_day: dict[date, list[Opening]] = defaultdict(list)
    for each in found:
        by_day[each.day].append(each)
    most = online_habits(clinic).most_a_day
    for day in days:
        days[day] = sorted(_one_a_time(by_day[day])[:most], key=lambda each: each.start)
    return Week(days, soonest)


def _look(
    connection: Connection, clinic: Clinic, wanted: Wanted, last: date, latest: date, now: datetime
) -> tuple[Opening | None, list[Opening]]:
    """The soonest, and the best of the week. Both look through the same days, which are read once where the
    week is this one: many ask at the same moment.
    """
    earliest = now + timedelta(hours=online_habits(clinic).hours_before)
    first = local(earliest, clinic.sites[wanted.site_id].timezone).date()

    def days_from(day: date) -> Iterator[SiteDay]:
        return site_days(connection, clinic, earliest, _request(clinic, wanted, day, latest), needs, {})

    try:
        needs = needs_of(connection, clinic, _request(clinic, wanted, first, latest))
    except Refused:
        return None, []
    ahead, again = tee(days_from(first))
    soonest = soonest_opening(needs[0], ahead)
    of_week = again if wanted.first < first + WEEK else days_from(wanted.first)
    week = (each for each in takewhile(lambda each: each.day <= last, of_week) if each.day >= wanted.first)
    found = best_openings(needs, week, wanted.first, MOST_FOUND)
    return soonest, [each for each in found if may_be_seen(clinic, each.site_id, each.day, each.start, now)]


def _request(clinic: Clinic, wanted: Wanted, first: date, last: date) -> Request:
    begins, ends = PARTS.get(wanted.part, PARTS[""])
    return Request(
        parts=(Part(wanted.type_id, 0, wanted.provider_id),),
        sites=(wanted.site_id,),
        first=first,
        last=last,
        from_min=begins,
        to_min=ends,
    )


def _one_a_time(found: list[Opening]) -> list[Opening]:
    """The best of those that begin at one minute."""
    seen: dict[int, Opening] = {}
    for each in found:
        seen.setdefault(each.start, each)
    return list(seen.values())


def last_day(clinic: Clinic, site_id: int, now: datetime) -> date:
    """The last that may be asked for."""
    today = local(now, clinic.sites[site_id].timezone).date()
    return today + timedelta(days=online_habits(clinic).days_ahead)


def may_be_seen(clinic: Clinic, site_id: int, day: date, start: int, now: datetime) -> bool:
    """Not too soon, not too far ahead."""
    zone = clinic.sites[site_id].timezone
    begins = to_utc(datetime(day.year, day.month, day.day) + timedelta(minutes=start), zone)
    soon = timedelta(hours=online_habits(clinic).hours_before)
    return now + soon <= begins and day <= last_day(clinic, site_id, now)

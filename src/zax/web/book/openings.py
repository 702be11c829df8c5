"""The openings finder beside the Book: what, with whom, when; the answer with its reasons. The whole question
is in the address.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from zax.core.book.calendar import step_months, step_weeks
from zax.core.book.search_request import Opening
from zax.core.errors import Refused, ZaxError
from zax.desk.book.booking import parse_clock
from zax.desk.book.openings import Part, Request, find_openings
from zax.store.book import queries as visits
from zax.store.engine import Connection
from zax.web.shell.request_context import RequestContext

FINDER = (
    "find",
    "type",
    "with",
    "minutes",
    "room",
    "days",
    "after",
    "before",
    "when",
    "for",
    "then",
    "thenwith",
    "beside",
    "more",
    "both",
)
WHEN = {
    "": "soonest",
    "week": "this week",
    "next": "next week",
    "2w": "from 2 weeks on",
    "4w": "from 4 weeks on",
    "6w": "from 6 weeks on",
    "3m": "from 3 months on",
    "6m": "from 6 months on",
    "12m": "from a year on",
}
FIRST, MORE = 5, 20
HORIZON = timedelta(days=365)


@dataclass(frozen=True, slots=True)
class Finder:
    """What the panel shows: the question as typed, the openings found, or what is wrong with the question."""

    typed: Mapping[str, str]
    found: list[Opening]
    wrong: Mapping[str, str]
    patient: Any
    first: date
    more: bool
    when: Mapping[str, str] = field(default_factory=lambda: WHEN)


def finder_of(
    ctx: RequestContext, connection: Connection, query: Mapping[str, str], day: date
) -> Finder | None:
    """The panel, or None when it is closed. A visit in hand asks for itself."""
    if not query.get("find"):
        return None
    typed = dict(query)
    carried = (
        visits.one_visit(connection, int(query["carry"])) if query.get("carry", "").isdecimal() else None
    )
    if carried is not None:
        typed = {
            "type": str(carried.type_id),
            "minutes": str(carried.minutes),
            "for": str(carried.patient_id),
        } | {k: v for k, v in typed.items() if v}
    person = _patient(connection, typed.get("for", ""))
    limit = MORE if query.get("more") else FIRST
    if not typed.get("type"):
        return Finder(typed, [], {}, person, day, False)
    try:
        request = _request(ctx, typed, carried, limit + 1)
        found = find_openings(connection, ctx.clinic, ctx.now, request)
    except ZaxError as error:
        return Finder(typed, [], error.problems, person, day, False)
    return Finder(typed, found[:limit], {}, person, request.first, len(found) > limit)


def _patient(connection: Connection, text: str) -> Any:
    return visits.person(connection, int(text)) if text.isdecimal() else None


def _request(ctx: RequestContext, typed: Mapping[str, str], carried: Any, limit: int) -> Request:
    first, last = span_of(typed.get("when", ""), ctx.today)
    first, last = _day(typed, "since", first), _day(typed, "until", last)
    parts = [Part(_number(typed, "type"), _number(typed, "minutes"), _provider(typed, "with"))]
    if typed.get("then"):
        parts.append(Part(_number(typed, "then"), 0, _provider(typed, "thenwith")))
    days = frozenset(int(each) for each in typed.get("days", "") if each in "0123456")
    after = parse_clock(typed["after"], "after") if typed.get("after") else 0
    before = parse_clock(typed["before"], "before") if typed.get("before") else 24 * 60
    if before <= after:
        raise Refused("The end is before the beginning. Widen the times.", "before")
    sites = tuple(ctx.clinic.sites) if typed.get("both") else (ctx.site_id,)
    return Request(
        tuple(parts),
        sites,
        first,
        last,
        days,
        after,
        before,
        _number(typed, "room"),
        _number(typed, "for"),
        typed.get("with") == "same",
        bool(typed.get("beside")),
        frozenset({carried.id}) if carried is not None else frozenset(),
        limit,
    )


def _number(typed: Mapping[str, str], name: str) -> int:
    text = typed.get(name, "").strip()
    if text and (not text.isdecimal() or len(text) > 9):
        raise Refused("Choose from the list.", name)
    return int(text) if text else 0


def _day(typed: Mapping[str, str], name: str, usual: date) -> date:
    try:
        return date.fromisoformat(typed[name]) if typed.get(name) else usual
    except ValueError as error:
        raise Refused("This is not a day.", name) from error


def _provider(typed: Mapping[str, str], name: str) -> int:
    return 0 if typed.get(name) == "same" else _number(typed, name)


def span_of(when: str, today: date) -> tuple[date, date]:
    """First and last day of a choice of WHEN."""
    monday = today - timedelta(days=today.weekday())
    if when == "week":
        return today, monday + timedelta(days=6)
    if when == "next":
        return monday + timedelta(days=7), monday + timedelta(days=13)
    if when[:-1].isdecimal() and when[-1] in "wm":
        first = (
            step_weeks(today, int(when[:-1])) if when.endswith("w") else step_months(today, int(when[:-1]))
        )
        return first, first + HORIZON
    return today, today + HORIZON

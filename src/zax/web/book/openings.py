"""The openings finder beside the Book: what, with whom, when; the answer with its reasons. The whole question
is in the address.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta

from zax.core.book.day_phrases import parse_jump
from zax.core.book.search_request import Opening
from zax.core.errors import Refused, ZaxError
from zax.core.reading import optional_day, parse_clock, parse_end, reference
from zax.desk.book.openings import Part, Request, find_openings
from zax.store.book import queries as visits
from zax.store.book.records import Person, Visit
from zax.store.engine import Connection
from zax.web.shell.address import number_in
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
    "since",
    "until",
    "planned",
)
WHEN = {
    "": "soonest",
    "week": "this week",
    "next": "next week",
    "2w": "2 weeks out or later",
    "4w": "4 weeks out or later",
    "6w": "6 weeks out or later",
    "3m": "3 months out or later",
    "6m": "6 months out or later",
    "12m": "a year out or later",
}
FIRST, MORE = 5, 20
HORIZON = timedelta(days=365)


@dataclass(frozen=True, slots=True, kw_only=True)
class Finder:
    """What the panel shows: the question as typed, the openings found, or what is wrong with the question."""

    typed: Mapping[str, str]
    found: list[Opening]
    wrong: Mapping[str, str]
    patient: Person | None
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
    carried = visits.one_visit(connection, number_in(query, "carry"))
    if carried is not None:
        typed = {
            "type": str(carried.type_id),
            "minutes": str(carried.minutes),
            "for": str(carried.patient_id),
        } | {k: v for k, v in typed.items() if v}
    person = _patient(connection, typed.get("for", ""))
    limit = MORE if query.get("more") else FIRST
    if not typed.get("type"):
        return Finder(typed=typed, found=[], wrong={}, patient=person, first=day, more=False)
    try:
        request = _request(ctx, typed, carried, limit + 1)
        found = find_openings(connection, ctx.clinic, ctx.now, request)
    except ZaxError as error:
        return Finder(typed=typed, found=[], wrong=error.problems, patient=person, first=day, more=False)
    return Finder(
        typed=typed,
        found=found[:limit],
        wrong={},
        patient=person,
        first=request.first,
        more=len(found) > limit,
    )


def _patient(connection: Connection, text: str) -> Person | None:
    return visits.person(connection, reference(text))


def _request(ctx: RequestContext, typed: Mapping[str, str], carried: Visit | None, limit: int) -> Request:
    first, last = span_of(typed.get("when", ""), ctx.today)
    first, last = _day(typed, "since", first), _day(typed, "until", last)
    parts = [Part(_number(typed, "type"), _number(typed, "minutes"), _provider(typed, "with"))]
    if typed.get("then"):
        parts.append(Part(_number(typed, "then"), 0, _provider(typed, "thenwith")))
    days = frozenset(int(each) for each in typed.get("days", "") if each in "0123456")
    after = parse_clock(typed["after"], "after") if typed.get("after") else 0
    before = parse_end(typed["before"], "before") if typed.get("before") else 24 * 60
    if before <= after:
        raise Refused("The end is before the start. Check the times.", "before")
    sites = tuple(ctx.clinic.sites) if typed.get("both") else (ctx.site_id,)
    return Request(
        parts=tuple(parts),
        sites=sites,
        first=first,
        last=last,
        weekdays=days,
        from_min=after,
        to_min=before,
        room_id=_number(typed, "room"),
        patient_id=_number(typed, "for"),
        same=typed.get("with") == "same",
        together=bool(typed.get("beside")),
        leaving=frozenset({carried.id}) if carried is not None else frozenset(),
        limit=limit,
    )


def _number(typed: Mapping[str, str], name: str) -> int:
    text = typed.get(name, "").strip()
    if text and not reference(text):
        raise Refused("Choose from the list.", name)
    return reference(text)


def _day(typed: Mapping[str, str], name: str, usual: date) -> date:
    return optional_day(typed.get(name, ""), name, "That isn’t a day.") or usual


def _provider(typed: Mapping[str, str], name: str) -> int:
    return 0 if typed.get(name) == "same" else _number(typed, name)


def span_of(when: str, today: date) -> tuple[date, date]:
    """First and last day of a choice of WHEN."""
    monday = today - timedelta(days=today.weekday())
    if when == "week":
        return today, monday + timedelta(days=6)
    if when == "next":
        return monday + timedelta(days=7), monday + timedelta(days=13)
    first = parse_jump(when, today, today)
    return first, first + HORIZON

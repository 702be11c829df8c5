"""Book: the day by provider or by room, one provider's week, a visit's sheet over it, booking from a free
time, the shelf and the finder beside.

All of what is shown is in the address. `base` is the part of it that every link on the page keeps.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import Response
from markupsafe import escape

from zax.clock import local
from zax.core.book.calendar import step_months, step_weeks
from zax.core.book.day_phrases import parse_jump
from zax.core.book.track import CAN_BE_PLACED
from zax.core.errors import Refused
from zax.core.wording import time_words
from zax.desk.day.book_views import VIEWS, Beside, BookView, beside, book_view
from zax.store.book import queries as visits
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.followup.offers import OpenOffer, open_offers
from zax.web.book.bars import Drawn, Offered
from zax.web.book.openings import FINDER, finder_of
from zax.web.day.documents import day_list_pdf
from zax.web.day.live_day import open_sheet, parse_day, sheet_extras
from zax.web.day.slip import slip_of
from zax.web.shell.address import number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, pdf_answer

router = APIRouter()
KEPT = ("by", "site", "who", "carry", "side", *FINDER)
MARKS = {"track": "track", "type": "visit type", "provider": "provider"}
# Steps offered beside the date: words and where they lead.
AHEAD = (
    ("1 week", "1w"),
    ("2 weeks", "2w"),
    ("3 weeks", "3w"),
    ("4 weeks", "4w"),
    ("6 weeks", "6w"),
    ("3 months", "3m"),
    ("6 months", "6m"),
    ("1 year", "1y"),
)


@router.get("/book")
def show_book(request: Request) -> Response:
    return book_page(enter(request), dict(request.query_params))


@router.get("/book/jump")
def jump(request: Request, to: str = "", day: str = "") -> Response:
    """'3w', '6m', 'fri' or '12/24': on to that day, the rest of the address kept."""
    ctx = enter(request)
    query = dict(request.query_params)
    shown = parse_day(day, ctx.today)
    try:
        query["day"] = str(parse_jump(to, shown, ctx.today))
    except Refused as error:
        return book_page(ctx, query, status=error.status, problems=error.problems, typed=PostedForm(query))
    return ctx.go(f"/book?{base_of(query)}")


def base_of(query: Mapping[str, str], **changes: object) -> str:
    """The part of the Book's address that links keep, with changes."""
    wanted = {name: query.get(name, "") for name in ("day", *KEPT)} | {
        name: str(value) for name, value in changes.items()
    }
    return urlencode({name: value for name, value in wanted.items() if value})


def book_page(ctx: RequestContext, query: dict[str, str], status: int = 200, **more: object) -> Response:
    """The Book as the address says; `provider` and `at` open the booking form there, `visit` that visit's
    sheet.
    """
    with ctx.read() as connection:
        view = shown_view(ctx, connection, query)
        day = view.day
        offered = offered_now(connection, view, ctx.site.timezone)
        side = beside(connection, ctx.actor.id, ctx.site_id, ctx.now) if ctx.may("book") else Beside()
        sheet, carried = open_sheet(ctx, connection, query), _carried(connection, query)
        shown: dict[str, object] = {
            "view": view,
            "sheet": sheet,
            "slip": slip_of(ctx, connection, view.day, query, form_in(more)),
            "carried": carried,
            "shelf": side.shelf,
            "requests": side.requests,
            "undoable": side.undoable,
            "finder": finder_of(ctx, connection, query, day),
        }
        more = shown | sheet_extras(ctx, connection, sheet) | more
    mark = query.get("mark", "") or str(ctx.clinic.about.get("book_mark", "track"))
    mark = mark if mark in MARKS else "track"
    kept = query | {"day": str(day)}
    base = escape(f"/book?{base_of(kept)}")
    drawn = Drawn(
        base=base,
        by=view.by,
        mark=mark,
        may_book=ctx.may("book"),
        site_id=ctx.site_id,
        chosen=sheet.visit.id if sheet else 0,
        carried=carried.id if carried else 0,
        types=list(ctx.clinic.types),
        people=list(ctx.clinic.providers),
        offered=offered,
    )
    page = ctx.page(
        "day/book.html",
        status,
        screen="book",
        base=base,
        drawn=drawn,
        query=PostedForm(query),
        base_of=lambda **changes: f"/book?{base_of(kept, **changes)}",
        mark=mark,
        marks=MARKS,
        legend=legend(ctx, view, mark),
        ahead=[(words, _ahead(day, step)) for words, step in AHEAD],
        **more,
    )
    return ctx.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def shown_view(ctx: RequestContext, connection: Connection, query: Mapping[str, str]) -> BookView:
    """The day and view that the address names."""
    day = parse_day(query.get("day", ""), ctx.today)
    by = query.get("by", "") if query.get("by") in VIEWS else "provider"
    sites = tuple(ctx.clinic.sites) if query.get("site") == "all" and by != "week" else (ctx.site_id,)
    return book_view(connection, ctx.clinic, ctx.now, sites, day, by, number_in(query, "who"))


def offered_now(connection: Connection, view: BookView, zone: str) -> list[Offered]:
    """Which of the days' free times are being offered, and how that goes."""
    days = sorted({each.day for each in view.day_columns})
    lines = open_offers(connection, days[0], days[-1]) if days else []
    return [
        Offered(each.id, each.provider_id, each.day, each.start_min, each.minutes, _how_it_goes(each, zone))
        for each in lines
    ]


def _how_it_goes(each: OpenOffer, zone: str) -> str:
    if each.asks:
        return f"{each.asks} {'asks' if each.asks == 1 else 'ask'} something"
    more = f", next {time_words(local(each.next_at, zone))}" if each.next_at else ""
    return f"offered to {each.sent}{more}"


def _ahead(day: date, step: str) -> date:
    number = int(step[:-1])
    return (
        step_weeks(day, number)
        if step.endswith("w")
        else step_months(day, number * (12 if step.endswith("y") else 1))
    )


def legend(ctx: RequestContext, view: BookView, mark: str) -> list[tuple[int, str]]:
    """What the marks on the bars mean, for those that are shown: (number of the mark, words)."""
    if mark == "type":
        found = {bar.type_id for bar in view.bars}
        return [
            (number, kind.name) for number, kind in enumerate(ctx.clinic.types.values()) if kind.id in found
        ]
    if mark == "provider":
        shown = {bar.provider.id for bar in view.bars}
        return [(number, p.short) for number, p in enumerate(ctx.clinic.providers.values()) if p.id in shown]
    return []


def _carried(connection: Connection, query: Mapping[str, str]) -> Visit | None:
    """The visit in hand, if it can still be placed."""
    number = number_in(query, "carry")
    visit = visits.one_visit(connection, number) if number else None
    return visit if visit is not None and visit.state in CAN_BE_PLACED else None


@router.get("/book/list.pdf")
def day_list(request: Request, day: str = "", site: str = "") -> Response:
    """The day's visits as a paper list, by provider and time."""
    ctx = enter(request)
    sites = tuple(ctx.clinic.sites) if site == "all" else (ctx.site_id,)
    return pdf_answer(day_list_pdf(ctx.desk, sites, parse_day(day, ctx.today)), "day-list")

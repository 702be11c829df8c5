"""Day: the live screen of today, and the visit's sheet that lies over it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zax.clock import system_now
from zax.core.arrivals.conditions import Place
from zax.core.book.track import Stop
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.json import Json
from zax.core.reading import reference
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.heads_ups import heads_ups
from zax.desk.arrivals.stages import stays_of
from zax.desk.clinic.clinic import Clinic
from zax.desk.day.live_day import Filter, day_view, desk_lists
from zax.desk.day.visit_sheet import Sheet, sheet_of, visit_of
from zax.desk.followup.missing import risks_of
from zax.desk.worker.health import missing
from zax.store.book.queries import in_rooms
from zax.store.engine import Connection
from zax.web.shell.address import day_in, number_in
from zax.web.shell.request_context import RequestContext, enter, session_of

router = APIRouter()


@router.get("/")
def home(request: Request) -> Response:
    clinician = bool(session_of(request)) and enter(request).mine
    return RedirectResponse("/mine" if clinician else "/day", 303)


def parse_day(text: str, today: date) -> date:
    """The day of an address, today for none; NotFound for what is no date."""
    return day_in(text, today, f"“{text[:20]}” isn’t a day. Choose one on the Book.")


def filter_of(clinic: Clinic, show: str) -> Filter:
    """What narrows the day: p5 a provider, r3 a room, or a role; `rooms` draws everybody by room. What is not
    known narrows nothing.
    """
    kind, number = show[:1], reference(show[1:])
    if kind == "r" and number in clinic.rooms:
        return Filter(room_id=number, by="room")
    if show == "rooms":
        return Filter(by="room")
    return Filter(
        number if kind == "p" and number in clinic.providers else 0, role=show if show in ROLE_NAMES else ""
    )


def address_of(day: date, today: date, query: Mapping[str, str], visit: int = 0) -> str:
    """Day's address with its filter kept, and a visit open."""
    kept: dict[str, object] = {"day": day} if day != today else {}
    kept |= {"show": query["show"]} if query.get("show") else {}
    kept |= {"visit": visit} if visit else {}
    return "/day" + (f"?{urlencode(kept)}" if kept else "")


@router.get("/day")
def show_day(request: Request, visit: int = 0) -> Response:
    query = {name: value for name, value in request.query_params.items() if name in {"day", "show"}}
    return day_page(enter(request), query | {"visit": str(visit or "")})


def day_page(ctx: RequestContext, query: dict[str, str], status: int = 200, **more: object) -> Response:
    """Day with the visit's sheet over it, if the address has one open."""
    day = parse_day(query.get("day", ""), ctx.today)
    with ctx.read() as connection:
        view = day_view(
            connection, ctx.clinic, ctx.now, ctx.site_id, day, filter_of(ctx.clinic, query.get("show", ""))
        )
        lists = desk_lists(connection, ctx.clinic, view)
        sheet = open_sheet(ctx, connection, query)
        extras = sheet_extras(ctx, connection, sheet)
        troubles = missing(connection, system_now(), ctx.site.timezone, ctx.shared.settings.backups)
    page = ctx.page(
        "day/live_day.html",
        status,
        troubles=troubles,
        view=view,
        lists=lists,
        sheet=sheet,
        screen="day",
        query=query,
        roles=ROLE_NAMES,
        base=address_of(day, ctx.today, query),
        address=lambda visit: address_of(day, ctx.today, query, visit),
        **extras,
        **more,
    )
    return ctx.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def open_sheet(ctx: RequestContext, connection: Connection, query: dict[str, str]) -> Sheet | None:
    """The sheet of the visit in the address; None when none is open."""
    visit = number_in(query, "visit")
    return sheet_of(connection, ctx.clinic, ctx.now, visit) if visit else None


def sheet_extras(ctx: RequestContext, connection: Connection, sheet: Sheet | None) -> Json:
    """What the sheet shows besides the visit itself: heads-ups for booking or arrival, and the time at each
    place.
    """
    if sheet is None:
        return {"ups": [], "stays": [], "taken": {}, "risk": None}
    visit = sheet.visit
    place = Place.ARRIVAL if visit.day == ctx.today else Place.BOOKING
    asked = Asking(visit.patient_id, visit.type_id, visit.provider_id, visit.id)
    return {
        "ups": heads_ups(connection, ctx.clinic, place, asked, ctx.today, sheet.known),
        "stays": stays_of(ctx.clinic, sheet.whereabouts, visit.state, ctx.now),
        "risk": risks_of(connection, ctx.clinic, [visit.id], ctx.now).get(visit.id),
        "taken": in_rooms(connection, visit.site_id, visit.day) if visit.state == Stop.HERE else {},
    }


@router.get("/visits/{visit_id}")
def show_visit(request: Request, visit_id: int) -> Response:
    """A visit's own address: its sheet on the Book of its day."""
    ctx = enter(request)
    with ctx.read() as connection:
        visit = visit_of(connection, visit_id)
    return RedirectResponse(f"/book?day={visit.day}&visit={visit_id}", 303)


@router.get("/visits/{visit_id}/sheet")
def show_sheet(request: Request, visit_id: int, on: str = "book") -> Response:
    """The visit's sheet alone, as Day and Book lay it over themselves."""
    ctx = enter(request)
    with ctx.read() as connection:
        sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
        extras = sheet_extras(ctx, connection, sheet)
    query = "&".join(part for part in request.url.query.split("&") if part and not part.startswith("on="))
    if on == "day":
        base = address_of(sheet.visit.day, ctx.today, request.query_params)
    else:
        base = f"/book?{query}" if query else f"/book?day={sheet.visit.day}"
    page = ctx.page(
        "day/sheet.html", sheet=sheet, screen="day" if on == "day" else "book", base=base, **extras
    )
    return ctx.looked(page, sheet.visit.patient_id, "visit")

"""Day: the live screen of today, and the visit's sheet that lies over it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zax.core.arrivals.conditions import Place
from zax.core.errors import NotFound
from zax.core.setup.roles import Role
from zax.desk.about import Asking
from zax.desk.clinic import Clinic
from zax.desk.day import Filter, day_view, desk_lists
from zax.desk.headsups import heads_ups
from zax.desk.sheet import Sheet, sheet_of
from zax.desk.stages import stays_of
from zax.desk.visittypes import ROLE_NAMES
from zax.web.here import Here, enter

router = APIRouter()


@router.get("/")
def home(request: Request) -> Response:
    clinician = "user" in request.session and enter(request).actor.role == Role.CLINICIAN
    return RedirectResponse("/mine" if clinician else "/day", 303)


def parse_day(text: str, today: date) -> date:
    """The day of an address, today for none; NotFound for what is no date."""
    if not text:
        return today
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise NotFound(f"“{text[:20]}” is not a day. Choose one on the Book.") from error


def filter_of(clinic: Clinic, show: str) -> Filter:
    """What narrows the day: p5 a provider, r3 a room, or a role; `rooms` draws everybody by room. What is not known narrows nothing."""
    kind, number = show[:1], int(show[1:]) if show[1:].isdecimal() and len(show) < 10 else 0
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


def day_page(here: Here, query: dict[str, str], status: int = 200, **more: Any) -> Response:
    """Day with the visit's sheet over it, if the address has one open."""
    day = parse_day(query.get("day", ""), here.today)
    with here.read() as connection:
        view = day_view(
            connection, here.clinic, here.now, here.site_id, day, filter_of(here.clinic, query.get("show", ""))
        )
        lists = desk_lists(connection, here.clinic, view)
        sheet = open_sheet(here, connection, query)
        extras = sheet_extras(here, connection, sheet)
    page = here.page(
        "day.html", status, view=view, lists=lists, sheet=sheet, screen="day", query=query, roles=ROLE_NAMES,
        base=address_of(day, here.today, query), address=lambda visit: address_of(day, here.today, query, visit), **extras, **more,
    )  # fmt: skip
    return here.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def open_sheet(here: Here, connection: Any, query: dict[str, str]) -> Sheet | None:
    """The sheet of the visit in the address; None when none is open."""
    visit = query.get("visit", "")
    return sheet_of(connection, here.clinic, here.now, int(visit)) if visit.isdecimal() else None


def sheet_extras(here: Here, connection: Any, sheet: Sheet | None) -> dict[str, Any]:
    """What the sheet shows besides the visit itself: heads-ups for booking or arrival, and the time at each place."""
    if sheet is None:
        return {"ups": [], "stays": []}
    visit = sheet.visit
    place = Place.ARRIVAL if visit.day == here.today else Place.BOOKING
    asked = Asking(visit.patient_id, visit.type_id, visit.provider_id)
    return {
        "ups": heads_ups(connection, here.clinic, place, asked, here.today, visit.id),
        "stays": stays_of(connection, here.clinic, visit, here.now),
    }


@router.get("/visits/{visit_id}")
def show_visit(request: Request, visit_id: int) -> Response:
    """A visit's own address: its sheet on the Book of its day."""
    here = enter(request)
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
    return RedirectResponse(f"/book?day={sheet.visit.day}&visit={visit_id}", 303)


@router.get("/visits/{visit_id}/sheet")
def show_sheet(request: Request, visit_id: int, on: str = "book") -> Response:
    """The visit's sheet alone, as Day and Book lay it over themselves."""
    here = enter(request)
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
        extras = sheet_extras(here, connection, sheet)
    query = "&".join(part for part in request.url.query.split("&") if part and not part.startswith("on="))
    if on == "day":
        base = address_of(sheet.visit.day, here.today, request.query_params)
    else:
        base = f"/book?{query}" if query else f"/book?day={sheet.visit.day}"
    page = here.page("sheet.html", sheet=sheet, screen="day" if on == "day" else "book", base=base, **extras)
    return here.looked(page, sheet.visit.patient_id, "visit")

"""Day: the live screen of today, and the visit's sheet that lies over it."""

from __future__ import annotations

from datetime import date
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zax.core.errors import NotFound
from zax.desk.day import day_view, desk_lists
from zax.desk.sheet import Sheet, sheet_of
from zax.web.here import Here, enter

router = APIRouter()


@router.get("/")
def home() -> Response:
    return RedirectResponse("/day", 303)


def parse_day(text: str, today: date) -> date:
    """The day of an address, today for none; NotFound for what is no date."""
    if not text:
        return today
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise NotFound(f"“{text[:20]}” is not a day. Choose one on the Book.") from error


@router.get("/day")
def show_day(request: Request, day: str = "", visit: int = 0) -> Response:
    return day_page(enter(request), {"day": day, "visit": str(visit or "")})


def day_page(here: Here, query: dict[str, str], status: int = 200, **more: Any) -> Response:
    """Day with the visit's sheet over it, if the address has one open."""
    day = parse_day(query.get("day", ""), here.today)
    with here.read() as connection:
        view = day_view(connection, here.clinic, here.now, here.site_id, day)
        lists = desk_lists(connection, here.clinic, view)
        sheet = open_sheet(here, connection, query)
    page = here.page("day.html", status, view=view, lists=lists, sheet=sheet, screen="day", **more)
    return here.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def open_sheet(here: Here, connection: Any, query: dict[str, str]) -> Sheet | None:
    """The sheet of the visit in the address; None when none is open."""
    visit = query.get("visit", "")
    return sheet_of(connection, here.clinic, here.now, int(visit)) if visit.isdecimal() else None


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
    query = "&".join(part for part in request.url.query.split("&") if part and not part.startswith("on="))
    base = f"/book?{query}" if query else f"/book?day={sheet.visit.day}"
    page = here.page("sheet.html", sheet=sheet, screen="day" if on == "day" else "book", base=base)
    return here.looked(page, sheet.visit.patient_id, "visit")

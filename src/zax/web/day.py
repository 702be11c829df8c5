"""Day: the live screen of today. And the one-key acts on a visit, which come back to the page they were pressed on."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any
from urllib.parse import parse_qs, urlsplit

from fastapi import APIRouter, BackgroundTasks, Depends, Request
from fastapi.responses import RedirectResponse, Response

from zax.core.errors import NotFound, ZaxError
from zax.desk import book as acts
from zax.desk.access import note_look
from zax.desk.charges import back_to_room, ready_for_checkout
from zax.desk.checkout import take_checkout_back
from zax.desk.day import day_view, desk_lists
from zax.desk.sheet import sheet_of
from zax.web.here import Here, Typed, enter, typed_form

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
def show_day(request: Request, later: BackgroundTasks, day: str = "", visit: int = 0) -> Response:
    return day_page(enter(request), {"day": day, "visit": str(visit or "")}, later=later)


def day_page(
    here: Here, query: dict[str, str], later: BackgroundTasks | None = None, status: int = 200, **more: Any
) -> Response:
    day = parse_day(query.get("day", ""), here.today)
    with here.read() as connection:
        view = day_view(connection, here.clinic, here.now, here.site_id, day)
        lists = desk_lists(connection, here.clinic, view)
        sheet = open_sheet(here, connection, query.get("visit", ""), later)
    page = here.page("day.html", status, view=view, lists=lists, sheet=sheet, screen="day", **more)
    page.background = later
    return page


def open_sheet(here: Here, connection: Any, visit: str, later: BackgroundTasks | None) -> Any:
    """The sheet of the visit in the address, noting who looked; None when none is open."""
    if not visit.isdecimal():
        return None
    sheet = sheet_of(connection, here.clinic, here.now, int(visit))
    if later is not None and here.actor.id is not None:
        later.add_task(note_look, here.desk.engine, here.now, here.actor.id, sheet.visit.patient_id, "visit")
    return sheet


@router.get("/visits/{visit_id}")
def show_visit(request: Request, visit_id: int) -> Response:
    """A visit's own address: its sheet on the Book of its day."""
    here = enter(request)
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
    return RedirectResponse(f"/book?day={sheet.visit.day}&visit={visit_id}", 303)


@router.get("/visits/{visit_id}/sheet")
def show_sheet(request: Request, later: BackgroundTasks, visit_id: int, on: str = "book") -> Response:
    """The visit's sheet alone, as Day and Book lay it over themselves."""
    here = enter(request)
    with here.read() as connection:
        sheet = open_sheet(here, connection, str(visit_id), later)
    page = here.page("sheet.html", sheet=sheet, screen="day" if on == "day" else "book")
    page.background = later
    return page


def _version(form: Typed) -> int | None:
    return form.number("version")


def _confirm(here: Here, visit_id: int, form: Typed) -> str:
    acts.confirm(here.desk, here.actor, visit_id, _version(form))
    return "Confirmed."


def _check_in(here: Here, visit_id: int, form: Typed) -> str:
    acts.check_in(here.desk, here.actor, visit_id, _version(form))
    return "Checked in. The waiting time runs."


def _to_room(here: Here, visit_id: int, form: Typed) -> str:
    acts.take_to_room(here.desk, here.actor, visit_id, form.number("room_id"), _version(form))
    return "In the room."


def _missed(here: Here, visit_id: int, form: Typed) -> str:
    acts.did_not_come(here.desk, here.actor, visit_id, _version(form))
    return "Marked as did not come."


def _cancel(here: Here, visit_id: int, form: Typed) -> str:
    acts.cancel(here.desk, here.actor, visit_id, form["reason"], _version(form))
    return "Cancelled. The time is free again."


def _undo(here: Here, visit_id: int, form: Typed) -> str:
    """The last step back, whichever area it belongs to."""
    with here.read() as connection:
        state = sheet_of(connection, here.clinic, here.now, visit_id).visit.state
    undo: Callable[..., None] = {
        "checkout": back_to_room, "left": take_checkout_back, "settled": take_checkout_back
    }.get(state, acts.step_back)  # fmt: skip
    undo(here.desk, here.actor, visit_id, form["reason"], _version(form))
    return "Taken back."


def _finish(here: Here, visit_id: int, form: Typed) -> str:
    ready_for_checkout(here.desk, here.actor, visit_id, form["reason"], _version(form))
    return "Ready for checkout."


ACTS: dict[str, Callable[[Here, int, Typed], str]] = {
    "confirm": _confirm, "check-in": _check_in, "to-room": _to_room, "missed": _missed, "cancel": _cancel, "undo": _undo,
    "finish": _finish,
}  # fmt: skip


@router.post("/visits/{visit_id}/act/{act}")
def act_on_visit(request: Request, visit_id: int, act: str, form: Typed = Depends(typed_form)) -> Response:
    """One step of a visit; a refusal shows on the page it was pressed on, beside the visit, with what was typed."""
    here = enter(request)
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](here, visit_id, form)
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        shown_on = f"/visits/{visit_id}/charges" if act == "finish" else form.back
        return back_with(here, shown_on, error, {"visit_id": visit_id, "act": act}, form)
    return here.go(form.back, said)


def back_with(here: Here, back: str, error: ZaxError, about: dict[str, Any], typed: Typed) -> Response:
    """The page the form was on, with the problem in place and everything typed."""
    from zax.web.book import book_page
    from zax.web.charges import charges_page

    parts = urlsplit(back)
    query = {name: values[0] for name, values in parse_qs(parts.query).items()}
    shown = {"problems": error.problems, "typed": typed, "about": about}
    if parts.path == "/book":
        return book_page(here, query, status=error.status, **shown)
    if parts.path.startswith("/visits/") and parts.path.endswith("/charges"):
        return charges_page(here, int(about["visit_id"]), status=error.status, **shown)
    return day_page(here, query, status=error.status, **shown)

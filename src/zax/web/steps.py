"""The steps of a visit, one press each: check in, take to a room, finish, cancel, take back. They come back to the page they were pressed on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ZaxError
from zax.desk import off
from zax.desk import track as acts
from zax.desk.arrivals import StepsOpen, check_in
from zax.desk.checkout import take_checkout_back
from zax.desk.finishing import back_to_room, ready_for_checkout
from zax.desk.sheet import sheet_of
from zax.web.arrival import arrival_page
from zax.web.book import book_page
from zax.web.charges import charges_page
from zax.web.day import day_page
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()


def _confirm(here: Here, visit_id: int, form: Typed) -> str:
    acts.confirm(here.desk, here.actor, visit_id, form.number("version"))
    return "Confirmed."


def _check_in(here: Here, visit_id: int, form: Typed) -> str:
    check_in(here.desk, here.actor, visit_id, form.number("version"), form["reason"])
    return "Checked in. The waiting time runs."


def _to_room(here: Here, visit_id: int, form: Typed) -> str:
    acts.take_to_room(here.desk, here.actor, visit_id, form.number("room_id"), form.number("version"))
    return "In the room."


def _missed(here: Here, visit_id: int, form: Typed) -> str:
    off.did_not_come(here.desk, here.actor, visit_id, form.number("version"), form["reason"])
    return "Marked as did not come."


def _cancel(here: Here, visit_id: int, form: Typed) -> str:
    off.take_off(here.desk, here.actor, visit_id, form["why"], form["note"], form.number("version"))
    return "Taken off. The time is free again."


def _undo(here: Here, visit_id: int, form: Typed) -> str:
    """The last step back, whichever area it belongs to."""
    with here.read() as connection:
        state = sheet_of(connection, here.clinic, here.now, visit_id).visit.state
    undo: Callable[..., None] = {
        "checkout": back_to_room, "left": take_checkout_back, "settled": take_checkout_back
    }.get(state, acts.step_back)  # fmt: skip
    undo(here.desk, here.actor, visit_id, form["reason"], form.number("version"))
    return "Taken back."


def _finish(here: Here, visit_id: int, form: Typed) -> str:
    ready_for_checkout(
        here.desk, here.actor, visit_id, form["reason"], form.number("version"), form.number("patient_id")
    )
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
    except Mendable as error:
        if isinstance(error, StepsOpen):
            blocked = {"act": "check-in", "step": "", "blocked": True}
            return arrival_page(here, visit_id, error.status, problems=error.problems, typed=form, about=blocked)
        shown_on = f"/visits/{visit_id}/charges" if act == "finish" else form.back
        return back_with(here, shown_on, error, {"visit_id": visit_id, "act": act}, form)
    return here.go(form.back, said)


def back_with(here: Here, back: str, error: ZaxError, about: dict[str, Any], typed: Typed) -> Response:
    """The page the form was on, with the problem in place and everything typed."""
    path, query = urlsplit(back).path, typed.back_query
    shown = {"problems": error.problems, "typed": typed, "about": about}
    if path == "/book":
        return book_page(here, query, status=error.status, **shown)
    if path.startswith("/visits/") and path.endswith("/charges"):
        return charges_page(here, int(about["visit_id"]), status=error.status, **shown)
    return day_page(here, query, status=error.status, **shown)

"""The steps of a visit, one press each: check in, take to a room, finish, cancel, take back. They come back
to the page they were pressed on.
"""

from __future__ import annotations

from collections.abc import Callable
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import OfVersion, ReferenceOrNone
from zax.core.json import Json
from zax.desk.arrivals.check_in import StepsOpen, check_in
from zax.desk.book import cancellation as off
from zax.desk.book import track as acts
from zax.desk.charges.finishing import back_to_room, ready_for_checkout
from zax.desk.day.checkout import take_checkout_back
from zax.desk.day.visit_sheet import visit_of
from zax.web.arrivals.check_in import arrival_page
from zax.web.charges.charges import charges_page
from zax.web.day.book import book_page
from zax.web.day.live_day import day_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class Step(OfVersion):
    """What a step of a visit may bring along; each uses what it needs."""

    reason: str = ""
    why: str = ""
    note: str = ""
    room_id: ReferenceOrNone = None
    patient_id: ReferenceOrNone = None


def _confirm(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    acts.confirm(ctx.desk, ctx.actor, visit_id, sent.version)
    return "Confirmed."


def _check_in(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    check_in(ctx.desk, ctx.actor, visit_id, sent.version, sent.reason)
    return "Checked in. The wait time is running."


def _to_room(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    acts.take_to_room(ctx.desk, ctx.actor, visit_id, sent.room_id, sent.version)
    return "In the room."


def _missed(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    off.did_not_come(ctx.desk, ctx.actor, visit_id, sent.version, sent.reason)
    return "Marked as a no-show."


def _unseen(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    off.left_unseen(ctx.desk, ctx.actor, visit_id, sent.note, sent.version)
    return "Left without being seen. Nothing is billed, and they’re on the waitlist."


def _cancel(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    off.take_off(ctx.desk, ctx.actor, visit_id, sent.why, sent.note, sent.version)
    return "Canceled. The time is open again."


def _undo(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    """The last step back, whichever area it belongs to."""
    with ctx.read() as connection:
        state = visit_of(connection, visit_id).state
    undo: Callable[..., None] = {
        "checkout": back_to_room,
        "left": take_checkout_back,
        "settled": take_checkout_back,
    }.get(state, acts.step_back)
    undo(ctx.desk, ctx.actor, visit_id, sent.reason, sent.version)
    return "Undone."


def _finish(ctx: RequestContext, visit_id: int, sent: Step) -> str:
    ready_for_checkout(ctx.desk, ctx.actor, visit_id, sent.reason, sent.version, sent.patient_id)
    return "Ready for checkout."


ACTS: dict[str, Callable[[RequestContext, int, Step], str]] = {
    "confirm": _confirm,
    "check-in": _check_in,
    "to-room": _to_room,
    "missed": _missed,
    "cancel": _cancel,
    "unseen": _unseen,
    "undo": _undo,
    "finish": _finish,
}


@router.post("/visits/{visit_id}/act/{act}")
def act_on_visit(
    request: Request, visit_id: int, act: str, form: PostedForm = Depends(posted_form)
) -> Response:
    """One step of a visit; a refusal shows on the page it was pressed on, beside the visit, with what was
    typed.
    """
    ctx = enter(request)
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](ctx, visit_id, form.read(Step))
    except Mendable as error:
        if isinstance(error, StepsOpen):
            blocked = {"act": "check-in", "step": "", "blocked": True}
            return arrival_page(
                ctx, visit_id, error.status, problems=error.problems, typed=form, about=blocked
            )
        shown_on = f"/visits/{visit_id}/charges" if act == "finish" else form.back
        return back_with(ctx, shown_on, error, {"visit_id": visit_id, "act": act}, form)
    return ctx.go(form.back, said)


def back_with(ctx: RequestContext, back: str, error: ZaxError, about: Json, typed: PostedForm) -> Response:
    """The page the form was on, with the problem in place and everything typed."""
    path, query = urlsplit(back).path, typed.back_query
    shown: Json = {"problems": error.problems, "typed": typed, "about": about}
    if path == "/book":
        return book_page(ctx, query, status=error.status, **shown)
    if path.startswith("/visits/") and path.endswith("/charges"):
        return charges_page(ctx, int(about["visit_id"]), status=error.status, **shown)
    return day_page(ctx, query, status=error.status, **shown)

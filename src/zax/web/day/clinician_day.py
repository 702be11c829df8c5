"""A clinician's own page: who is in the room, who waits, who comes next; what was done is entered
from here.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.stages import WHOSE
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import OfVersion, Reference
from zax.desk.arrivals.stages import stays_of
from zax.desk.book import track
from zax.desk.day.live_day import Filter, day_view, rooms_to_go
from zax.store.book.stages import whereabouts_of
from zax.store.people.people import active_user
from zax.web.day.steps import back_with
from zax.web.shell.address import number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class StageForm(OfVersion):
    """The next stage, or another room."""

    room_id: Reference = 0
    stage_id: Reference = 0


@router.get("/mine")
def show_mine(request: Request, provider: int = 0) -> Response:
    """One provider's patients today; a clinician's own without `provider`."""
    return mine_page(enter(request), provider)


def mine_page(ctx: RequestContext, provider_id: int = 0, status: int = 200, problem: str = "") -> Response:
    with ctx.read() as connection:
        user = active_user(connection, ctx.actor.id or 0)
        own = user.provider_id if user else None
        chosen = ctx.clinic.providers.get(provider_id or own or next(iter(ctx.clinic.providers)))
        if chosen is None:
            raise NotFound("There is no such provider.")
        view = day_view(
            connection, ctx.clinic, ctx.now, ctx.site_id, ctx.today, Filter(provider_id=chosen.id)
        )
        waiting = [bar for bar in view.bars if bar.stop == Stop.HERE]
        goes_to = rooms_to_go(connection, ctx.clinic, view, waiting)
        inside = [bar for bar in view.bars if bar.stop == Stop.ROOM]
        stays = {
            bar.id: stays_of(ctx.clinic, whereabouts_of(connection, bar.id), bar.stop, ctx.now)
            for bar in inside
        }
    groups = [
        ("Waiting", waiting),
        ("Coming up", [bar for bar in view.bars if bar.stop in {Stop.BOOKED, Stop.CONFIRMED}]),
        ("Done today", [bar for bar in view.bars if bar.stop in {Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED}]),
    ]
    return ctx.page(
        "day/clinician_day.html",
        status,
        goes_to=goes_to,
        view=view,
        who=chosen,
        inside=inside,
        stays=stays,
        groups=groups,
        own=own,
        whose=WHOSE,
        problem=problem,
        screen="mine",
    )


@router.post("/visits/{visit_id}/stage")
def set_stage(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The next stage, or another room; pressed on the clinician's page or the visit sheet."""
    ctx = enter(request, "arrivals")
    try:
        sent = form.read(StageForm)
        if sent.room_id:
            track.move_room(ctx.desk, ctx.actor, visit_id, sent.room_id, sent.version)
        else:
            track.set_stage(ctx.desk, ctx.actor, visit_id, sent.stage_id, sent.version)
    except Mendable as error:
        return _refused(ctx, visit_id, form, error)
    return ctx.go(form.back)


def _refused(ctx: RequestContext, visit_id: int, form: PostedForm, error: ZaxError) -> Response:
    if form.back.startswith("/mine"):
        provider = number_in(form.back_query, "provider")
        return mine_page(ctx, provider, error.status, error.message)
    return back_with(ctx, form.back, error, {"visit_id": visit_id, "act": "stage"}, form)

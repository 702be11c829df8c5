"""A clinician's own page: who is in the room, who waits, who comes next; what was done is entered from here."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.arrivals.stages import WHOSE
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.desk import track
from zax.desk.day import Filter, day_view
from zax.desk.stages import stays_of
from zax.store import schema, visits
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.steps import back_with

router = APIRouter()


@router.get("/mine")
def show_mine(request: Request, provider: int = 0) -> Response:
    """One provider's patients today; a clinician's own without `provider`."""
    return mine_page(enter(request), provider)


def mine_page(here: Here, provider_id: int = 0, status: int = 200, problem: str = "") -> Response:
    with here.read() as connection:
        u = schema.user
        own = connection.execute(select(u.c.provider_id).where(u.c.id == here.actor.id)).scalar()
        chosen = here.clinic.providers.get(provider_id or own or next(iter(here.clinic.providers)))
        if chosen is None:
            raise NotFound("There is no such provider.")
        view = day_view(connection, here.clinic, here.now, here.site_id, here.today, Filter(provider_id=chosen.id))
        inside = [bar for bar in view.bars if bar.stop == Stop.ROOM]
        stays = {
            bar.id: stays_of(connection, here.clinic, visits.one_visit(connection, bar.id), here.now)
            for bar in inside
        }
    groups = [
        ("Waiting", [bar for bar in view.bars if bar.stop == Stop.HERE]),
        ("To come", [bar for bar in view.bars if bar.stop in {Stop.BOOKED, Stop.CONFIRMED}]),
        ("Done today", [bar for bar in view.bars if bar.stop in {Stop.CHECKOUT, Stop.LEFT, Stop.SETTLED}]),
    ]
    return here.page(
        "mine.html", status, view=view, who=chosen, inside=inside, stays=stays, groups=groups, own=own, whose=WHOSE, problem=problem, screen="mine"
    )  # fmt: skip


@router.post("/visits/{visit_id}/stage")
def set_stage(request: Request, visit_id: int, form: Typed = Depends(typed_form)) -> Response:
    """The next stage, or another room; pressed on the clinician's page or the visit sheet."""
    here = enter(request, "arrivals")
    try:
        if form["room_id"]:
            track.move_room(here.desk, here.actor, visit_id, form.number("room_id") or 0, form.number("version"))
        else:
            track.set_stage(here.desk, here.actor, visit_id, form.number("stage_id") or 0, form.number("version"))
    except Mendable as error:
        return _refused(here, visit_id, form, error)
    return here.go(form.back)


def _refused(here: Here, visit_id: int, form: Typed, error: ZaxError) -> Response:
    if form.back.startswith("/mine"):
        query = form.back_query.get("provider", "")
        return mine_page(here, int(query) if query.isdecimal() else 0, error.status, error.message)
    return back_with(here, form.back, error, {"visit_id": visit_id, "act": "stage"}, form)

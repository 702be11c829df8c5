"""The corridor screen: who waits how long and which room is theirs, in letters that can be read from three metres, by initials or first name only.

It has an address of its own with a secret in it, so that a screen on the wall needs nobody signed in; the setup makes a new one.
"""

from __future__ import annotations

import secrets
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from zax.clock import local
from zax.core.book.track import Stop
from zax.core.errors import NotFound
from zax.desk.day import DayView, day_view, desk_lists
from zax.desk.lanes import Bar
from zax.desk.wall import new_wall_address
from zax.web.here import Here, Shared, Typed, enter, typed_form
from zax.web.live import stream

router = APIRouter()


def wall_name(bar: Bar, how: str) -> str:
    """'H. V.' or 'Helen': never more than the clinic chose."""
    return bar.first if how == "first" else bar.initials


def _known(request: Request, token: str) -> Shared:
    shared: Shared = request.app.state.shared
    kept = str(shared.desk.clinic.about.get("wall_token", ""))
    if not kept or not secrets.compare_digest(kept.encode(), token.encode()):
        raise NotFound("This screen's address is not valid any more. Take the new one from Setup.")
    return shared


@router.get("/wall")
def preview(request: Request) -> Response:
    """The same screen for somebody signed in."""
    here = enter(request)
    return _page(here.shared, here.site_id, "/live")


@router.get("/wall/{site_id}/{token}")
def wall(request: Request, site_id: int, token: str) -> Response:
    shared = _known(request, token)
    if site_id not in shared.desk.clinic.sites:
        raise NotFound("There is no such site.")
    return _page(shared, site_id, f"/wall/{site_id}/{token}/live")


@router.get("/wall/{site_id}/{token}/live")
async def wall_live(request: Request, site_id: int, token: str) -> StreamingResponse:
    """The change feed for this screen; it says no more than that something changed."""
    _known(request, token)
    return StreamingResponse(
        stream(request.app.state.feed), media_type="text/event-stream", headers={"X-Accel-Buffering": "no"}
    )


def _page(shared: Shared, site_id: int, feed: str) -> HTMLResponse:
    clinic, now = shared.desk.clinic, shared.desk.clock.now()
    site = clinic.sites[site_id]
    wall_clock = local(now, site.timezone)
    with shared.reading.connect() as connection:
        view = day_view(connection, clinic, now, site_id, wall_clock.date())
        lists = desk_lists(connection, clinic, view)
    how = str(clinic.about.get("wall_names", "initials"))
    html = shared.templates.get_template("wall.html").render(
        clinic=clinic, site=site, view=view, lists=lists, called=_called(view), name=lambda bar: wall_name(bar, how), feed=feed, time=wall_clock, here=None,
    )  # fmt: skip
    return HTMLResponse(html)


def _called(view: DayView) -> list[Any]:
    """Who went into a room in the last minutes, the newest first: their name shows with the room."""
    return sorted((bar for bar in view.bars if bar.stop == Stop.ROOM and bar.since < 5), key=lambda bar: bar.since)


@router.post("/setup/wall")
def new_address(request: Request, form: Typed = Depends(typed_form)) -> Response:
    """A new secret: screens with the old address stop."""
    here: Here = enter(request, "setup")
    new_wall_address(here.desk, here.actor)
    return here.go("/setup/day", "The screen has a new address; the old one is dead.")

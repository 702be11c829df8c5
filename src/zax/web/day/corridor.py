"""The corridor screen: who waits how long and which room is theirs, in letters that can be read from three
meters, by initials or first name only.

It has an address of its own with a secret in it, so that a screen on the wall needs nobody signed in; the
setup makes a new one.
"""

from __future__ import annotations

import secrets

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from zax.clock import local
from zax.core.book.track import Stop
from zax.core.errors import NotFound
from zax.desk.book.day_columns import Bar
from zax.desk.day.corridor import new_wall_address
from zax.desk.day.live_day import DayView, day_view, desk_lists
from zax.web.shell.live import stream
from zax.web.shell.request_context import PostedForm, RequestContext, Shared, enter, posted_form

router = APIRouter()


def wall_name(bar: Bar, how: str) -> str:
    """'H. V.' or 'Helen': never more than the clinic chose."""
    return bar.first if how == "first" else bar.initials


def _known(request: Request, token: str) -> Shared:
    shared: Shared = request.app.state.shared
    kept = str(shared.desk.clinic.about.get("wall_token", ""))
    if not kept or not secrets.compare_digest(kept.encode(), token.encode()):
        raise NotFound("This screen’s address no longer works. Get the new one from Setup.")
    return shared


@router.get("/wall")
def preview(request: Request) -> Response:
    """The same screen for somebody signed in."""
    ctx = enter(request)
    return _page(ctx.shared, ctx.site_id, "/live")


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
    with shared.pages.connect() as connection:
        view = day_view(connection, clinic, now, site_id, wall_clock.date())
        lists = desk_lists(connection, clinic, view)
    how = str(clinic.about.get("wall_names", "initials"))
    html = shared.templates.get_template("day/corridor.html").render(
        clinic=clinic,
        site=site,
        view=view,
        lists=lists,
        called=_called(view),
        name=lambda bar: wall_name(bar, how),
        feed=feed,
        time=wall_clock,
        ctx=None,
    )
    return HTMLResponse(html)


def _called(view: DayView) -> list[Bar]:
    """Who went into a room in the last minutes, the newest first: their name shows with the room."""
    return sorted(
        (bar for bar in view.bars if bar.stop == Stop.ROOM and bar.since < 5), key=lambda bar: bar.since
    )


@router.post("/setup/wall")
def new_address(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """A new secret: screens with the old address stop."""
    ctx: RequestContext = enter(request, "setup")
    new_wall_address(ctx.desk, ctx.actor)
    return ctx.go("/setup/day", "The screen has a new address. The old one no longer works.")

"""Setup: sites with their clock and hours, the rooms in them, and what the marks on the Book show."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.charges.lines import PLACES
from zax.core.clinic.zones import ZONES
from zax.core.form import Form, Reference, Tick
from zax.desk.setup.sites import GRIDS, SiteForm, choose_mark, save_room, save_site
from zax.web.setup.frame import Decision, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class RoomForm(Decision):
    """A room or chair; equipment with commas between."""

    site_id: Reference = 0
    name: str = ""
    dental: Tick = False
    equipment: str = ""
    active: Tick = False


class MarkForm(Form):
    mark: str = ""


@router.get("/setup/sites")
def show_sites(request: Request) -> Response:
    return sites_page(enter(request, "setup"))


def sites_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return setup_page(
        ctx,
        "sites",
        status,
        grids=GRIDS,
        places=PLACES,
        zones=ZONES,
        mark=ctx.clinic.about.get("book_mark", "track"),
        **more,
    )


@router.post("/setup/sites/{site_id}")
def store_site(request: Request, site_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_site(ctx.desk, ctx.actor, site_id, form.read(SiteForm)),
        lambda status, more: sites_page(ctx, status, about=f"site-{site_id}", **more),
        "/setup/sites",
        "Site saved.",
    )


@router.post("/setup/rooms/{room_id}")
def store_room(request: Request, room_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")

    def save() -> None:
        sent = form.read(RoomForm)
        save_room(
            ctx.desk,
            ctx.actor,
            room_id,
            sent.site_id,
            sent.name,
            sent.dental,
            sent.equipment,
            sent.active,
            sent.decision,
        )

    return done(
        ctx,
        form,
        save,
        lambda status, more: sites_page(ctx, status, about=f"room-{room_id}", **more),
        "/setup/sites",
        "Room saved.",
    )


@router.post("/setup/mark")
def store_mark(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: choose_mark(ctx.desk, ctx.actor, form.read(MarkForm).mark),
        lambda status, more: sites_page(ctx, status, **more),
        "/setup/sites",
        "Saved.",
    )

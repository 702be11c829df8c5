"""Setup: sites with their clock and hours, the rooms in them, and what the marks on the Book show."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.desk.setup.sites import GRIDS, choose_mark, save_room, save_site
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/setup/sites")
def show_sites(request: Request) -> Response:
    return sites_page(enter(request, "setup"))


def sites_page(ctx: RequestContext, status: int = 200, **more: Any) -> Response:
    return setup_page(
        ctx, "sites", status, grids=GRIDS, mark=ctx.clinic.about.get("book_mark", "track"), **more
    )


@router.post("/setup/sites/{site_id}")
def store_site(request: Request, site_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_site(
            ctx.desk,
            ctx.actor,
            site_id,
            form["name"],
            form["timezone"],
            form["grid"],
            form["opens"],
            form["closes"],
        ),
        lambda status, more: sites_page(ctx, status, about=f"site-{site_id}", **more),
        "/setup/sites",
        "Site saved.",
    )


@router.post("/setup/rooms/{room_id}")
def store_room(request: Request, room_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_room(
            ctx.desk,
            ctx.actor,
            room_id,
            form.number("site_id") or 0,
            form["name"],
            form["dental"] == "1",
            form["equipment"],
            bool(form["active"]),
            form["decision"],
        ),
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
        lambda: choose_mark(ctx.desk, ctx.actor, form["mark"]),
        lambda status, more: sites_page(ctx, status, **more),
        "/setup/sites",
        "Saved.",
    )

"""Tablets in Setup: one made for a site, its link to open on it once, ending it."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.reading import reference
from zax.desk.tablet.tablets import end_tablet, make_tablet
from zax.store.tablet.tablets import tablets
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form
from zax.web.shell.square_code import inline_code

router = APIRouter()
PAGE = "/setup/tablets"


@router.get(PAGE)
def show(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        rows = tablets(connection)
    return ctx.page(
        "tablet/setup.html",
        status,
        **({"rows": rows, "here": PAGE, "screen": "setup", "link": "", "code": ""} | more),
    )


@router.post(PAGE)
def change(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Make one and show its link, which is told this once; or end one."""
    ctx = enter(request, "setup")
    try:
        if form["end"]:
            end_tablet(ctx.desk, ctx.actor, reference(form["end"]))
            return ctx.go(PAGE, "Ended. It shows nothing anymore.")
        secret = make_tablet(ctx.desk, ctx.actor, form["name"], reference(form["site"]))
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    link = f"{str(request.base_url).rstrip('/')}/tablet/set-up/{secret}"
    return _page(ctx, link=link, code=inline_code(link))

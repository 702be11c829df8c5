"""Everything in one archive: asked for by a press, made by the worker, fetched while it is here."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response

from zax.core.errors import Mendable
from zax.desk.moving.archives import ask_for_archive, fetch_archive
from zax.web.moving.imports import imports_page
from zax.web.shell.request_context import PostedForm, enter, posted_form

router = APIRouter()


@router.post("/export/everything")
def ask(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "audit")
    try:
        ask_for_archive(ctx.desk, ctx.actor)
    except Mendable as error:
        return imports_page(ctx, error.status, problems={"archive": error.message})
    return ctx.go("/import#everything")


@router.get("/export/everything/{archive_id}.zip")
def fetch(request: Request, archive_id: int) -> Response:
    ctx = enter(request, "audit")
    path = fetch_archive(ctx.desk, ctx.actor, ctx.shared.files, archive_id)
    name = f"everything-{ctx.today.isoformat()}.zip"
    return FileResponse(path, media_type="application/zip", filename=name)

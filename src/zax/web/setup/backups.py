"""The backups there are, how old, and one more by a press."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.desk.worker.backing_up import back_up_now, backup_hours
from zax.store.backup import backups
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, enter, posted_form

router = APIRouter()
PAGE = "/setup/backups"


@router.get(PAGE)
def show_backups(request: Request) -> Response:
    ctx = enter(request, "setup")
    folder, zone = ctx.shared.settings.backups, ctx.clinic.first_site.timezone
    with ctx.read() as connection:
        hours = backup_hours(connection)
    every = list(backups(folder).values()) if folder and folder.exists() else []
    rows = [(local(each.moment, zone), each) for each in reversed(every)]
    return setup_page(ctx, "backups", folder=folder, rows=rows, hours=hours)


@router.post(PAGE)
def make_one(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    back_up_now(ctx.desk, ctx.actor, ctx.shared.settings.backups)
    return ctx.go(PAGE, "It’s being made. Look again in a minute.")

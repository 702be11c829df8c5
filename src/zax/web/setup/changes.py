"""Who changed what in Setup, newest first, each with the way back."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.form import Form, Reference
from zax.desk.setup.changes import undo_change
from zax.store.people.setup_changes import setup_changes
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, enter, posted_form

router = APIRouter()
PAGE_ROWS = 60


class UndoForm(Form):
    change: Reference = 0


@router.get("/setup/changes")
def show_changes(request: Request, before: int = 0) -> Response:
    ctx = enter(request, "setup")
    with ctx.read() as connection:
        rows = setup_changes(connection, PAGE_ROWS + 1, before)
    more = rows[PAGE_ROWS - 1].id if len(rows) > PAGE_ROWS else 0
    return setup_page(ctx, "changes", rows=rows[:PAGE_ROWS], more=more)


@router.post("/setup/changes/undo")
def undo(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    back = form.back if form["back"] else "/setup/changes"
    try:
        words = undo_change(ctx.desk, ctx.actor, form.read(UndoForm).change)
    except Mendable as error:
        return ctx.go(back, error.message)
    return ctx.go(back, f"Undone: {words or 'the last change'}.")

"""Ready-made notes on screen: the setup, and what a field with a note asks for while one types."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from zax.core.errors import Mendable, NotFound
from zax.core.followup.ready_notes import PLACES, ReadyNote
from zax.core.reading import reference
from zax.desk.followup.ready_notes import keep_ready_note, notes_for
from zax.store.followup.ready_notes import ready_notes
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/notes/ready")
def ready(request: Request, patient: str = "") -> Response:
    """[[letters, words], ...] for the patient that the page is about; the words are filled."""
    ctx = enter(request, "see")
    with ctx.read() as connection:
        found = notes_for(connection, ctx.clinic, ctx.actor, reference(patient), ctx.now)
    return JSONResponse(found)


@router.get("/setup/notes")
def show_notes(request: Request) -> Response:
    return _page(enter(request, "setup"), reference(request.query_params.get("note", "")))


def _page(ctx: RequestContext, note_id: int = 0, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        kept = ready_notes(connection)
    opened = next((each for each in kept if each.id == note_id), None)
    if note_id and opened is None:
        raise NotFound("There is no such note.")
    return ctx.page(
        "followup/ready_notes.html",
        status,
        notes=kept,
        opened=opened,
        places=PLACES,
        screen="setup",
        **more,
    )


@router.post("/setup/notes/{note_id}")
def save_note(request: Request, note_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    typed = ReadyNote(
        id=note_id,
        letters=form["letters"],
        words=form["words"],
        active=form["active"] == "yes",
        answers=form["answers"] == "yes",
        version=reference(form["version"]),
    )
    try:
        keep_ready_note(ctx.desk, ctx.actor, typed)
    except Mendable as error:
        return _page(ctx, note_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/notes", "Saved. Type its letters in any note." if typed.active else "Saved.")

"""Sealed records: giving the reason that opens one, and what managers see of that."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.desk.setup.sealed import have_seen, open_sealed, seal_record
from zax.store.patients.sealed import openings, sealed_records
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, enter, posted_form

router = APIRouter()
MOST_SHOWN = 200


@router.get("/setup/sealed")
def show_sealed(request: Request) -> Response:
    ctx = enter(request, "people")
    with ctx.read() as connection:
        records, opened = sealed_records(connection), openings(connection, MOST_SHOWN)
    return setup_page(ctx, "sealed", records=records, opened=opened)


@router.get("/sealed/{patient_id}")
def ask_reason(request: Request, patient_id: int) -> Response:
    """The question alone, for a record that was met inside another page."""
    return enter(request).sealed_page(patient_id, f"/patients/{patient_id}")


@router.post("/sealed/{patient_id}")
def give_reason(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    try:
        open_sealed(ctx.desk, ctx.actor, patient_id, form["reason"])
    except Mendable as error:
        return ctx.sealed_page(patient_id, form.back, error.status, problems=error.problems, typed=form)
    return ctx.go(form.back)


@router.post("/patients/{patient_id}/seal")
def set_seal(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    seal_record(ctx.desk, ctx.actor, patient_id, form["on"] == "1")
    said = "Sealed: it opens with a reason from now on." if form["on"] == "1" else "The seal is off."
    return ctx.go("/setup/sealed" if form["on"] == "1" else form.back, said)


@router.post("/setup/sealed/{opened_id}/seen")
def mark_seen(request: Request, opened_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    have_seen(ctx.desk, ctx.actor, opened_id)
    return ctx.go("/setup/sealed", "Noted.")

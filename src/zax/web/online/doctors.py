"""Doctors elsewhere, in Setup."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.desk.online.doctors import DoctorForm, save_doctor
from zax.store.online.doctors import doctors
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/doctors"


@router.get(PAGE)
def show_doctors(request: Request, edit: int = 0) -> Response:
    return _page(enter(request, "setup"), edit)


def _page(ctx: RequestContext, edit: int = 0, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        rows = doctors(connection)
    one = next((each for each in rows if each.id == edit), None)
    return ctx.page("online/doctors.html", status, rows=rows, one=one, here=PAGE, screen="setup", **more)


@router.post(PAGE)
def store_doctor(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        sent = form.read(DoctorForm)
        save_doctor(ctx.desk, ctx.actor, sent)
    except Mendable as error:
        edit = int(form["number"]) if form["number"].isdecimal() and len(form["number"]) < 10 else 0
        return _page(ctx, edit, error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved.")

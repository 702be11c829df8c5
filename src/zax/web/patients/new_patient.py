"""A new patient without a visit: somebody who calls about their plan, a child put on file with its family."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from zax.core.errors import Mendable
from zax.core.form import Form
from zax.core.patients.person import as_named
from zax.desk.patients.details import put_on_file
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class NewPatientForm(Form):
    first: str = ""
    last: str = ""
    birth: str = ""
    phone: str = ""


@router.get("/patients/new")
def show_new_patient(request: Request, q: str = "") -> Response:
    """`q` is what was searched for: whoever was not found need not be typed again."""
    ctx = enter(request, "patients")
    first, last, phone = as_named(q)
    return new_patient_page(ctx, typed=PostedForm(first=first, last=last, phone=phone))


@router.get("/patients/named")
def read_searched_name(request: Request, q: str = "") -> JSONResponse:
    """The same for the booking form: {"first", "last", "phone"} of what was searched for."""
    enter(request)
    first, last, phone = as_named(q)
    return JSONResponse({"first": first, "last": last, "phone": phone})


def new_patient_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return ctx.page("patients/new.html", status, screen="patients", **more)


@router.post("/patients/new")
def put_new_patient_on_file(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    try:
        sent = form.read(NewPatientForm)
        number = put_on_file(
            ctx.desk, ctx.actor, sent.first, sent.last, sent.birth, sent.phone, site_id=ctx.site_id
        )
    except Mendable as error:
        return new_patient_page(ctx, error.status, typed=form, problems=error.problems)
    return ctx.go(f"/patients/{number}", "Patient saved. What’s missing is listed on the left.")

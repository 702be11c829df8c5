"""Signing: a form on a screen or tablet with a pad for the signature, and what was signed as PDF. Made to be
handed to the patient.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import RELATIONS
from zax.core.errors import Mendable, NotFound, Stale
from zax.core.form import Form, Reference
from zax.desk.arrivals.check_in import do_step
from zax.desk.arrivals.forms import SignForm, filled_blocks, record_words, sign_form, signed_pdf
from zax.desk.record.record import number_of
from zax.store.arrivals.signed import signed_forms
from zax.store.engine import Connection
from zax.store.patients.patients import known_patient
from zax.store.patients.records import Patient
from zax.web.arrivals.documents import signed_paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()


class CameFrom(Form):
    """The step of a visit that asked for the signature."""

    visit: Reference = 0
    step: Reference = 0


def sign_of(form: PostedForm) -> SignForm:
    """The signature part of a form."""
    answers = {name: value for name, value in form.items() if name.startswith("answer-")}
    return form.read(SignForm, answers=answers)


@router.get("/patients/{patient_id}/sign/{template_id}")
def show_form(request: Request, patient_id: int, template_id: int, visit: int = 0, step: int = 0) -> Response:
    """The form to read and sign. `visit` and `step` lead back to the arrival page and mark the step done."""
    return form_page(enter(request, "arrivals"), patient_id, template_id, visit, step)


def form_page(
    ctx: RequestContext,
    patient_id: int,
    template_id: int,
    visit: int,
    step: int,
    status: int = 200,
    **more: object,
) -> Response:
    template = ctx.clinic.forms.get(template_id)
    if template is None or not template.active:
        raise NotFound("This form is no longer used.")
    with ctx.read() as connection:
        patient = _patient(connection, patient_id)
        words = record_words(connection, ctx.clinic, patient, ctx.now, ctx.site_id)
    back = f"/visits/{visit}/arrival" if visit else f"/patients/{patient_id}/signed"
    page = ctx.page(
        "arrivals/sign.html",
        status,
        form=template,
        blocks=filled_blocks(template.blocks, words),
        fills=words,
        p=patient,
        visit=visit,
        step=step,
        relations=RELATIONS,
        back=back,
        screen="day" if visit else "patients",
        **more,
    )
    return ctx.looked(page, patient_id, "form")


def _patient(connection: Connection, patient_id: int) -> Patient:
    number = number_of(connection, patient_id)
    return known_patient(connection, number)


@router.post("/patients/{patient_id}/sign/{template_id}")
def keep_form(
    request: Request, patient_id: int, template_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "arrivals")
    came_from = form.read(CameFrom)
    visit, step = came_from.visit, came_from.step
    try:
        sign_form(
            ctx.desk,
            ctx.actor,
            ctx.shared.files,
            signed_paper,
            patient_id,
            template_id,
            sign_of(form),
            ctx.site_id,
            visit or None,
        )
        if visit and step:
            do_step(ctx.desk, ctx.actor, visit, step)
    except Mendable as error:
        if isinstance(error, Stale):
            form["strokes"] = ""  # another text must be signed anew
        return form_page(
            ctx, patient_id, template_id, visit, step, error.status, problems=error.problems, typed=form
        )
    return ctx.go(
        f"/visits/{visit}/arrival" if visit else f"/patients/{patient_id}/signed", "Signed and saved."
    )


@router.get("/patients/{patient_id}/signed")
def show_signed(request: Request, patient_id: int) -> Response:
    """Everything the patient signed, and what could be signed now."""
    ctx = enter(request)
    with ctx.read() as connection:
        patient = _patient(connection, patient_id)
        rows = signed_forms(connection, patient.id)
    page = ctx.page("arrivals/signed.html", p=patient, rows=rows, screen="patients")
    return ctx.looked(page, patient.id, "signed")


@router.get("/signed/{signed_id}.pdf")
def show_paper(request: Request, signed_id: int) -> Response:
    """The paper as it was signed; refused when its content is not what the hash says."""
    ctx = enter(request)
    with ctx.read() as connection:
        row, content = signed_pdf(connection, ctx.shared.files, signed_id)
    paper = pdf_answer(content, f"signed-{signed_id}")
    paper.headers["X-Content-SHA256"] = row.digest
    return ctx.looked(paper, row.patient_id, "signed")

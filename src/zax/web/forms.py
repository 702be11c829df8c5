"""Signing: a form on a screen or tablet with a pad for the signature, and what was signed as PDF. Made to be handed to the patient."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import RELATIONS
from zax.core.errors import Mendable, NotFound, Stale
from zax.desk.arrivals import do_step
from zax.desk.forms import SignForm, filled_blocks, record_words, sign_form, signed_forms, signed_pdf
from zax.desk.record import number_of
from zax.store import schema
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.papers import signed_paper

router = APIRouter()


def sign_of(form: Typed) -> SignForm:
    """The signature part of a form."""
    answers = {name: value for name, value in form.items() if name.startswith("answer-")}
    return SignForm(form["strokes"], form["signer"], form["relation"], answers, form.number("version") or 0)


@router.get("/patients/{patient_id}/sign/{template_id}")
def show_form(request: Request, patient_id: int, template_id: int, visit: int = 0, step: int = 0) -> Response:
    """The form to read and sign. `visit` and `step` lead back to the arrival page and mark the step done."""
    return form_page(enter(request, "arrivals"), patient_id, template_id, visit, step)


def form_page(
    here: Here, patient_id: int, template_id: int, visit: int, step: int, status: int = 200, **more: Any
) -> Response:
    template = here.clinic.forms.get(template_id)
    if template is None or not template.active:
        raise NotFound("This form is no longer in use.")
    with here.read() as connection:
        patient = _patient(connection, patient_id)
        words = record_words(connection, here.clinic, patient, here.now, here.site_id)
    back = f"/visits/{visit}/arrival" if visit else f"/patients/{patient_id}/signed"
    page = here.page(
        "sign.html", status, form=template, blocks=filled_blocks(template.blocks, words), fills=words, p=patient, visit=visit, step=step, relations=RELATIONS,
        back=back, screen="day" if visit else "patients", **more,
    )  # fmt: skip
    return here.looked(page, patient_id, "form")


def _patient(connection: Any, patient_id: int) -> Any:
    number = number_of(connection, patient_id)
    return connection.execute(schema.patient.select().where(schema.patient.c.id == number)).one()


@router.post("/patients/{patient_id}/sign/{template_id}")
def keep_form(request: Request, patient_id: int, template_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "arrivals")
    visit, step = form.number("visit") or 0, form.number("step") or 0
    try:
        sign_form(
            here.desk, here.actor, here.shared.files, signed_paper, patient_id, template_id, sign_of(form), here.site_id, visit or None
        )  # fmt: skip
        if visit and step:
            do_step(here.desk, here.actor, visit, step)
    except Mendable as error:
        if isinstance(error, Stale):
            form["strokes"] = ""  # another text must be signed anew
        return form_page(
            here, patient_id, template_id, visit, step, error.status, problems=error.problems, typed=form
        )
    return here.go(f"/visits/{visit}/arrival" if visit else f"/patients/{patient_id}/signed", "Signed and kept.")


@router.get("/patients/{patient_id}/signed")
def show_signed(request: Request, patient_id: int) -> Response:
    """Everything the patient signed, and what could be signed now."""
    here = enter(request)
    with here.read() as connection:
        patient = _patient(connection, patient_id)
        rows = signed_forms(connection, patient.id)
    page = here.page("signed.html", p=patient, rows=rows, screen="patients")
    return here.looked(page, patient.id, "signed")


@router.get("/signed/{signed_id}.pdf")
def show_paper(request: Request, signed_id: int) -> Response:
    """The paper as it was signed; refused when its content is not what the hash says."""
    here = enter(request)
    with here.read() as connection:
        row, content = signed_pdf(connection, here.shared.files, signed_id)
    paper = pdf_answer(content, f"signed-{signed_id}")
    paper.headers["X-Content-SHA256"] = row.digest
    return here.looked(paper, row.patient_id, "signed")

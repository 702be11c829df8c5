"""Somebody's records to take along: as FHIR for another clinic, as PDF to read; the forms they signed; who
looked.
"""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.errors import NotFound
from zax.core.messages.language import day_in
from zax.core.record.fhir import write_bundle
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.arrivals.forms import signed_pdf
from zax.desk.record.exporting import cards_of
from zax.store.arrivals.signed import signed_forms
from zax.store.coverage.queries import coverages_of
from zax.store.people.people import looks_at
from zax.store.record.record import visits_of
from zax.web.own.frame import OwnPage, enter_own
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import pdf_answer

router = APIRouter()
LOOK_BACK = timedelta(days=90)


@router.get("/my/records")
def show(request: Request) -> Response:
    page = enter_own(request)
    with page.at.desk.engine.connect() as connection:
        signed = signed_forms(connection, page.person.id)
        looks = looks_at(connection, page.person.id, page.at.desk.clock.now() - LOOK_BACK)
    return page.page(
        "own/records.html",
        signed=signed,
        looks=[(each, page.at.desk.clinic.role_name(each.role)) for each in looks],
        day_words=lambda day: day_in(day, page.at.language),
    )


@router.get("/my/signed/{signed_id}.pdf")
def signed_form(request: Request, signed_id: int) -> Response:
    page = enter_own(request)
    with page.at.desk.engine.connect() as connection:
        if signed_id not in {each.id for each in signed_forms(connection, page.person.id)}:
            raise NotFound("There is no such form.")
        _, content = signed_pdf(connection, page.at.shared.files, signed_id)
    return pdf_answer(content, f"signed-{signed_id}")


@router.get("/my/records.json")
def fhir(request: Request) -> Response:
    """A FHIR R4 bundle: patient, coverages, appointments."""
    page = enter_own(request)
    with page.at.desk.engine.connect() as connection:
        made = write_bundle(cards_of(connection, page.at.desk.clinic, [page.person.id], visits=True))
    _note(page, "fhir")
    headers = {"Content-Disposition": 'attachment; filename="my-records.json"'}
    return Response(made, media_type="application/fhir+json", headers=headers)


@router.get("/my/records.pdf")
def to_read(request: Request) -> Response:
    page = enter_own(request)
    clinic = page.at.desk.clinic
    with page.at.desk.engine.connect() as connection:
        covers = coverages_of(connection, [page.person.id])
        visits = visits_of(connection, [page.person.id])
        signed = signed_forms(connection, page.person.id)
    made = paper(
        "own/papers/record.html",
        about=clinic.about,
        site=clinic.first_site,
        p=page.person,
        covers=covers,
        visits=sorted(visits, key=lambda each: (each.day, each.start_min), reverse=True),
        types=clinic.types,
        providers=clinic.providers,
        signed=signed,
        today=page.today,
    )
    _note(page, "pdf")
    return pdf_answer(made, "my-records")


def _note(page: OwnPage, kind: str) -> None:
    """Who took which record along."""
    in_transaction(
        page.at.desk,
        WORKER,
        lambda tx: tx.audit("own.records", patient_id=page.person.id, by=page.own.patient.id, kind=kind),
    )

"""Charges: what was done at a visit, line by line, with teeth, surfaces and diagnoses."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from rapidfuzz import fuzz

from zax.core.errors import NotFound, Refused, ZaxError
from zax.desk import charges as acts
from zax.desk.sheet import sheet_of
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()


@router.get("/visits/{visit_id}/charges")
def show_charges(request: Request, visit_id: int, edit: int = 0) -> Response:
    return charges_page(enter(request, "charges"), visit_id, edit=edit)


def charges_page(here: Here, visit_id: int, status: int = 200, edit: int = 0, **more: Any) -> Response:
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
    editable = sheet.stop in acts.OPEN_FOR_CHARGES
    page = here.page("charges.html", status, sheet=sheet, editable=editable, edit=edit, screen="day", **more)
    return here.looked(page, sheet.visit.patient_id, "charges")


@router.get("/visits/{visit_id}/services")
def find_services(request: Request, visit_id: int, what: str = "") -> Response:
    """Services of the visit's kind by code or words, typing mistakes forgiven."""
    here = enter(request, "charges")
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
    wanted = what.strip().lower()
    found = []
    for service in here.clinic.services.values():
        if service.dental != sheet.dental or not wanted:
            continue
        likeness = 101 if service.code.lower().startswith(wanted) else _likeness(wanted, service.words.lower())
        if likeness >= 75:
            found.append((likeness, service))
    hits = [service for _, service in sorted(found, key=lambda pair: (-pair[0], pair[1].code))][:8]
    return here.page("service_hits.html", hits=hits, what=what, sheet=sheet)


def _likeness(wanted: str, words: str) -> float:
    """How well the worst of the typed words is found in a service's words, 0 to 100."""
    return min(fuzz.partial_ratio(word, words) for word in wanted.split())


@router.get("/visits/{visit_id}/diagnoses")
def find_diagnoses(request: Request, visit_id: int, diagnosis: str = "") -> Response:
    here = enter(request, "charges")
    with here.read() as connection:
        hits = acts.find_diagnoses(connection, diagnosis)
    return here.page("diagnosis_hits.html", hits=hits, what=diagnosis, visit_id=visit_id)


def _add(here: Here, visit_id: int, form: Typed) -> str:
    service_id = form.number("service_id")
    if service_id is None:
        raise Refused("Type a code or a word, then choose a service from the list.", "service")
    acts.add_line(here.desk, here.actor, visit_id, service_id, form["tooth"], form["surfaces"], form["units"] or "1")
    return "Added."


def _change(here: Here, visit_id: int, form: Typed) -> str:
    billed = form["billed"] == "yes"
    acts.change_line(
        here.desk,
        here.actor,
        visit_id,
        form.number("line_id") or 0,
        form["units"],
        form["tooth"],
        form["surfaces"],
        billed,
        form["authorized"] == "yes",
    )
    return "Changed."


def _remove(here: Here, visit_id: int, form: Typed) -> str:
    acts.remove_line(here.desk, here.actor, visit_id, form.number("line_id") or 0)
    return "Taken off."


def _put_back(here: Here, visit_id: int, form: Typed) -> str:
    acts.put_line_back(here.desk, here.actor, visit_id, form.number("line_id") or 0)
    return "Put back."


def _add_diagnosis(here: Here, visit_id: int, form: Typed) -> str:
    acts.add_diagnosis(here.desk, here.actor, visit_id, form["code"] or form["diagnosis"])
    return "Diagnosis added."


def _remove_diagnosis(here: Here, visit_id: int, form: Typed) -> str:
    acts.remove_diagnosis(here.desk, here.actor, visit_id, form["code"])
    return "Diagnosis taken off."


ACTS = {
    "add": _add, "change": _change, "remove": _remove, "put-back": _put_back, "add-diagnosis": _add_diagnosis,
    "remove-diagnosis": _remove_diagnosis,
}  # fmt: skip


@router.post("/visits/{visit_id}/charges/{act}")
def change_charges(request: Request, visit_id: int, act: str, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "charges")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](here, visit_id, form)
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        line = form["line_id"]
        edit = int(line) if act == "change" and line.isdecimal() else 0
        return charges_page(
            here, visit_id, error.status, edit, problems=error.problems, typed=form, about={"act": act}
        )
    undo = f"|{form['line_id']}" if act == "remove" else ""
    return here.go(f"/visits/{visit_id}/charges", f"{said}{undo}")

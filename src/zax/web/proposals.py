"""Planned work: a patient's list, options side by side with phases and costs, signing one, booking from it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import RELATIONS
from zax.core.charges.teeth import AREAS, show_tooth
from zax.core.errors import Mendable, NotFound, Refused, Stale
from zax.desk import proposals as acts
from zax.desk.picker import find_hits, take_apart
from zax.desk.planned import planned_for
from zax.desk.proposals import OPTIONS, PlanForm, proposal_of, proposal_row, proposals_of
from zax.desk.record import number_of
from zax.desk.teeth import teeth_of
from zax.store import schema
from zax.web.forms import sign_of
from zax.web.here import Here, Typed, enter, pdf_answer, typed_form
from zax.web.mouth import mouth_svg
from zax.web.papers import plan_pdf, proposal_paper

router = APIRouter()


@router.get("/patients/{patient_id}/planned")
def show_planned(request: Request, patient_id: int) -> Response:
    return planned_page(enter(request), patient_id)


def planned_page(here: Here, patient_id: int, status: int = 200, **more: Any) -> Response:
    """What is planned for the patient: proposals, and single services that no visit is to do yet."""
    with here.read() as connection:
        number = number_of(connection, patient_id)
        patient = connection.execute(schema.patient.select().where(schema.patient.c.id == number)).one()
        found = [proposal_of(connection, here.clinic, row.id, here.now) for row in proposals_of(connection, number)]
        planned = planned_for(connection, number)
    page = here.page(
        "planned.html",
        status,
        p=patient,
        proposals=found,
        planned=planned,
        areas=AREAS,
        screen="patients",
        **more,
    )
    return here.looked(page, number, "planned")


def _show(here: Here) -> Any:
    return lambda number: show_tooth(number, here.clinic.numbering)


@router.post("/patients/{patient_id}/options")
def new_proposal(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "charges")
    try:
        made = acts.make_proposal(here.desk, here.actor, patient_id, form["name"], form.number("provider_id") or 0)
    except Mendable as error:
        return planned_page(here, patient_id, error.status, problems=error.problems, typed=form)
    return here.go(f"/planned/{made}")


@router.get("/planned/{proposal_id}.pdf")
def proposal_pdf(request: Request, proposal_id: int) -> Response:
    """Every option for the patient to take home."""
    here = enter(request)
    return pdf_answer(plan_pdf(here.desk, proposal_id), f"planned-{proposal_id}")


@router.get("/planned/{proposal_id}")
def show_proposal(request: Request, proposal_id: int, sign: str = "", letter: str = "A") -> Response:
    """`sign` opens the signing of that option; `letter` is the option that the next service goes to."""
    return proposal_page(enter(request), proposal_id, sign=sign, letter=letter)


def proposal_page(
    here: Here, proposal_id: int, status: int = 200, sign: str = "", letter: str = "A", **more: Any
) -> Response:
    with here.read() as connection:
        shown = proposal_of(connection, here.clinic, proposal_id, here.now)
        lines = [line.row for option in shown.options for phase in option.phases for line in phase.lines]
        teeth = teeth_of(connection, here.clinic, shown.patient.id, 0, [], lines) if shown.provider.dental else {}
    letter = letter if letter in shown.row.options else "A"
    page = here.page(
        "proposal.html", status, shown=shown, sign=sign if sign in shown.row.options else "", letter=letter, relations=RELATIONS, areas=AREAS,
        mouth=mouth_svg(teeth, here.clinic.numbering) if shown.provider.dental else "", more_options=len(shown.options) < len(OPTIONS), screen="patients", **more,
    )  # fmt: skip
    return here.looked(page, shown.patient.id, "planned")


@router.get("/planned/{proposal_id}/services")
def find_services(request: Request, proposal_id: int, what: str = "") -> Response:
    here = enter(request, "charges")
    with here.read() as connection:
        row = proposal_row(connection, proposal_id)
    typed = take_apart(what, here.clinic.numbering)
    hits = find_hits(here.clinic, typed, here.clinic.providers[row.provider_id].dental, here.today, [], _show(here))
    return here.page("service_hits.html", hits=[hit for hit in hits if hit.choice.startswith("service")], what=what)


def _add(here: Here, proposal_id: int, form: Typed) -> str:
    number = form["choice"].removeprefix("service:")
    if not number.isdecimal():
        raise Refused("Type a code or a word, then choose from the list.", "service")
    typed = take_apart(form["what"], here.clinic.numbering)
    tooth = show_tooth(typed.tooth, here.clinic.numbering) or form["tooth"]
    rule = here.clinic.find_service(int(number)).rule
    acts.add_to_option(here.desk, here.actor, proposal_id, PlanForm(
        int(number), form["letter"], form.number("phase") or 1, tooth if rule.needs_tooth else "", (typed.surfaces or form["surfaces"]) if rule.surfaces else "",
        form["area"] if rule.area else "",
    ))  # fmt: skip
    return "Added."


def _drop(here: Here, proposal_id: int, form: Typed) -> str:
    acts.drop_from_option(here.desk, here.actor, proposal_id, form.number("planned_id") or 0)
    return "Taken out."


def _move(here: Here, proposal_id: int, form: Typed) -> str:
    acts.move_in_option(here.desk, here.actor, proposal_id, form.number("planned_id") or 0, form.number("phase") or 0)
    return "Moved."


def _option(here: Here, proposal_id: int, form: Typed) -> str:
    letter = acts.add_option(here.desk, here.actor, proposal_id, form["like"])
    return f"Option {letter} added."


def _names(here: Here, proposal_id: int, form: Typed) -> str:
    options = {letter: form[f"option-{letter}"] for letter in OPTIONS if f"option-{letter}" in form}
    words, months = form.all.get("phase_words", []), form.all.get("phase_months", [])
    acts.name_parts(
        here.desk, here.actor, proposal_id, options, list(zip(words, months, strict=False)), form.number("version") or 0
    )  # fmt: skip
    return "Saved."


def _sign(here: Here, proposal_id: int, form: Typed) -> str:
    acts.sign_option(
        here.desk, here.actor, here.shared.files, proposal_paper, proposal_id, form["letter"], sign_of(form), here.site_id
    )  # fmt: skip
    return "Signed and kept. It can be booked now."


ACTS = {"add": _add, "drop": _drop, "move": _move, "option": _option, "names": _names, "sign": _sign}


@router.post("/planned/{proposal_id}/{act}")
def change_proposal(request: Request, proposal_id: int, act: str, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "charges")
    if act == "away":
        patient = acts.put_away(here.desk, here.actor, proposal_id)
        return here.go(f"/patients/{patient}/planned", "Put away. It stays on record.")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](here, proposal_id, form)
    except Mendable as error:
        if isinstance(error, Stale):
            form["strokes"] = ""
        sign = form["letter"] if act == "sign" else ""
        return proposal_page(
            here, proposal_id, error.status, sign, form["letter"] or "A", problems=error.problems, typed=form, about={"act": act}
        )  # fmt: skip
    to = f"?letter={form['letter']}" if act == "add" else ""
    return here.go(f"/planned/{proposal_id}{to}", said)

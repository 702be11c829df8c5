"""Planned work: a patient's list, options side by side with phases and costs, signing one,
booking from it.
"""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import RELATIONS
from zax.core.charges.service_words import left_over, misfit, take_apart
from zax.core.charges.teeth import AREAS, show_tooth
from zax.core.errors import Mendable, NotFound, Refused, Stale
from zax.core.form import Form, OfVersion, Reference
from zax.core.reading import reference
from zax.desk.charges import treatment_options as acts
from zax.desk.charges.service_search import find_hits
from zax.desk.charges.tooth_chart import teeth_of
from zax.desk.charges.treatment_options import OPTIONS, PlannedLineForm, proposal_of, proposal_row
from zax.desk.claims.predetermining import ask_about_planned, asked_options
from zax.desk.record.record import number_of
from zax.store.book.planned import planned_for
from zax.store.charges.treatment_options import proposals_of
from zax.store.patients.patients import known_patient
from zax.web.arrivals.forms import sign_of
from zax.web.charges.charges import ServiceChosen
from zax.web.charges.documents import plan_pdf, proposal_paper
from zax.web.charges.tooth_chart import mouth_svg
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()


class NewProposal(Form):
    name: str = ""
    provider_id: Reference = 0


class InOption(Form):
    """A place in an option, and the planned service it is about."""

    letter: str = ""
    phase: Reference = 0
    planned_id: Reference = 0


class Phases(OfVersion):
    """The words of each phase and its months from the beginning, row by row."""

    phase_words: tuple[str, ...] = ()
    phase_months: tuple[str, ...] = ()


@router.get("/patients/{patient_id}/planned")
def show_planned(request: Request, patient_id: int) -> Response:
    return planned_page(enter(request), patient_id)


def planned_page(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    """What is planned for the patient: proposals, and single services that no visit is to do yet."""
    with ctx.read() as connection:
        number = number_of(connection, patient_id)
        patient = known_patient(connection, number)
        found = [
            proposal_of(connection, ctx.clinic, row.id, ctx.now) for row in proposals_of(connection, number)
        ]
        planned = planned_for(connection, number)
    page = ctx.page(
        "charges/planned.html",
        status,
        p=patient,
        proposals=found,
        planned=planned,
        areas=AREAS,
        screen="patients",
        **more,
    )
    return ctx.looked(page, number, "planned")


def _show(ctx: RequestContext) -> Callable[[str], str]:
    return lambda number: show_tooth(number, ctx.clinic.numbering)


@router.post("/patients/{patient_id}/options")
def new_proposal(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "charges")
    try:
        sent = form.read(NewProposal)
        made = acts.make_proposal(ctx.desk, ctx.actor, patient_id, sent.name, sent.provider_id)
    except Mendable as error:
        return planned_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/planned/{made}")


@router.get("/planned/{proposal_id}.pdf")
def proposal_pdf(request: Request, proposal_id: int) -> Response:
    """Every option for the patient to take home."""
    ctx = enter(request)
    return pdf_answer(plan_pdf(ctx.desk, proposal_id), f"planned-{proposal_id}")


@router.get("/planned/{proposal_id}")
def show_proposal(request: Request, proposal_id: int, sign: str = "", letter: str = "A") -> Response:
    """`sign` opens the signing of that option; `letter` is the option that the next service goes to."""
    return proposal_page(enter(request), proposal_id, sign=sign, letter=letter)


def proposal_page(
    ctx: RequestContext,
    proposal_id: int,
    status: int = 200,
    sign: str = "",
    letter: str = "A",
    **more: object,
) -> Response:
    with ctx.read() as connection:
        shown = proposal_of(connection, ctx.clinic, proposal_id, ctx.now)
        asked = asked_options(connection, shown)
        lines = [line.row for option in shown.options for phase in option.phases for line in phase.lines]
        teeth = (
            teeth_of(connection, ctx.clinic, shown.patient.id, 0, [], lines) if shown.provider.dental else {}
        )
    letter = letter if letter in shown.row.options else "A"
    page = ctx.page(
        "charges/treatment_options.html",
        status,
        shown=shown,
        asked=asked,
        sign=sign if sign in shown.row.options else "",
        letter=letter,
        relations=RELATIONS,
        areas=AREAS,
        mouth=mouth_svg(teeth, ctx.clinic.numbering) if shown.provider.dental else "",
        more_options=len(shown.options) < len(OPTIONS),
        screen="patients",
        **more,
    )
    return ctx.looked(page, shown.patient.id, "planned")


@router.get("/planned/{proposal_id}/services")
def find_services(request: Request, proposal_id: int, what: str = "") -> Response:
    ctx = enter(request, "charges")
    with ctx.read() as connection:
        row = proposal_row(connection, proposal_id)
    typed = take_apart(what, ctx.clinic.numbering)
    hits = find_hits(
        ctx.clinic, typed, ctx.clinic.providers[row.provider_id].dental, ctx.today, [], _show(ctx)
    )
    return ctx.page(
        "charges/service_hits.html", hits=[hit for hit in hits if hit.choice.startswith("service")], what=what
    )


def _add(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    sent = form.read(ServiceChosen)
    service_id = reference(sent.choice.removeprefix("service:"))
    if not service_id:
        raise Refused("Type a code or a word, then choose from the list.", "service")
    typed = take_apart(sent.what, ctx.clinic.numbering)
    tooth = show_tooth(typed.tooth, ctx.clinic.numbering) or sent.tooth
    service, into = ctx.clinic.find_service(service_id), form.read(InOption)
    rule, wrong = service.rule, misfit(typed, service.rule, service.words)
    if wrong:
        raise Refused(wrong, "service")
    acts.add_to_option(
        ctx.desk,
        ctx.actor,
        proposal_id,
        PlannedLineForm(
            service_id=service_id,
            letter=into.letter,
            phase=into.phase or 1,
            tooth=tooth if rule.needs_tooth else "",
            surfaces=(typed.surfaces or sent.surfaces) if rule.surfaces else "",
            area=(typed.area or sent.area) if rule.area else "",
        ),
    )
    return f"Added.{left_over(typed, rule, ctx.clinic.numbering)}"


def _drop(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    acts.drop_from_option(ctx.desk, ctx.actor, proposal_id, form.read(InOption).planned_id)
    return "Removed."


def _move(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    sent = form.read(InOption)
    acts.move_in_option(ctx.desk, ctx.actor, proposal_id, sent.planned_id, sent.phase)
    return "Moved."


def _option(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    letter = acts.add_option(ctx.desk, ctx.actor, proposal_id, form["like"])
    return f"Option {letter} added."


def _names(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    options = {letter: form[f"option-{letter}"] for letter in OPTIONS if f"option-{letter}" in form}
    sent = form.read(Phases)
    phases = list(zip(sent.phase_words, sent.phase_months, strict=False))
    acts.name_parts(ctx.desk, ctx.actor, proposal_id, options, phases, sent.version or 0)
    return "Saved."


def _sign(ctx: RequestContext, proposal_id: int, form: PostedForm) -> str:
    acts.sign_option(
        ctx.desk,
        ctx.actor,
        ctx.shared.files,
        proposal_paper,
        proposal_id,
        form["letter"],
        sign_of(form),
        ctx.site_id,
    )
    return "Signed and saved. It can be booked now."


ACTS = {"add": _add, "drop": _drop, "move": _move, "option": _option, "names": _names, "sign": _sign}


@router.post("/planned/{proposal_id}/{act}")
def change_proposal(
    request: Request, proposal_id: int, act: str, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "charges")
    if act == "ask":
        made = ask_about_planned(ctx.desk, ctx.actor, proposal_id, form["letter"])
        return ctx.go(f"/claims/{made}", "The plan is asked once this is sent.")
    if act == "away":
        patient = acts.put_away(ctx.desk, ctx.actor, proposal_id)
        return ctx.go(f"/patients/{patient}/planned", "Dismissed. It stays on record.")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](ctx, proposal_id, form)
    except Mendable as error:
        if isinstance(error, Stale):
            form["strokes"] = ""
        sign = form["letter"] if act == "sign" else ""
        return proposal_page(
            ctx,
            proposal_id,
            error.status,
            sign,
            form["letter"] or "A",
            problems=error.problems,
            typed=form,
            about={"act": act},
        )
    to = f"?letter={form['letter']}" if act == "add" else ""
    return ctx.go(f"/planned/{proposal_id}{to}", said)

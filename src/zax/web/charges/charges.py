"""Charges: what was done at a visit, line by line, with the picture of the mouth for dental and diagnoses for
medical visits.
"""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.charges.lines import LETTERS, PLACES, ServiceRule, pointed
from zax.core.charges.modifiers import MODIFIER_WORDS, modifier_warning
from zax.core.charges.new_service import code_in
from zax.core.charges.service_words import ServiceWords, left_over, misfit, take_apart, without_age
from zax.core.charges.teeth import ARCHES, AREAS, QUADRANTS, read_tooth, show_tooth
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.followup.due import STAND_WORDS
from zax.core.form import Form, Reference, ReferenceOrNone, Tick
from zax.core.reading import reference
from zax.desk.charges import charges as acts
from zax.desk.charges import diagnoses
from zax.desk.charges.service_search import find_hits
from zax.desk.charges.tooth_chart import teeth_of
from zax.desk.day.visit_sheet import Sheet, sheet_of
from zax.store.book.planned import planned_for
from zax.store.charges.lines import favorites_of
from zax.store.followup.returns import reasons, returns_of
from zax.store.money.queries import visit_diagnoses
from zax.store.money.records import ServiceLine
from zax.web.charges.tooth_chart import mouth_svg
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class OfLine(Form):
    """The line it is about, and for whom the page was shown."""

    line_id: Reference = 0
    patient_id: ReferenceOrNone = None


class ServiceChosen(Form):
    """What was typed and chosen from the one box, and what stands chosen in the picture of the mouth."""

    choice: str = ""
    what: str = ""
    tooth: str = ""
    surfaces: str = ""
    area: str = ""
    patient_id: ReferenceOrNone = None


class OfDiagnosis(Form):
    """A diagnosis chosen from the list (`code`) or typed."""

    code: str = ""
    diagnosis: str = ""
    patient_id: ReferenceOrNone = None
    kept: Tick = False


@router.get("/visits/{visit_id}/charges")
def show_charges(request: Request, visit_id: int, edit: int = 0) -> Response:
    return charges_page(enter(request, "charges"), visit_id, edit=edit)


def charges_page(
    ctx: RequestContext, visit_id: int, status: int = 200, edit: int = 0, **more: object
) -> Response:
    """`edit` is the line that is open; without one the first that still lacks something is."""
    with ctx.read() as connection:
        sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
        planned = planned_for(connection, sheet.visit.patient_id)
        coded = visit_diagnoses(connection, visit_id)
        kept = {each.code for each in favorites_of(connection, ctx.actor.id)}
        returns, return_reasons = returns_of(connection, sheet.visit.patient_id), reasons(connection)
        teeth = (
            teeth_of(connection, ctx.clinic, sheet.visit.patient_id, visit_id, sheet.bill.lines, planned)
            if sheet.dental
            else {}
        )
    editable = sheet.stop in acts.OPEN_FOR_CHARGES
    lacking = [line.id for line in sheet.bill.lines if _lacks(ctx, line)]
    problems = more.get("problems")
    told = set(problems if isinstance(problems, dict) else ()) - {"lines"}
    open_line = edit or (lacking[0] if lacking and editable and not told else 0)
    typed = form_in(more)
    chosen = next((line for line in sheet.bill.lines if line.id == open_line), None)
    tooth = typed["tooth"] if typed and edit else chosen.tooth if chosen else ""
    surfaces = typed["surfaces"] if typed and edit else chosen.surfaces if chosen else ""
    codes = [row.code for row in coded]
    page = ctx.page(
        "charges/charges.html",
        status,
        sheet=sheet,
        returns=returns,
        return_reasons=return_reasons,
        stand_words=STAND_WORDS,
        editable=editable,
        edit=open_line,
        planned=planned,
        diagnoses=coded,
        favorites=kept,
        places=PLACES,
        areas=AREAS,
        quadrants=QUADRANTS,
        arches=ARCHES,
        letters=LETTERS,
        modifier_words=MODIFIER_WORDS,
        modifier_warning=modifier_warning,
        pointers={
            line.id: "".join(LETTERS[n - 1] for n in pointed(line.points_to, codes))
            for line in sheet.bill.lines
        },
        mouth=mouth_svg(teeth, ctx.clinic.numbering, tooth, surfaces, tooth.isalpha())
        if sheet.dental
        else "",
        screen="mine" if ctx.mine else "day",
        **more,
    )
    return ctx.looked(page, sheet.visit.patient_id, "charges")


def _lacks(ctx: RequestContext, line: ServiceLine) -> bool:
    rule = ctx.clinic.services[line.service_id].rule
    return bool(
        (rule.needs_tooth and not line.tooth)
        or (rule.surfaces and len(line.surfaces) not in rule.fitting)
        or (rule.area and not line.area)
    )


@router.get("/visits/{visit_id}/services")
def find_services(request: Request, visit_id: int, what: str = "", tooth: str = "") -> Response:
    """Planned work, sets and services like what was typed; of planned work only what is for the tooth typed
    or chosen in the picture.
    """
    ctx = enter(request, "charges")
    with ctx.read() as connection:
        sheet: Sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
        planned = planned_for(connection, sheet.visit.patient_id)
    typed = take_apart(what, ctx.clinic.numbering) if sheet.dental else ServiceWords(words=without_age(what))
    typed = replace(typed, tooth=typed.tooth or read_tooth(tooth, ctx.clinic.numbering))
    hits = find_hits(
        ctx.clinic,
        typed,
        sheet.dental,
        sheet.visit.day,
        planned,
        lambda n: show_tooth(n, ctx.clinic.numbering),
    )
    code = code_in(what)
    known = any(each.code == code for each in ctx.clinic.services.values())
    unlisted = code if code and not known else ""
    return ctx.page("charges/service_hits.html", hits=hits, what=what, unlisted=unlisted, visit_id=visit_id)


@router.get("/visits/{visit_id}/diagnoses")
def find_diagnoses(request: Request, visit_id: int, diagnosis: str = "") -> Response:
    """Nothing typed yet: what this person keeps at hand."""
    ctx = enter(request, "charges")
    with ctx.read() as connection:
        hits = (
            diagnoses.find_diagnoses(connection, diagnosis)
            if diagnosis.strip()
            else favorites_of(connection, ctx.actor.id)
        )
    return ctx.page("charges/diagnosis_hits.html", hits=hits, what=diagnosis, visit_id=visit_id)


def _add(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    """What was chosen from the one box: planned work, a set or a service."""
    sent = form.read(ServiceChosen)
    kind, _, text = sent.choice.partition(":")
    number, patient = reference(text), sent.patient_id
    if not number:
        raise Refused("Type a code or a word, then choose from the list.", "service")
    if kind == "planned":
        acts.add_planned(ctx.desk, ctx.actor, visit_id, number, patient)
    elif kind == "set":
        acts.add_set(ctx.desk, ctx.actor, visit_id, number, patient)
    else:
        typed = take_apart(sent.what, ctx.clinic.numbering)
        service = ctx.clinic.find_service(number)
        wrong = misfit(typed, service.rule, service.words)
        if wrong:
            raise Refused(wrong, "service")
        teeth = typed.teeth if service.rule.needs_tooth and typed.teeth else ("",)
        details = [
            _fitting(service.rule, show_tooth(tooth, ctx.clinic.numbering) or sent.tooth, typed, sent)
            for tooth in teeth
        ]
        acts.add_lines(ctx.desk, ctx.actor, visit_id, service.id, details, patient)
        return f"Added.{left_over(typed, service.rule, ctx.clinic.numbering)}"
    return "Added."


def _fitting(rule: ServiceRule, tooth: str, typed: ServiceWords, sent: ServiceChosen) -> acts.LineForm:
    """What was typed, and what stands chosen in the picture as far as this service asks for it."""
    surfaces = typed.surfaces or (sent.surfaces if len(sent.surfaces) in rule.fitting else "")
    whole = not rule.surfaces or surfaces or typed.tooth
    return acts.LineForm(
        units=str(typed.number) if 1 < typed.number <= rule.most_units and not rule.needs_tooth else "1",
        tooth=tooth if rule.needs_tooth and whole else "",
        surfaces=surfaces if rule.surfaces else "",
        area=(typed.area or sent.area) if rule.area else "",
    )


def _change(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    of, line = form.read(OfLine), form.read(acts.LineForm)
    acts.change_line(ctx.desk, ctx.actor, visit_id, of.line_id, line, of.patient_id)
    return "Changed."


def _remove(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    acts.remove_line(ctx.desk, ctx.actor, visit_id, form.read(OfLine).line_id)
    return "Removed."


def _put_back(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    acts.put_line_back(ctx.desk, ctx.actor, visit_id, form.read(OfLine).line_id)
    return "Put back."


def _add_diagnosis(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    sent = form.read(OfDiagnosis)
    diagnoses.add_diagnosis(ctx.desk, ctx.actor, visit_id, sent.code or sent.diagnosis, sent.patient_id)
    return "Diagnosis added."


def _remove_diagnosis(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    diagnoses.remove_diagnosis(ctx.desk, ctx.actor, visit_id, form.read(OfDiagnosis).code)
    return "Diagnosis removed."


def _favorite(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    sent = form.read(OfDiagnosis)
    diagnoses.keep_favorite(ctx.desk, ctx.actor, sent.code, sent.kept)
    return f"{sent.code} is one of your favorites." if sent.kept else f"{sent.code} is no favorite anymore."


def _main_diagnosis(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    code = form.read(OfDiagnosis).code
    diagnoses.make_main(ctx.desk, ctx.actor, visit_id, code)
    return f"{code} is A now."


ACTS = {
    "add": _add,
    "change": _change,
    "remove": _remove,
    "put-back": _put_back,
    "add-diagnosis": _add_diagnosis,
    "remove-diagnosis": _remove_diagnosis,
    "main-diagnosis": _main_diagnosis,
    "favorite": _favorite,
}


@router.post("/visits/{visit_id}/charges/{act}")
def change_charges(
    request: Request, visit_id: int, act: str, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "charges")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](ctx, visit_id, form)
    except Mendable as error:
        edit = reference(form["line_id"]) if act == "change" else 0
        return charges_page(
            ctx, visit_id, error.status, edit, problems=error.problems, typed=form, about={"act": act}
        )
    undo = f"|{form['line_id']}" if act == "remove" else ""
    return ctx.go(f"/visits/{visit_id}/charges", f"{said}{undo}")

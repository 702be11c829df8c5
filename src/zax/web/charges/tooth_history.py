"""Earlier work on a patient's teeth: one line typed or chosen on the chart, read while it is typed, never
charged.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.charges.teeth import show_tooth
from zax.core.charges.tooth_history import WORK_WORDS, Work
from zax.core.charges.tooth_line import LETTERS
from zax.core.errors import Mendable, NotFound
from zax.core.form import Form, Reference, Tick
from zax.core.patients.person import age_on
from zax.core.reading import reference
from zax.desk.charges import tooth_history as acts
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient
from zax.web.charges.tooth_chart import WHOLE, mouth_svg
from zax.web.charges.tooth_marks import work_sign
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
_PRIMARY_UNTIL = 6  # years: until then the chart opens with the primary teeth
EXAMPLES = {
    Work.MISSING: "2 15 m",
    Work.CROWN: "30 c 2019",
    Work.FILLING: "14 do f 2016",
    Work.ROOT_CANAL: "8 r 2011",
    Work.IMPLANT: "28 i 2022",
    Work.BRIDGE: "18 to 20 b",
    Work.EXTRACT: "32 x",
    Work.KEPT: "A k",
    Work.EXTRA: "58 e",
}


class ToothLine(Form):
    """A line for the chart; `instead` is the entry it corrects."""

    line: str = ""
    here: Tick = False
    instead: Reference = 0


class OfWorks(Form):
    """Entries of the chart, as '12,13'."""

    ids: str = ""


def _patient(ctx: RequestContext, patient_id: int) -> Patient:
    with ctx.read() as connection:
        patient = patient_of(connection, patient_id)
    if patient is None:
        raise NotFound("There is no such patient.")
    return patient


@router.get("/patients/{patient_id}/teeth")
def show_teeth(request: Request, patient_id: int, change: int = 0) -> Response:
    return teeth_page(enter(request, "charges"), patient_id, change=change)


def teeth_page(
    ctx: RequestContext, patient_id: int, status: int = 200, change: int = 0, **more: object
) -> Response:
    """`change` is the entry whose line stands in the field."""
    patient = _patient(ctx, patient_id)
    with ctx.read() as connection:
        mouth = acts.mouth_page(connection, ctx.clinic, patient_id, ctx.actor.id, ctx.now, ctx.today)
    corrected = next((each for each in mouth.told if change in each.ids), None)
    young = patient.birth is not None and age_on(patient.birth, ctx.today) < _PRIMARY_UNTIL
    page = ctx.page(
        "charges/tooth_history.html",
        status,
        p=patient,
        mouth=mouth,
        corrected=corrected,
        picture=mouth_svg(mouth.teeth, ctx.clinic.numbering, primary=young, frame=WHOLE),
        young=young,
        letters={letter: (work, WORK_WORDS[work], EXAMPLES[work]) for letter, work in LETTERS.items()},
        work_sign=work_sign,
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient_id, "teeth")


@router.get("/patients/{patient_id}/teeth/read")
def read_typed(request: Request, patient_id: int, line: str = "", instead: int = 0) -> Response:
    """What the line says, while it is typed."""
    ctx = enter(request, "charges")
    works, problem = [], ""
    with ctx.read() as connection:
        try:
            works = (
                acts.read_works(connection, ctx.clinic, patient_id, line, ctx.today, instead)
                if line.strip()
                else []
            )
        except Mendable as error:
            problem = str(error)
    return ctx.page(
        "charges/tooth_line.html",
        works=works,
        problem=problem,
        work_words=WORK_WORDS,
        work_sign=work_sign,
        shown=[show_tooth(n, ctx.clinic.numbering) for n in works[0].teeth] if works else [],
    )


def _add(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    sent = form.read(ToothLine)
    acts.add_tooth_works(ctx.desk, ctx.actor, patient_id, sent.line, sent.here, sent.instead)
    return "Changed on the chart." if sent.instead else "On the chart."


def _ids(form: PostedForm) -> list[int]:
    return [number for each in form.read(OfWorks).ids.split(",") if (number := reference(each))]


def _remove(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    ids = _ids(form)
    acts.remove_tooth_works(ctx.desk, ctx.actor, patient_id, ids)
    return f"Off the chart.|{','.join(str(each) for each in ids)}"


def _put_back(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    acts.put_tooth_works_back(ctx.desk, ctx.actor, patient_id, _ids(form))
    return "On the chart again."


ACTS = {"add": _add, "remove": _remove, "put-back": _put_back}


@router.post("/patients/{patient_id}/teeth/{act}")
def change_teeth(
    request: Request, patient_id: int, act: str, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "charges")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](ctx, patient_id, form)
    except Mendable as error:
        return teeth_page(
            ctx,
            patient_id,
            error.status,
            reference(form["instead"]),
            problems=error.problems,
            typed=form,
            about={"act": act},
        )
    return ctx.go(f"/patients/{patient_id}/teeth", said)

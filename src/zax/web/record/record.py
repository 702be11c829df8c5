"""The record: one page, each part edited in its place. `?edit=reach` opens a part, `?edit=coverage-7` a
coverage; everything works without scripts.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from zax.core.arrivals.conditions import Place
from zax.core.book.waitlist import WAIT_WORDS
from zax.core.coverage.benefits import CATEGORY_WORDS
from zax.core.coverage.member import RELATIONSHIP_WORDS
from zax.core.errors import Mendable, NotFound, Stale, ZaxError
from zax.core.followup.due import STAND_WORDS
from zax.core.form import Form, OfVersion, Reference, ReferenceOrNone, Tick
from zax.core.patients.fields import (
    AGREED,
    CARE,
    CARE_WORDS,
    CHANNELS,
    STATUSES,
    TOPICS,
    mask_ssn,
)
from zax.core.patients.own_fields import OWN
from zax.core.patients.uploads import KINDS
from zax.core.reading import reference
from zax.core.record.gaps import PURPOSE_WORDS
from zax.core.wording import phone_words
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.heads_ups import heads_ups
from zax.desk.book.planned import drop_planned, plan_service, set_wishes
from zax.desk.clinic.clinic import Clinic
from zax.desk.coverage.coverages import HOLDERS, RANKS, end_coverage, save_coverage
from zax.desk.coverage.eligibility import ask
from zax.desk.patients import details as acts
from zax.desk.patients import household, notes
from zax.desk.patients.notes import NoteForm
from zax.desk.record.record import changes_of, number_of, record_of
from zax.store.arrivals.signed import signed_forms
from zax.store.coverage.queries import one_coverage
from zax.store.followup.recalls import recall_types, recalls_of
from zax.store.followup.returns import reasons, returns_of
from zax.store.listing import Order
from zax.store.patients.patients import patient_of
from zax.store.patients.records import Patient
from zax.store.record.record import listed_visits
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class OfRecord(Form):
    """What of a record it is about."""

    flag_id: Reference = 0
    note_id: Reference = 0
    patient_id: Reference = 0


class StatusForm(OfVersion):
    """In use, away or deceased, with why; how the day of death may be written is the act's to say."""

    status: str = ""
    words: str = ""
    died_on: str = ""


class SsnForm(OfVersion):
    ssn: str = ""


class ToPlan(Form):
    service_id: Reference = 0
    tooth: str = ""
    surfaces: str = ""


class AskForm(Form):
    """For which visit it is asked, and whether to stay on the page."""

    visit_id: ReferenceOrNone = None
    stay: Tick = False


@router.get("/patients/{patient_id}")
def show_record(request: Request, patient_id: int, edit: str = "") -> Response:
    ctx = enter(request)
    with ctx.read() as connection:
        number = number_of(connection, patient_id)
    if number != patient_id:
        return RedirectResponse(f"/patients/{number}", 303)
    return record_page(ctx, patient_id, edit=edit)


def record_page(
    ctx: RequestContext, patient_id: int, status: int = 200, edit: str = "", **more: object
) -> Response:
    """`edit` names the part that is open; `problems` and `typed` belong to it."""
    with ctx.read() as connection:
        record = record_of(connection, ctx.clinic, patient_id, ctx.now, ctx.today)
        kind, _, number = edit.partition("-")
        open_coverage = one_coverage(connection, reference(number)) if kind == "coverage" else None
        ups = heads_ups(connection, ctx.clinic, Place.RECORD, Asking(patient_id), ctx.today)
        signed, recalls = signed_forms(connection, patient_id), recalls_of(connection, patient_id, ctx.today)
        returns, return_reasons = returns_of(connection, patient_id), reasons(connection)
        types_of_recall = recall_types(connection)
    masked = mask_ssn(ctx.shared.vault.open(record.patient.ssn_cipher)) if record.patient.ssn_cipher else ""
    page = ctx.page(
        "record/record.html",
        status,
        r=record,
        p=record.patient,
        edit=edit,
        sections=ctx.clinic.sections,
        shown={each.name: each.shown(record.patient.value) for each in ctx.clinic.sections.values()},
        masked=masked,
        topics={**dict.fromkeys(TOPICS, CHANNELS), CARE: AGREED},
        topic_words={**TOPICS, CARE: CARE_WORDS},
        statuses=STATUSES,
        kinds=KINDS,
        purposes=PURPOSE_WORDS,
        wait_words=WAIT_WORDS,
        value_of=partial(value_of, ctx.clinic),
        open_coverage=open_coverage,
        ranks=RANKS,
        holders=HOLDERS,
        relations=RELATIONSHIP_WORDS,
        category_words=CATEGORY_WORDS,
        screen="patients",
        ups=ups,
        signed=signed,
        recalls=recalls,
        recall_types=types_of_recall,
        returns=returns,
        return_reasons=return_reasons,
        stand_words=STAND_WORDS,
        **({"about": {}} | more),
    )
    return ctx.looked(page, patient_id, "record")


def value_of(clinic: Clinic, row: Patient, name: str) -> str:
    """A field of the record as it is typed."""
    value = row.value(name)
    if isinstance(value, date):
        return f"{value.month}/{value.day}/{value.year}"
    if name.startswith(OWN):
        return clinic.field_words(name, str(value))
    return phone_words(value) if name.endswith("phone") and value else str(value or "")


@router.get("/patients/{patient_id}/changes")
def show_changes(request: Request, patient_id: int) -> Response:
    """Every change of the record: what, who, when."""
    ctx = enter(request)
    with ctx.read() as connection:
        record = record_of(connection, ctx.clinic, patient_id, ctx.now, ctx.today)
        changes = changes_of(connection, patient_id, wanted_of(request, Order.NEWEST))
    return ctx.looked(
        ctx.page("record/changes.html", p=record.patient, changes=changes, screen="patients"),
        patient_id,
        "changes",
    )


@router.get("/patients/{patient_id}/visits")
def show_visits(request: Request, patient_id: int) -> Response:
    """Every visit of the patient, ahead and past."""
    ctx = enter(request)
    with ctx.read() as connection:
        patient = patient_of(connection, patient_id)
        if patient is None:
            raise NotFound("There is no such patient.")
        visits = listed_visits(connection, patient.id, wanted_of(request, Order.NEWEST))
    return ctx.looked(
        ctx.page("record/visits.html", p=patient, visits=visits, screen="patients"), patient.id, "visits"
    )


@router.post("/patients/{patient_id}/part/{name}")
def save_part(
    request: Request, patient_id: int, name: str, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "patients")
    try:
        version = form.read(OfVersion).version or 0
        acts.change_section(ctx.desk, ctx.actor, patient_id, name, form, version, ctx.site_id)
    except Mendable as error:
        return _again(ctx, patient_id, name, error, form)
    return ctx.go(f"/patients/{patient_id}", "Saved.")


def _again(ctx: RequestContext, patient_id: int, edit: str, error: Mendable, form: PostedForm) -> Response:
    """The page with the part still open, what was typed, and what is wrong; after a stale save with the
    version that now stands, and what somebody else entered in the fields that were left alone.
    """
    problems = error.problems
    if isinstance(error, Stale):
        form["version"] = ""
        for name in [name for name in form if form.get(f"was-{name}") == form[name]]:
            del form[name]
    return record_page(
        ctx, patient_id, error.status, edit, problems=problems, typed=form, about={"act": edit}
    )


def _flag(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    notes.set_flag(ctx.desk, ctx.actor, patient_id, form.read(OfRecord).flag_id)
    return "Flag set."


def _unflag(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    notes.end_flag(ctx.desk, ctx.actor, patient_id, form.read(OfRecord).flag_id)
    return "Flag removed."


def _note(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    notes.add_note(ctx.desk, ctx.actor, patient_id, form.read(NoteForm))
    return "Note saved."


def _end_note(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    notes.end_note(ctx.desk, ctx.actor, patient_id, form.read(OfRecord).note_id)
    return "Note archived. It stays on record."


def _status(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    sent = form.read(StatusForm)
    return acts.set_status(
        ctx.desk,
        ctx.actor,
        patient_id,
        sent.status,
        sent.words,
        sent.died_on,
        sent.version or 0,
        ctx.site_id,
    )


def _messages(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    acts.set_reach(ctx.desk, ctx.actor, patient_id, form, form.read(OfVersion).version or 0)
    return "Saved. Messages use it from now on."


def _ssn(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    sent = form.read(SsnForm)
    acts.set_ssn(ctx.desk, ctx.actor, ctx.shared.vault, patient_id, sent.ssn, sent.version or 0)
    return "Saved, sealed."


def _join(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    household.join_household(ctx.desk, ctx.actor, patient_id, form.read(OfRecord).patient_id)
    return "Moved. Past bills stay where they are."


def _leave(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    household.leave_household(ctx.desk, ctx.actor, patient_id)
    return "On their own now. Past bills stay where they are."


def _pays(ctx: RequestContext, patient_id: int, form: PostedForm) -> str:
    household.make_payer(ctx.desk, ctx.actor, patient_id)
    return "Now the guarantor."


ACTS: dict[str, tuple[Callable[[RequestContext, int, PostedForm], str], str]] = {
    "flag": (_flag, "flags"),
    "unflag": (_unflag, ""),
    "note": (_note, "notes"),
    "end-note": (_end_note, ""),
    "status": (_status, "status"),
    "messages": (_messages, "messages"),
    "ssn": (_ssn, "ssn"),
    "join": (_join, "household"),
    "leave": (_leave, "household"),
    "pays": (_pays, "household"),
}


@router.post("/patients/{patient_id}/act/{name}")
def change_record(
    request: Request, patient_id: int, name: str, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "patients")
    if name not in ACTS:
        raise NotFound("There is no such step.")
    act, part = ACTS[name]
    try:
        said = act(ctx, patient_id, form)
    except Mendable as error:
        return _again(ctx, patient_id, part, error, form)
    return ctx.go(f"/patients/{patient_id}", said)


@router.post("/patients/{patient_id}/ssn/show")
def reveal(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The number in clear, once; who saw it is on record."""
    ctx = enter(request, "patients")
    digits = acts.show_ssn(ctx.desk, ctx.actor, ctx.shared.vault, patient_id)
    return record_page(ctx, patient_id, shown_ssn=f"{digits[:3]}-{digits[3:5]}-{digits[5:]}")


@router.post("/patients/{patient_id}/wishes")
def save_wishes(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The half days that suit: fields 'half-0' (Monday morning) to 'half-13', each likes, never or empty."""
    ctx = enter(request, "patients")
    chosen = {number: form[f"half-{number}"] for number in range(14)}
    likes, never = ([n for n, value in chosen.items() if value == wanted] for wanted in ("likes", "never"))
    set_wishes(ctx.desk, ctx.actor, patient_id, likes, never)
    return ctx.go(f"/patients/{patient_id}", "Times saved. Openings and the waitlist use them.")


@router.post("/patients/{patient_id}/planned")
def add_planned(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "charges")
    try:
        sent = form.read(ToPlan)
        plan_service(ctx.desk, ctx.actor, patient_id, sent.service_id, sent.tooth, sent.surfaces)
    except Mendable as error:
        return _again(ctx, patient_id, "planned", error, form)
    return ctx.go(f"/patients/{patient_id}", "Planned. It’s offered when you book a visit.")


@router.post("/patients/{patient_id}/planned/{planned_id}/drop")
def drop_plan(
    request: Request, patient_id: int, planned_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "charges")
    drop_planned(ctx.desk, ctx.actor, planned_id)
    return ctx.go(f"/patients/{patient_id}", "No longer planned.")


# --- coverage
@router.post("/patients/{patient_id}/coverage/{coverage_id}")
def keep_coverage(
    request: Request, patient_id: int, coverage_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    """Enter (0) or correct a coverage."""
    ctx = enter(request, "patients")
    if form["subscriber_id"] == "":
        form["subscriber_id"] = form["patient_id"]
    try:
        save_coverage(ctx.desk, ctx.actor, patient_id, coverage_id, form, form.read(OfVersion).version)
    except Mendable as error:
        return _again(ctx, patient_id, f"coverage-{coverage_id}", error, form)
    return ctx.go(f"/patients/{patient_id}", "Coverage saved.")


@router.post("/patients/{patient_id}/coverage/{coverage_id}/end")
def stop_coverage(
    request: Request, patient_id: int, coverage_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    ctx = enter(request, "patients")
    try:
        end_coverage(ctx.desk, ctx.actor, patient_id, coverage_id, form["last_day"])
    except Mendable as error:
        return _again(ctx, patient_id, f"coverage-{coverage_id}", error, form)
    return ctx.go(f"/patients/{patient_id}", "Ended. Claims from its time still go out on it.")


@router.post("/coverage/{coverage_id}/ask")
def ask_payer(request: Request, coverage_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Ask the payer now; the answer is the next page."""
    ctx = enter(request)
    try:
        sent = form.read(AskForm)
        judged = ask(
            ctx.desk,
            ctx.actor,
            ctx.shared.outside.clearinghouse,
            coverage_id,
            ctx.today,
            sent.visit_id,
        )
    except ZaxError as error:
        return ctx.go(form.back, error.message)
    return ctx.go(form.back if sent.stay else f"/coverage/{coverage_id}/answer", judged.words)

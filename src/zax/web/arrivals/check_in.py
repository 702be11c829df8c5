"""Arrival: the check-in page of one visit, top to bottom in the clinic's own order, and what each
step does.
"""

from __future__ import annotations

import uuid
from functools import partial

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.conditions import Place
from zax.core.arrivals.steps import next_open
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.form import Form, OfVersion, Reference, ReferenceOrNone, References, Tick
from zax.core.patients.uploads import Cut
from zax.desk.arrivals.check_in import StepsOpen, arrival_of, check_in, do_step, undo_step
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.forms import filled_blocks, record_words
from zax.desk.arrivals.heads_ups import dismiss, heads_ups, show_again
from zax.desk.coverage.eligibility import ask
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.money.payment_page import last_ways, patient_of_visit
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.patients.files import keep_file, set_photo
from zax.desk.people.second_factor import check_second_of
from zax.desk.people.sign_in import authenticate
from zax.store.arrivals.heads_ups import away_with_names
from zax.store.engine import TROUBLE
from zax.store.money.payments import cards_of
from zax.web.money.tenders import tender_choices, tender_forms
from zax.web.record.record import value_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class StepSent(Form):
    step_id: Reference = 0
    note: str = ""


class OfPatient(Form):
    patient_id: Reference = 0
    visit_id: ReferenceOrNone = None


class CardSide(OfPatient):
    """A picture of the insurance card; with the `last` side the step is done."""

    coverage_id: ReferenceOrNone = None
    kind: str = ""
    last: Tick = False

    @property
    def side(self) -> str:
        return self.kind if self.kind == "card_back" else "card_front"


class Collected(Form):
    """A payment on arrival: what is paid besides this visit, and the form's key."""

    also: References = ()
    key: str = ""
    over: str = ""


class LetIn(OfVersion):
    """Checking in; with a manager's name and password although a required step is open."""

    reason: str = ""
    boss: str = ""
    boss_password: str = ""
    boss_password_code: str = ""


SHOWN_DETAILS = ("birth", "phone", "email", "street", "city", "zip", "emergency_name", "emergency_phone")


@router.get("/visits/{visit_id}/arrival")
def show_arrival(request: Request, visit_id: int, step: int = 0) -> Response:
    """`step` opens another one than the first that is to be done."""
    return arrival_page(enter(request, "arrivals"), visit_id, step=step)


def arrival_page(
    ctx: RequestContext, visit_id: int, status: int = 200, step: int = 0, **more: object
) -> Response:
    """`about` names the step that a problem belongs to."""
    with ctx.read() as connection:
        sheet = sheet_of(connection, ctx.clinic, ctx.now, visit_id)
        arrival = arrival_of(connection, ctx.clinic, ctx.now, sheet.visit, sheet.known, sheet.bill)
        patient = sheet.visit.patient_id
        ups = heads_ups(connection, ctx.clinic, Place.ARRIVAL, Asking(patient), ctx.today, arrival.known)
        away = away_with_names(connection, patient, visit_id, ctx.today)
        words = record_words(connection, ctx.clinic, arrival.patient, ctx.now, ctx.site_id)
        household = sheet.visit.household_id
        choices = tender_choices(
            ctx.clinic, cards_of(connection, household), last_ways(connection, household).tender
        )
    asked = [
        stand for stand in arrival.stands if stand.step.id == step and stand.state in {"open", "skipped"}
    ]
    now = asked[0] if asked else next_open(arrival.stands)
    forms = {
        each.id: (each, filled_blocks(each.blocks, words))
        for each in ctx.clinic.forms.values()
        if any(s.step.template_id == each.id for s in arrival.stands)
    }
    page = ctx.page(
        "arrivals/check_in.html",
        status,
        sheet=sheet,
        arrival=arrival,
        now_step=now,
        ups=ups,
        away=away,
        forms=forms,
        fills=words,
        key_of_form=uuid.uuid4().hex,
        details=[*SHOWN_DETAILS, *(each.name for each in ctx.clinic.at_visits)],
        fields=ctx.clinic.record_fields,
        value_of=partial(value_of, ctx.clinic),
        screen="day",
        choices=choices,
        no_typed=PostedForm(),
        expected=sheet.stop in {Stop.BOOKED, Stop.CONFIRMED, Stop.MISSED},
        **({"about": {}} | more),
    )
    return ctx.looked(page, patient, "arrival")


def _done(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    sent = form.read(StepSent)
    do_step(ctx.desk, ctx.actor, visit_id, sent.step_id, "done", sent.note)
    return ""


def _skip(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    sent = form.read(StepSent)
    do_step(ctx.desk, ctx.actor, visit_id, sent.step_id, "skipped", sent.note)
    return "Skipped."


def _undo(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    undo_step(ctx.desk, ctx.actor, visit_id, form.read(StepSent).step_id)
    return "Reopened."


def _card(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    """A side of the insurance card; with both sides the step is done."""
    sent = form.read(CardSide)
    if not form.content:
        raise Refused("Choose the picture of the card first.", "file")
    keep_file(
        ctx.desk,
        ctx.actor,
        ctx.shared.files,
        sent.patient_id,
        sent.side,
        form["file_name"],
        form.content,
        sent.coverage_id,
    )
    if sent.last:
        _done(ctx, visit_id, form)
    return "Saved."


def _photo(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    if not form.content:
        raise Refused("Choose a picture first.", "file")
    patient_id = form.read(OfPatient).patient_id
    set_photo(ctx.desk, ctx.actor, ctx.shared.files, patient_id, form.content, Cut())
    return _done(ctx, visit_id, form) or "Photo saved."


def _collect(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    """Take the copay and what is open from earlier; a card that is declined or unclear leaves the
    step open.
    """
    sent = form.read(Collected)
    items = [*(Item(number) for number in sent.also), Item(visit_id)]
    pay = PayForm(tenders=tender_forms(form), items=items, key=sent.key, over=sent.over, site_id=ctx.site_id)
    with ctx.read() as connection:
        patient_id = patient_of_visit(connection, visit_id)
    taken = take_payment(ctx.desk, ctx.actor, ctx.shared.outside.terminal, patient_id, pay)
    if not taken.whole:
        raise Refused(taken.words, "tender")
    _done(ctx, visit_id, form)
    return f"{taken.words} It’ll be applied to the charges when they come."


def _ask(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    judged = ask(
        ctx.desk,
        ctx.actor,
        ctx.shared.outside.clearinghouse,
        form.read(CardSide).coverage_id or 0,
        ctx.today,
        visit_id,
    )
    return judged.words


def _check_in(ctx: RequestContext, visit_id: int, form: PostedForm) -> str:
    """Onto the premises; a manager's name and password, and their second factor where they have one, let
    somebody in although a required step is open.
    """
    sent, boss = form.read(LetIn), None
    if sent.boss.strip():
        address = ctx.request.client.host if ctx.request.client else ""
        boss = authenticate(ctx.desk, sent.boss, sent.boss_password, address)
        check_second_of(ctx.desk, ctx.shared.vault, boss.id or 0, sent.boss_password_code, address)
    check_in(ctx.desk, ctx.actor, visit_id, sent.version, sent.reason, boss)
    return "Checked in. The wait time is running."


ACTS = {
    "done": _done,
    "skip": _skip,
    "undo": _undo,
    "card": _card,
    "photo": _photo,
    "collect": _collect,
    "ask": _ask,
    "check-in": _check_in,
}


@router.post("/visits/{visit_id}/arrival/{act}")
def act_on_arrival(
    request: Request, visit_id: int, act: str, form: PostedForm = Depends(posted_form)
) -> Response:
    """One act of the page; a problem shows at its step with what was typed."""
    ctx = enter(request, "arrivals")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](ctx, visit_id, form)
    except TROUBLE:
        if act != "collect":
            raise
        return ctx.unsure(form["key"], f"/visits/{visit_id}/arrival")
    except Mendable as error:
        form.pop("boss_password", None)
        form.pop("boss_password_code", None)
        about = {"act": act, "step": form["step_id"], "blocked": isinstance(error, StepsOpen)}
        return arrival_page(ctx, visit_id, error.status, problems=error.problems, typed=form, about=about)
    return ctx.go("/day" if act == "check-in" else f"/visits/{visit_id}/arrival", said)


@router.post("/headsups/{headsup_id}/away")
def put_away(request: Request, headsup_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    sent = form.read(OfPatient)
    dismiss(ctx.desk, ctx.actor, headsup_id, sent.patient_id, sent.visit_id, ctx.site_id)
    return ctx.go(form.back, "Dismissed. Who did it is on record.")


@router.post("/headsups/{headsup_id}/again")
def again(request: Request, headsup_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    show_again(ctx.desk, ctx.actor, headsup_id, form.read(OfPatient).patient_id)
    return ctx.go(form.back, "Showing again.")

"""Arrival: the check-in page of one visit, top to bottom in the clinic's own order, and what each step does."""

from __future__ import annotations

import uuid
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy.exc import OperationalError

from zax.core.arrivals.conditions import Place
from zax.core.arrivals.steps import next_open
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.patients.fields import SECTIONS
from zax.core.patients.papers import Cut
from zax.desk.about import Asking
from zax.desk.access import authenticate
from zax.desk.arrivals import StepsOpen, arrival_of, check_in, do_step, undo_step
from zax.desk.cards import cards_of
from zax.desk.eligibility import ask
from zax.desk.files import keep_file, set_photo
from zax.desk.forms import filled_blocks, record_words
from zax.desk.headsups import away_with_names, dismiss, heads_ups, show_again
from zax.desk.paydesk import last_ways, patient_of_visit
from zax.desk.payments import Item, PayForm, take_payment
from zax.desk.sheet import sheet_of
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.record import value_of
from zax.web.tenders import tender_choices, tender_forms

router = APIRouter()
SHOWN_DETAILS = ("birth", "phone", "email", "street", "city", "zip", "emergency_name", "emergency_phone")


@router.get("/visits/{visit_id}/arrival")
def show_arrival(request: Request, visit_id: int, step: int = 0) -> Response:
    """`step` opens another one than the first that is to be done."""
    return arrival_page(enter(request, "arrivals"), visit_id, step=step)


def arrival_page(here: Here, visit_id: int, status: int = 200, step: int = 0, **more: Any) -> Response:
    """`about` names the step that a problem belongs to."""
    with here.read() as connection:
        sheet = sheet_of(connection, here.clinic, here.now, visit_id)
        arrival = arrival_of(connection, here.clinic, here.now, sheet.visit, sheet.bill)
        patient = sheet.visit.patient_id
        ups = heads_ups(connection, here.clinic, Place.ARRIVAL, Asking(patient), here.today, visit_id, arrival.about)
        away = away_with_names(connection, patient, visit_id, here.today)
        words = record_words(connection, here.clinic, arrival.patient, here.now, here.site_id)
        household = sheet.visit.household_id
        choices = tender_choices(
            here.clinic, cards_of(connection, household), last_ways(connection, household).tender
        )
    asked = [stand for stand in arrival.stands if stand.step.id == step and stand.state in {"open", "skipped"}]
    now = asked[0] if asked else next_open(arrival.stands)
    forms = {
        each.id: (each, filled_blocks(each.blocks, words)) for each in here.clinic.forms.values()
        if any(s.step.template_id == each.id for s in arrival.stands)
    }  # fmt: skip
    page = here.page(
        "arrival.html", status, sheet=sheet, arrival=arrival, now_step=now, ups=ups, away=away, forms=forms, fills=words, key_of_form=uuid.uuid4().hex, details=SHOWN_DETAILS,
        fields={f.name: f for section in SECTIONS.values() for f in section.fields}, value_of=value_of, screen="day", choices=choices, no_typed=Typed(),
        expected=sheet.stop in {Stop.BOOKED, Stop.CONFIRMED, Stop.MISSED}, **({"about": {}} | more),
    )  # fmt: skip
    return here.looked(page, patient, "arrival")


def _done(here: Here, visit_id: int, form: Typed) -> str:
    do_step(here.desk, here.actor, visit_id, form.number("step_id") or 0, "done", form["note"])
    return ""


def _skip(here: Here, visit_id: int, form: Typed) -> str:
    do_step(here.desk, here.actor, visit_id, form.number("step_id") or 0, "skipped", form["note"])
    return "Left out."


def _undo(here: Here, visit_id: int, form: Typed) -> str:
    undo_step(here.desk, here.actor, visit_id, form.number("step_id") or 0)
    return "Open again."


def _card(here: Here, visit_id: int, form: Typed) -> str:
    """A side of the insurance card; with both sides the step is done."""
    patient, coverage = form.number("patient_id") or 0, form.number("coverage_id")
    kind = form["kind"] if form["kind"] in {"card_front", "card_back"} else "card_front"
    if not form.content:
        raise Refused("Choose the picture of the card first.", "file")
    keep_file(here.desk, here.actor, here.shared.files, patient, kind, form["file_name"], form.content, coverage)
    if form["last"] == "yes":
        _done(here, visit_id, form)
    return "Kept."


def _photo(here: Here, visit_id: int, form: Typed) -> str:
    if not form.content:
        raise Refused("Choose a picture first.", "file")
    set_photo(here.desk, here.actor, here.shared.files, form.number("patient_id") or 0, form.content, Cut())
    return _done(here, visit_id, form) or "Photo kept."


def _collect(here: Here, visit_id: int, form: Typed) -> str:
    """Take the copay and what is open from earlier; a card that is declined or unclear leaves the step open."""
    items = [*(Item(number) for number in form.numbers("also")), Item(visit_id)]
    pay = PayForm(tender_forms(form), items, form["key"], form["over"], site_id=here.site_id)
    with here.read() as connection:
        patient_id = patient_of_visit(connection, visit_id)
    taken = take_payment(here.desk, here.actor, here.shared.outside.terminal, patient_id, pay)
    if not taken.whole:
        raise Refused(taken.words, "tender")
    _done(here, visit_id, form)
    return f"{taken.words} It is offered to the charges when they come."


def _ask(here: Here, visit_id: int, form: Typed) -> str:
    judged = ask(
        here.desk,
        here.actor,
        here.shared.outside.clearinghouse,
        form.number("coverage_id") or 0,
        here.today,
        visit_id,
    )
    return judged.words


def _check_in(here: Here, visit_id: int, form: Typed) -> str:
    """Onto the premises; a manager's name and password let somebody in although a required step is open."""
    boss = None
    if form["boss"].strip():
        address = here.request.client.host if here.request.client else ""
        boss = authenticate(here.desk, form["boss"], form["boss_password"], address)
    check_in(here.desk, here.actor, visit_id, form.number("version"), form["reason"], boss)
    return "Checked in. The waiting time runs."


ACTS = {
    "done": _done, "skip": _skip, "undo": _undo, "card": _card, "photo": _photo, "collect": _collect, "ask": _ask, "check-in": _check_in
}  # fmt: skip


@router.post("/visits/{visit_id}/arrival/{act}")
def act_on_arrival(request: Request, visit_id: int, act: str, form: Typed = Depends(typed_form)) -> Response:
    """One act of the page; a problem shows at its step with what was typed."""
    here = enter(request, "arrivals")
    if act not in ACTS:
        raise NotFound("There is no such step.")
    try:
        said = ACTS[act](here, visit_id, form)
    except OperationalError:
        if act != "collect":
            raise
        return here.unsure(form["key"], f"/visits/{visit_id}/arrival")
    except Mendable as error:
        form.pop("boss_password", None)
        about = {"act": act, "step": form["step_id"], "blocked": isinstance(error, StepsOpen)}
        return arrival_page(here, visit_id, error.status, problems=error.problems, typed=form, about=about)
    return here.go("/day" if act == "check-in" else f"/visits/{visit_id}/arrival", said)


@router.post("/headsups/{headsup_id}/away")
def put_away(request: Request, headsup_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request)
    patient = form.number("patient_id") or 0
    dismiss(here.desk, here.actor, headsup_id, patient, form.number("visit_id"), here.site_id)
    return here.go(form.back, "Put away; who did is on record.")


@router.post("/headsups/{headsup_id}/again")
def again(request: Request, headsup_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request)
    show_again(here.desk, here.actor, headsup_id, form.number("patient_id") or 0)
    return here.go(form.back, "Shown again.")

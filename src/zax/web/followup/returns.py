"""Returns on screen: those that nobody booked on top however old they are, one of them open beside the list
with what was tried, and every step of it as a paper.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.errors import Mendable, NotFound
from zax.core.followup.attempts import OUTCOME_WORDS, Outcome
from zax.core.followup.due import OPEN, STAND_WORDS, Stand, days_over
from zax.core.followup.escalation import TO_WORDS, To, next_rise
from zax.core.followup.returns import FOR_WHOM
from zax.core.reading import day_or_none, reference
from zax.desk.followup import returns
from zax.desk.followup.returns import ReturnForm, TriedReturn, with_tries
from zax.desk.followup.rising import RiseRule, rise_rule
from zax.desk.followup.tries import HOW, undo_try
from zax.store.followup import returns as stored
from zax.store.followup.tries import ContactTry, tries_of
from zax.store.patients.patients import known_patient
from zax.store.record.record import visits_ahead
from zax.web.charges.charges import charges_page
from zax.web.record.record import record_page
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()
SHOWS = {"open": "To book", "booked": "Booked", "done": "Done"}
_OF_SHOW = {"open": OPEN, "booked": {Stand.BOOKED}, "done": {Stand.DONE}}
_ORDER = list(Stand)
# Days of lateness that fill the whole hatch.
LATEST, WIDE = 30, 88
MOST_VISITS = 8


@dataclass(frozen=True, slots=True)
class ReturnLine:
    """One of the list: how late, how wide its hatch, and where it goes next."""

    of: TriedReturn
    over: int
    hatch: int
    goes_on: date | None
    goes_to: To | None


@router.get("/followup/returns")
def show_returns(request: Request) -> Response:
    return returns_page(enter(request, "see"))


def returns_page(ctx: RequestContext, opened_id: int = 0, status: int = 200, **more: object) -> Response:
    asked = ctx.request.query_params
    show = asked.get("show", "open")
    if show not in SHOWS:
        raise NotFound("There is no such list of returns.")
    opened_id = opened_id or reference(asked.get("open", ""))
    rule = rise_rule(ctx.clinic)
    with ctx.read() as connection:
        rows = stored.open_returns(connection)
        shown = [each for each in rows if each.stand(ctx.today) in _OF_SHOW[show]]
        tries = tries_of(connection, sorted({each.patient_id for each in shown}))
        one = stored.return_of(connection, opened_id) if opened_id else None
        if opened_id and one is None:
            raise NotFound("There is no such return.")
        own = tries_of(connection, [one.patient_id]) if one else []
        events = stored.events_of(connection, one.id) if one else []
        ahead = visits_ahead(connection, one.patient_id, ctx.today, MOST_VISITS) if one else []
    lines = [_line(each, ctx.today, rule) for each in with_tries(shown, tries, ctx.today)]
    page = ctx.page(
        "followup/returns.html",
        status,
        show=show,
        shows=SHOWS,
        counts={name: sum(each.stand(ctx.today) in of for each in rows) for name, of in _OF_SHOW.items()},
        lines=sorted(lines, key=lambda each: (_ORDER.index(each.of.stand), not each.of.row.urgent)),
        opened=_line(with_tries([one], own, ctx.today)[0], ctx.today, rule) if one else None,
        steps=steps_of(one.id, events, own) if one else [],
        ahead=[each for each in ahead if one and each.id not in {one.booked_visit_id, one.visit_id}],
        stand_words=STAND_WORDS,
        to_words=TO_WORDS,
        for_whom=FOR_WHOM,
        outcomes=OUTCOME_WORDS,
        Stand=Stand,
        screen="followup",
        **more,
    )
    people = sorted({each.patient_id for each in (*shown, *([one] if one else []))})
    return ctx.looked_at(page, people, "returns")


def _line(of: TriedReturn, today: date, rule: RiseRule) -> ReturnLine:
    over = days_over(of.row.due_day, today)
    coming = next_rise(of.row.due_day, of.row.urgent, of.row.risen, rule.rises)
    goes_on, goes_to = coming if coming and of.stand in OPEN else (None, None)
    return ReturnLine(of, over, min(LATEST, over) * WIDE // LATEST, goes_on, goes_to)


@router.post("/patients/{patient_id}/returns")
def ask(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """From the charges page or the record; what is wrong is said where it was typed."""
    ctx = enter(request, "charges")
    visit_id = reference(form["visit_id"])
    try:
        returns.ask_return(ctx.desk, ctx.actor, patient_id, form.read(ReturnForm))
    except Mendable as error:
        if visit_id:
            return charges_page(ctx, visit_id, error.status, problems=error.problems, typed=form)
        return record_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    to = f"/visits/{visit_id}/charges" if visit_id else f"/patients/{patient_id}"
    return ctx.go(to, "They’re asked back. It stays on the list until it’s booked.")


@router.post("/followup/returns/{return_id}/tried")
def tried(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def act(ctx: RequestContext) -> None:
        returns.note_try(ctx.desk, ctx.actor, return_id, form["how"] or "call", form["outcome"], form["note"])

    return _done(request, return_id, act, form, "Noted.")


@router.post("/followup/returns/{return_id}/tries/{try_id}/undo")
def undo(request: Request, return_id: int, try_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(request, return_id, lambda ctx: undo_try(ctx.desk, ctx.actor, try_id), form, "Taken back.")


@router.post("/followup/returns/{return_id}/visit")
def hang(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """With a visit that is booked already, or with none anymore."""
    visit_id = reference(form["visit_id"])

    def act(ctx: RequestContext) -> None:
        if visit_id:
            returns.hang_on(ctx.desk, ctx.actor, return_id, visit_id)
        else:
            returns.take_from_visit(ctx.desk, ctx.actor, return_id)

    return _done(request, return_id, act, form, "Booked with that visit." if visit_id else "Due again.")


@router.post("/followup/returns/{return_id}/pause")
def pause(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    until = day_or_none(form["until"])
    return _done(
        request,
        return_id,
        lambda ctx: returns.pause_return(ctx.desk, ctx.actor, return_id, until, form["why"]),
        form,
        "Left until then." if until else "It counts again.",
    )


@router.post("/followup/returns/{return_id}/due")
def change(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(
        request,
        return_id,
        lambda ctx: returns.change_due(ctx.desk, ctx.actor, return_id, form["by"], form["why"]),
        form,
        "Changed.",
    )


@router.post("/followup/returns/{return_id}/end")
def end(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(
        request,
        return_id,
        lambda ctx: returns.end_return(ctx.desk, ctx.actor, return_id, form["why"]),
        form,
        "Closed, with your reason.",
    )


@router.post("/followup/returns/{return_id}/again")
def again(request: Request, return_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _done(
        request,
        return_id,
        lambda ctx: returns.open_again(ctx.desk, ctx.actor, return_id),
        form,
        "Open again.",
    )


@router.get("/followup/returns/{return_id}/evidence.pdf")
def evidence(request: Request, return_id: int) -> Response:
    """Who tried what and when, as a paper for the record."""
    ctx = enter(request, "see")
    with ctx.read() as connection:
        row = stored.return_of(connection, return_id)
        if row is None:
            raise NotFound("There is no such return.")
        tries = tries_of(connection, [row.patient_id])
        events = stored.events_of(connection, row.id)
    site = ctx.clinic.first_site
    content = paper(
        "followup/papers/return.html",
        row=row,
        stand=STAND_WORDS[row.stand(ctx.today)],
        steps=steps_of(row.id, events, tries),
        about=ctx.clinic.about,
        site=site,
        clinic=ctx.clinic,
        printed=local(ctx.now, site.timezone),
    )
    return ctx.looked(pdf_answer(content, f"return-{row.id}"), row.patient_id, "returns")


@router.get("/followup/returns/{return_id}/letter.pdf")
def letter(request: Request, return_id: int) -> Response:
    """The letter to the patient, the last step of one that nobody booked; printing it notes nothing."""
    ctx = enter(request, "book")
    with ctx.read() as connection:
        row = stored.return_of(connection, return_id)
        if row is None:
            raise NotFound("There is no such return.")
        patient = known_patient(connection, row.patient_id)
        tries = tries_of(connection, [row.patient_id])
    mine = [each for each in tries if f"return-{row.id}" in each.about and each.undone_at is None]
    site = ctx.clinic.first_site
    content = paper(
        "followup/papers/return_letter.html",
        row=row,
        p=patient,
        calls=sum(each.outcome in {Outcome.NO_ANSWER, Outcome.MESSAGE} for each in mine),
        about=ctx.clinic.about,
        site=site,
        clinic=ctx.clinic,
        printed=local(ctx.now, site.timezone),
    )
    return ctx.looked(pdf_answer(content, f"letter-{row.id}"), row.patient_id, "returns")


@dataclass(frozen=True, slots=True)
class Step:
    """One thing that was done about a return; `at` is UTC, `try_id` a try that can be taken back."""

    at: datetime
    words: str
    who: str
    try_id: int = 0
    undone: bool = False


def steps_of(number: int, events: Sequence[stored.ReturnEvent], tries: Sequence[ContactTry]) -> list[Step]:
    """Everything in its order, also what was taken back."""
    found = [Step(each.at, each.words, each.by_name or "Zax") for each in events]
    for each in tries:
        if f"return-{number}" in each.about:
            words = f"{HOW[each.how].capitalize()}: {OUTCOME_WORDS[Outcome(each.outcome)]}"
            said = f"{words} ({each.note})" if each.note else words
            found.append(Step(each.at, said, each.by_name, each.id, each.undone_at is not None))
    return sorted(found, key=lambda step: step.at)


def _done(
    request: Request, return_id: int, act: Callable[[RequestContext], None], form: PostedForm, said: str
) -> Response:
    """Do it and stay with the same row; what is wrong is said there, with what was typed."""
    ctx = enter(request, "see")
    try:
        act(ctx)
    except Mendable as error:
        return returns_page(ctx, return_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/followup/returns?open={return_id}", said)

"""What is done on the Book besides booking: carry and place, lengthen, shelve, give to the right patient,
answer web requests, a day off, undo.
"""

from __future__ import annotations

from datetime import date
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from zax.core.book.hours import Span
from zax.core.book.track import Stop
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.form import Form, OfVersion, Reference, ReferenceOrNone, References, Tick, a_day
from zax.core.json import Json
from zax.core.reading import plain_clock
from zax.desk.book.booking import length_of
from zax.desk.book.cancellation import take_day_off
from zax.desk.book.moving import MoveOrder, move_visit, replace_patient
from zax.desk.book.openings import Target, places_for
from zax.desk.book.placing import Spot, nearest_anywhere
from zax.desk.book.shelf import put_back, share, shelve
from zax.desk.book.undo import undo_act
from zax.desk.book.web_requests import accept_requests, decline_requests
from zax.desk.day.request_notes import notes_on
from zax.store.book import queries as visits
from zax.store.book.queries import held_requests
from zax.web.day.book import base_of, book_page, shown_view
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class ToShelf(OfVersion):
    words: str = ""
    shared: Tick = False


class RightPatient(OfVersion):
    patient_id: ReferenceOrNone = None


class OfAct(Form):
    act_id: Reference = 0


class DayOff(Form):
    provider_id: Reference = 0
    day: Annotated[date, a_day("Choose the day.")]
    note: str = ""


class WebAnswer(Form):
    """Requests from the web that are ticked, and what becomes of them."""

    do: str = ""
    one: Reference = 0
    visit: References = ()
    note: str = ""

    @property
    def accepts(self) -> bool:
        return self.do == "accept"


def shown_again(ctx: RequestContext, form: PostedForm, error: ZaxError, **about: object) -> Response:
    """The Book where the form was sent from, with what is wrong."""
    return book_page(
        ctx, form.back_query, status=error.status, problems=error.problems, typed=form, about=about
    )


def back_without(form: PostedForm, *names: str, **changes: str) -> str:
    """The address the form came from, less some of its parts, and with changes where it is the Book's."""
    query = {name: value for name, value in form.back_query.items() if name not in names}
    return f"/book?{base_of(query, **changes)}" if urlsplit(form.back).path == "/book" else form.back


@router.get("/book/carry/{visit_id}")
def where_it_can_go(request: Request, visit_id: int) -> JSONResponse:
    """For a visit in hand, by column of the view shown: why it cannot take the visit, or the minutes at which
    it may begin.
    """
    ctx = enter(request, "book")
    query = dict(request.query_params)
    with ctx.read() as connection:
        visit = visits.one_visit(connection, visit_id)
        if visit is None:
            raise NotFound("There is no such visit.")
        view = shown_view(ctx, connection, query)
        targets = [
            Target(
                day_column.key,
                day_column.site_id,
                day_column.day,
                (day_column.provider or ctx.clinic.providers[visit.provider_id]).id,
                day_column.room.id if day_column.room else 0,
            )
            for day_column in view.day_columns
        ]
        columns = places_for(connection, ctx.clinic, ctx.now, targets, visit)
    return JSONResponse(
        {
            "minutes": visit.minutes,
            "columns": {key: {"why": why, "starts": begins} for key, (why, begins) in columns.items()},
        }
    )


@router.post("/visits/{visit_id}/place")
def place(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Put the visit down at a time and column; a refusal stays on the page, with the nearest fit as the next
    press.
    """
    ctx = enter(request, "book")
    order: MoveOrder | None = None
    try:
        order = form.read(MoveOrder, site_id=ctx.site_id, day=ctx.today)
        move_visit(ctx.desk, ctx.actor, visit_id, order, form.read(OfVersion).version)
    except Mendable as error:
        near = _near(ctx, visit_id, order) if order is not None else None
        return shown_again(ctx, form, error, placing=visit_id, near=near)
    return ctx.go(back_without(form, "carry", "visit"), "Placed.")


def _near(ctx: RequestContext, visit_id: int, order: MoveOrder) -> Json | None:
    """The nearest time that day at which the visit could be put down, with anybody who does it."""
    with ctx.read() as connection:
        visit = visits.one_visit(connection, visit_id)
        if visit is None:
            return None
        kind, clinic = ctx.clinic.types[visit.type_id], ctx.clinic
        minutes = length_of(order.minutes, visit.minutes)
        asked = clinic.providers.get(order.provider_id, clinic.providers[visit.provider_id])
        lead = asked if asked.role == kind.role else clinic.providers[visit.provider_id]
        spot = Spot(
            site_id=order.site_id,
            day=order.day,
            span=Span(order.at, order.at + minutes),
            provider=lead,
            kind=kind,
            room_id=0,
            leaving=frozenset({visit_id}),
        )
        now = ctx.local_now
        found = nearest_anywhere(
            connection, clinic, spot, now.hour * 60 + now.minute if order.day == ctx.today else 0
        )
        stays = found and (found[0].id, found[1].start, order.day) == (
            visit.provider_id,
            visit.start_min,
            visit.day,
        )
    if found is None or (stays and visit.state != Stop.SHELF):
        return None
    return {
        "provider": found[0],
        "at": plain_clock(found[1].start),
        "day": order.day,
        "minutes": order.minutes or "",
    }


@router.post("/visits/{visit_id}/shelve")
def to_shelf(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    try:
        sent = form.read(ToShelf)
        shelve(ctx.desk, ctx.actor, [visit_id], sent.words, sent.shared, sent.version)
    except ZaxError as error:
        return shown_again(ctx, form, error)
    return ctx.go(back_without(form, "carry", "visit", side="on"), "On the shelf. Its time is free.")


@router.post("/shelf/{visit_id}/{what}")
def on_the_shelf(
    request: Request, visit_id: int, what: str, form: PostedForm = Depends(posted_form)
) -> Response:
    """Put back where it was, or let everybody place it."""
    ctx = enter(request, "book")
    try:
        if what == "back":
            put_back(ctx.desk, ctx.actor, visit_id)
        elif what in {"share", "keep"}:
            share(ctx.desk, ctx.actor, visit_id, what == "share")
        else:
            raise NotFound("There is no such thing to do on the shelf.")
    except Mendable as error:
        return shown_again(ctx, form, error)
    said = {
        "back": "Back where it was.",
        "share": "Anyone can place it now.",
        "keep": "Only you can see it now.",
    }[what]
    return ctx.go(back_without(form, "carry"), said)


@router.post("/visits/{visit_id}/patient")
def right_patient(request: Request, visit_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The wrong patient was picked: another one in place."""
    ctx = enter(request, "book")
    try:
        sent = form.read(RightPatient)
        replace_patient(ctx.desk, ctx.actor, visit_id, sent.patient_id, sent.version)
    except ZaxError as error:
        return shown_again(ctx, form, error)
    return ctx.go(form.back, "The visit has the right patient now.")


@router.post("/book/undo")
def undo(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    try:
        words = undo_act(ctx.desk, ctx.actor, form.read(OfAct).act_id)
    except ZaxError as error:
        return shown_again(ctx, form, error)
    return ctx.go(back_without(form, "visit"), f"Undone: {words}.")


@router.post("/book/dayoff")
def day_off(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """A provider's whole day off in one press."""
    ctx = enter(request, "book")
    try:
        sent = form.read(DayOff, day=ctx.today)
        done = take_day_off(ctx.desk, ctx.actor, sent.provider_id, sent.day, sent.note)
    except ZaxError as error:
        return shown_again(ctx, form, error, dayoff=form["provider_id"])
    parts = [f"{len(done['off'])} to the waitlist"]
    parts += [f"{len(done['others'])} exams reassigned"] if done["others"] else []
    parts += [f"still here: {', '.join(done['stay'])}"] if done["stay"] else []
    return ctx.go(back_without(form, "visit"), f"The day is canceled. {'; '.join(parts)}.")


@router.get("/requests")
def show_requests(request: Request) -> Response:
    return requests_page(enter(request, "book"))


def requests_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        asked = held_requests(connection, ctx.site_id)
        notes = notes_on(connection, asked, ctx.today)
    return ctx.page("day/web_requests.html", status, asked=asked, notes=notes, screen="book", **more)


@router.post("/requests")
def answer_requests(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Accept or decline those ticked, all at once."""
    ctx = enter(request, "book")
    try:
        sent = form.read(WebAnswer)
        if sent.one:
            accept_requests(ctx.desk, ctx.actor, [sent.one])
            return ctx.go("/requests", "Accepted. The message goes out in two minutes.")
        if sent.accepts:
            many = accept_requests(ctx.desk, ctx.actor, sent.visit)
        else:
            many = decline_requests(ctx.desk, ctx.actor, sent.visit, sent.note)
    except ZaxError as error:
        return requests_page(ctx, status=error.status, problems=error.problems, typed=form)
    said = (
        f"{many} {'accepted' if sent.accepts else 'declined'}; the messages go out in two minutes,"
        " until then you can undo it on the Book."
    )
    return ctx.go(form.back if form["back"] else "/requests", said)

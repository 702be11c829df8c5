"""Booking: from a free time, for somebody known straight to the openings that suit them, and what the form
fetches while it is filled in.
"""

from __future__ import annotations

from datetime import timedelta
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.book.also import Also, write_also
from zax.core.charges.service_words import ServiceWords, misfit, take_apart, without_age
from zax.core.charges.teeth import show_tooth
from zax.core.errors import Mendable, NotFound, ZaxError
from zax.core.patients.search_terms import parse_query
from zax.core.reading import plain_clock, reference
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.waitlist import open_times
from zax.desk.charges.service_search import Hit, find_hits
from zax.desk.day.booking_form import booking_of, type_doing, usual_person
from zax.store.book.planned import planned_for
from zax.store.patients.patients import active_patient
from zax.store.patients.search import find_patients
from zax.web.book.series import plan_page, wants_plan
from zax.web.day.book import book_page
from zax.web.day.live_day import parse_day
from zax.web.day.slip import Added, added_of
from zax.web.patients.recent import recent_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
LEAST_TO_BOOK = 30


@router.get("/book/new")
def book_new(
    request: Request, day: str = "", patient: int = 0, provider: int = 0, planned: str = ""
) -> Response:
    """“Book a visit”. For a patient: Openings, which knows what they are due for, with whom and from when on.
    For nobody yet: the form at the first free half hour of the day, or of the next days. `planned` are
    planned services to tick.
    """
    ctx = enter(request, "book")
    if patient:
        return ctx.go(f"/book?{urlencode(_openings_for(ctx, patient, provider, planned))}")
    wanted = parse_day(day, ctx.today)
    for ahead in range(60):
        at_day = max(wanted, ctx.today) + timedelta(days=ahead)
        with ctx.read() as connection:
            found = open_times(connection, ctx.clinic, ctx.site_id, [at_day], ctx.now)
        gaps = [
            each.gap
            for each in found
            if each.gap.minutes >= LEAST_TO_BOOK and provider in {0, each.gap.provider_id}
        ]
        if gaps:
            first = min(gaps, key=lambda gap: gap.start)
            return ctx.go(f"/book?day={at_day}&provider={first.provider_id}&at={plain_clock(first.start)}")
    raise NotFound("Nothing is open at this site in the next 60 days. Search further with Openings.")


def _openings_for(ctx: RequestContext, patient_id: int, provider: int, planned: str) -> dict[str, str]:
    """The question to Openings for this patient: what is due first, with the person of last time."""
    with ctx.read() as connection:
        if active_patient(connection, patient_id) is None:
            raise NotFound("There is no such patient.")
        booking = booking_of(connection, ctx.clinic, patient_id, ctx.today)
        chosen = [row for row in booking.planned if str(row.id) in planned.split(",")]
        due = next(iter(booking.due), None)
        type_id = type_doing(ctx.clinic, chosen[0].service_id) if chosen else due.type_id if due else 0
        same = bool(type_id and not provider and usual_person(connection, ctx.clinic, patient_id, type_id))
    asked = {"find": "1", "for": str(patient_id)}
    if type_id:
        asked["type"] = str(type_id)
    if provider or same:
        asked["with"] = str(provider) if provider else "same"
    if due and due.type_id == type_id and not chosen:
        asked |= {"since": str(due.since)} if due.since else {}
        planned = ",".join(str(each) for each in due.planned)
    return asked | ({"planned": planned} if planned else {})


@router.post("/book")
def book(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "book")
    try:
        order = form.read(BookOrder, site_id=ctx.site_id, day=ctx.today)
        if wants_plan(form):
            return plan_page(ctx, form, order)
        visit_id = book_visit(ctx.desk, ctx.actor, order)
    except Mendable as error:
        return slip_again(ctx, form, error)
    return ctx.go(f"/book?day={order.day}&visit={visit_id}", "Booked.")


def slip_again(ctx: RequestContext, form: PostedForm, error: ZaxError) -> Response:
    """The Book with the booking form as it was typed, and what is wrong beside its field."""
    query = {name: form[name] for name in ("day", "at", "wait", "site_id")} | {
        "provider": form["provider_id"]
    }
    return book_page(ctx, query, status=error.status, problems=error.problems, typed=form)


@router.get("/book/people")
def pick_patient(request: Request, who: str = "", new: bool = False) -> Response:
    """The hits under a form's patient field; with `new` the form can put somebody new on file."""
    ctx = enter(request)
    query = parse_query(who, ctx.today)
    with ctx.read() as connection:
        hits = find_patients(connection, query, recent=recent_of(ctx, connection))
    return ctx.page("patients/pick.html", hits=hits, who=who, query=query, fresh=new)


@router.get("/book/about/{patient_id}")
def about_patient(request: Request, patient_id: int) -> Response:
    """What the booking form says and offers once a patient is picked."""
    ctx = enter(request, "book")
    with ctx.read() as connection:
        booking = booking_of(connection, ctx.clinic, patient_id, ctx.today)
    kinds = [kind for kind in ctx.clinic.types.values() if kind.active]
    return ctx.page("book/slip_more.html", slip={"booking": booking, "types": kinds, "ticked": []})


@router.get("/book/services")
def find_services(request: Request, what: str = "", type_id: str = "", patient_id: str = "") -> Response:
    """Services, sets and planned work like what was typed, for a visit that is yet to be booked; each is
    added to the form.
    """
    ctx = enter(request, "book")
    kind = ctx.clinic.types.get(reference(type_id))
    dental = kind is None or kind.dental
    numbering = ctx.clinic.numbering
    typed = take_apart(what, numbering) if dental else ServiceWords(words=without_age(what))
    with ctx.read() as connection:
        number = reference(patient_id)
        planned = planned_for(connection, number) if number and what.strip() else []
    hits = find_hits(ctx.clinic, typed, dental, ctx.today, planned, lambda n: show_tooth(n, numbering))
    rows = [(hit, _added_by(ctx, hit, typed)) for hit in hits]
    return ctx.page("book/also_hits.html", rows=rows, what=what)


def _added_by(ctx: RequestContext, hit: Hit, typed: ServiceWords) -> list[Added]:
    """What choosing this row adds: a set, a service on each of the typed teeth; nothing for planned work,
    which is ticked.
    """
    kind, _, text = hit.choice.partition(":")
    if kind == "set":
        return [added_of(ctx.clinic, hit.choice)]
    if kind != "service":
        return []
    service = ctx.clinic.find_service(reference(text))
    fits = not misfit(typed, service.rule, service.words)
    teeth = typed.teeth if service.rule.needs_tooth and typed.teeth else ("",)
    return [
        added_of(
            ctx.clinic,
            write_also(
                Also(
                    service_id=service.id,
                    tooth=tooth,
                    surfaces=typed.surfaces if service.rule.surfaces and fits else "",
                    area=typed.area if service.rule.area else "",
                )
            ),
        )
        for tooth in teeth
    ]

"""Book: the day by provider or by room, one provider's week, a visit's sheet over it, booking from a free
time, the shelf and the finder beside.

All of what is shown is in the address. `base` is the part of it that every link on the page keeps.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, timedelta
from urllib.parse import quote, urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from markupsafe import escape

from zax.core.arrivals.conditions import Place
from zax.core.book.calendar import step_months, step_weeks
from zax.core.book.day_phrases import parse_jump
from zax.core.book.track import CAN_BE_PLACED
from zax.core.errors import Mendable, NotFound, Refused, ZaxError
from zax.core.json import Json
from zax.core.patients.search_terms import parse_query
from zax.core.reading import plain_clock, reference
from zax.desk.arrivals.facts import Asking
from zax.desk.arrivals.heads_ups import heads_ups
from zax.desk.book.booking import BookOrder, book_visit
from zax.desk.book.waitlist import open_times
from zax.desk.day.book_views import VIEWS, Beside, BookView, beside, book_view
from zax.store.book import queries as visits
from zax.store.book.planned import planned_for
from zax.store.book.planned import relatives_of as household_of
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.patients.patients import active_patient
from zax.store.patients.search import find_patients
from zax.web.book.bars import Drawn
from zax.web.book.openings import FINDER, finder_of
from zax.web.book.series import plan_page, wants_plan
from zax.web.day.documents import day_list_pdf
from zax.web.day.live_day import open_sheet, parse_day, sheet_extras
from zax.web.patients.recent import recent_of
from zax.web.shell.address import number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, pdf_answer, posted_form

router = APIRouter()
LEAST_TO_BOOK = 30
KEPT = ("by", "site", "who", "carry", "side", *FINDER)
MARKS = {"track": "track", "type": "visit type", "provider": "provider"}
# Steps offered beside the date: words and where they lead.
AHEAD = (
    ("1 week", "1w"),
    ("2 weeks", "2w"),
    ("3 weeks", "3w"),
    ("4 weeks", "4w"),
    ("6 weeks", "6w"),
    ("3 months", "3m"),
    ("6 months", "6m"),
    ("1 year", "1y"),
)


@router.get("/book")
def show_book(request: Request) -> Response:
    return book_page(enter(request), dict(request.query_params))


@router.get("/book/jump")
def jump(request: Request, to: str = "", day: str = "") -> Response:
    """'3w', '6m', 'fri' or '12/24': on to that day, the rest of the address kept."""
    ctx = enter(request)
    query = dict(request.query_params)
    shown = parse_day(day, ctx.today)
    try:
        query["day"] = str(parse_jump(to, shown, ctx.today))
    except Refused as error:
        return book_page(ctx, query, status=error.status, problems=error.problems, typed=PostedForm(query))
    return ctx.go(f"/book?{base_of(query)}")


def base_of(query: Mapping[str, str], **changes: object) -> str:
    """The part of the Book's address that links keep, with changes."""
    wanted = {name: query.get(name, "") for name in ("day", *KEPT)} | {
        name: str(value) for name, value in changes.items()
    }
    return urlencode({name: value for name, value in wanted.items() if value})


def book_page(ctx: RequestContext, query: dict[str, str], status: int = 200, **more: object) -> Response:
    """The Book as the address says; `provider` and `at` open the booking form there, `visit` that visit's
    sheet.
    """
    with ctx.read() as connection:
        view = shown_view(ctx, connection, query)
        day = view.day
        side = beside(connection, ctx.actor.id, ctx.site_id, ctx.now) if ctx.may("book") else Beside()
        sheet, carried = open_sheet(ctx, connection, query), _carried(connection, query)
        shown: dict[str, object] = {
            "view": view,
            "sheet": sheet,
            "slip": _slip(ctx, connection, view, query, form_in(more)),
            "carried": carried,
            "shelf": side.shelf,
            "requests": side.requests,
            "undoable": side.undoable,
            "finder": finder_of(ctx, connection, query, day),
        }
        more = shown | sheet_extras(ctx, connection, sheet) | more
    mark = query.get("mark", "") or str(ctx.clinic.about.get("book_mark", "track"))
    mark = mark if mark in MARKS else "track"
    kept = query | {"day": str(day)}
    base = escape(f"/book?{base_of(kept)}")
    drawn = Drawn(
        base=base,
        by=view.by,
        mark=mark,
        may_book=ctx.may("book"),
        site_id=ctx.site_id,
        chosen=sheet.visit.id if sheet else 0,
        carried=carried.id if carried else 0,
        types=list(ctx.clinic.types),
        people=list(ctx.clinic.providers),
    )
    page = ctx.page(
        "day/book.html",
        status,
        screen="book",
        base=base,
        drawn=drawn,
        query=PostedForm(query),
        base_of=lambda **changes: f"/book?{base_of(kept, **changes)}",
        mark=mark,
        marks=MARKS,
        legend=legend(ctx, view, mark),
        ahead=[(words, _ahead(day, step)) for words, step in AHEAD],
        **more,
    )
    return ctx.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def shown_view(ctx: RequestContext, connection: Connection, query: Mapping[str, str]) -> BookView:
    """The day and view that the address names."""
    day = parse_day(query.get("day", ""), ctx.today)
    by = query.get("by", "") if query.get("by") in VIEWS else "provider"
    sites = tuple(ctx.clinic.sites) if query.get("site") == "all" and by != "week" else (ctx.site_id,)
    return book_view(connection, ctx.clinic, ctx.now, sites, day, by, number_in(query, "who"))


def _ahead(day: date, step: str) -> date:
    number = int(step[:-1])
    return (
        step_weeks(day, number)
        if step.endswith("w")
        else step_months(day, number * (12 if step.endswith("y") else 1))
    )


def legend(ctx: RequestContext, view: BookView, mark: str) -> list[tuple[int, str]]:
    """What the marks on the bars mean, for those that are shown: (number of the mark, words)."""
    if mark == "type":
        found = {bar.type_id for bar in view.bars}
        return [
            (number, kind.name) for number, kind in enumerate(ctx.clinic.types.values()) if kind.id in found
        ]
    if mark == "provider":
        shown = {bar.provider.id for bar in view.bars}
        return [(number, p.short) for number, p in enumerate(ctx.clinic.providers.values()) if p.id in shown]
    return []


def _carried(connection: Connection, query: Mapping[str, str]) -> Visit | None:
    """The visit in hand, if it can still be placed."""
    number = number_in(query, "carry")
    visit = visits.one_visit(connection, number) if number else None
    return visit if visit is not None and visit.state in CAN_BE_PLACED else None


def _slip(
    ctx: RequestContext,
    connection: Connection,
    view: BookView,
    query: dict[str, str],
    typed: PostedForm | None,
) -> Json | None:
    """The booking form's start values, or None when it is not open."""
    provider_id = number_in(query, "provider")
    if not provider_id or provider_id not in ctx.clinic.providers:
        return None
    provider = ctx.clinic.providers[provider_id]
    kinds = [kind for kind in ctx.clinic.types.values() if kind.active]
    fitting = [kind for kind in kinds if kind.role == provider.role]
    wanted = number_in(query, "type")
    chosen = typed["patient_id"] if typed else query.get("patient", "")
    person = active_patient(connection, reference(chosen))
    site_id = number_in(query, "site_id") or ctx.site_id
    return {
        "provider": provider,
        "at": query.get("at", ""),
        "types": kinds,
        "kind": next((k for k in fitting if k.id == wanted), fitting[0] if fitting else kinds[0]),
        "providers": ctx.clinic.hours.columns(site_id, view.day),
        "key": (typed and typed["key"]) or uuid.uuid4().hex,
        "patient": person,
        "day": view.day,
        "rooms": [room for room in ctx.clinic.rooms.values() if room.site_id == site_id and room.active],
        "room": number_in(query, "room_id"),
        "minutes": query.get("minutes", ""),
        "wait": number_in(query, "wait"),
        "site_id": site_id,
        "ticked": query.get("planned", "").split(","),
        **(_more(ctx, connection, person.id) if person else {}),
    }


def _more(ctx: RequestContext, connection: Connection, patient_id: int) -> Json:
    """What the form offers, and what is to be known, once the patient is."""
    return {
        "planned": planned_for(connection, patient_id),
        "household": household_of(connection, patient_id),
        "ups": heads_ups(connection, ctx.clinic, Place.BOOKING, Asking(patient_id), ctx.today),
    }


@router.get("/book/new")
def book_new(
    request: Request, day: str = "", patient: int = 0, provider: int = 0, planned: str = ""
) -> Response:
    """“Book a visit” without a place: the first free half hour of the day, or of the next days. `planned` are
    planned services to tick.
    """
    ctx = enter(request, "book")
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
            place = f"day={at_day}&provider={first.provider_id}&at={plain_clock(first.start)}"
            whom = f"&patient={patient}" if patient else ""
            work = f"&planned={quote(planned)}" if planned else ""
            return ctx.go(f"/book?{place}{whom}{work}")
    raise NotFound("Nothing is open at this site in the next 60 days. Search further with Openings.")


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


@router.get("/book/list.pdf")
def day_list(request: Request, day: str = "", site: str = "") -> Response:
    """The day's visits as a paper list, by provider and time."""
    ctx = enter(request)
    sites = tuple(ctx.clinic.sites) if site == "all" else (ctx.site_id,)
    return pdf_answer(day_list_pdf(ctx.desk, sites, parse_day(day, ctx.today)), "day-list")


@router.get("/book/people")
def pick_patient(request: Request, who: str = "") -> Response:
    """The hits under a form's patient field."""
    ctx = enter(request)
    query = parse_query(who, ctx.today)
    with ctx.read() as connection:
        hits = find_patients(connection, query, recent=recent_of(ctx, connection))
    return ctx.page("patients/pick.html", hits=hits, who=who, query=query)


@router.get("/book/about/{patient_id}")
def about_patient(request: Request, patient_id: int) -> Response:
    """What the booking form offers once a patient is picked: planned services, and who else of the household
    could come along.
    """
    ctx = enter(request, "book")
    with ctx.read() as connection:
        person = active_patient(connection, patient_id)
        if person is None:
            raise NotFound("There is no such patient.")
        more = _more(ctx, connection, patient_id)
    return ctx.page(
        "book/slip_more.html",
        slip={"patient": person, "types": [k for k in ctx.clinic.types.values() if k.active], "ticked": []}
        | more,
    )

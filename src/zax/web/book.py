"""Book: a day by provider, a visit's sheet over it, and booking from a free time."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.errors import NotFound, ZaxError
from zax.core.patients.person import parse_query
from zax.desk.book import BookOrder, book_visit, first_free
from zax.desk.day import DayView, day_view
from zax.store.people import find_patients
from zax.store.schema import patient
from zax.web.day import open_sheet, parse_day
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()


@router.get("/book")
def show_book(
    request: Request,
    day: str = "",
    visit: int = 0,
    provider: int = 0,
    at: str = "",
    patient: int = 0,
) -> Response:
    query = {
        "day": day,
        "visit": str(visit or ""),
        "provider": str(provider or ""),
        "at": at,
        "patient": str(patient or ""),
    }
    return book_page(enter(request), query)


def book_page(here: Here, query: dict[str, str], status: int = 200, **more: Any) -> Response:
    """The day's book; `provider` and `at` open the booking form there, `visit` that visit's sheet."""
    day = parse_day(query.get("day", ""), here.today)
    with here.read() as connection:
        view = day_view(connection, here.clinic, here.now, here.site_id, day)
        sheet = open_sheet(here, connection, query)
        slip = _slip(here, connection, view, query, more.get("typed"))
    page = here.page("book.html", status, view=view, sheet=sheet, slip=slip, screen="book", **more)
    return here.looked(page, sheet.visit.patient_id, "visit") if sheet else page


def _slip(
    here: Here, connection: Any, view: DayView, query: dict[str, str], typed: Typed | None
) -> dict[str, Any] | None:
    """The booking form's start values, or None when it is not open."""
    provider_id = int(query["provider"]) if query.get("provider", "").isdecimal() else 0
    if not provider_id or provider_id not in here.clinic.providers:
        return None
    provider = here.clinic.providers[provider_id]
    kind = next(kind for kind in here.clinic.types.values() if kind.role == provider.role)
    chosen = typed["patient_id"] if typed else query.get("patient", "")
    person = _patient(connection, int(chosen)) if chosen.isdecimal() else None
    return {
        "provider": provider, "at": query.get("at", ""), "types": list(here.clinic.types.values()),
        "kind": kind,
        "providers": [lane.provider for lane in view.lanes] or [provider], "key": (typed and typed["key"]) or uuid.uuid4().hex,
        "patient": person, "day": view.day,
    }  # fmt: skip


def _patient(connection: Any, patient_id: int) -> Any:
    return connection.execute(select(patient).where(patient.c.id == patient_id, patient.c.status == "active")).first()


@router.get("/book/new")
def book_new(request: Request, day: str = "", patient: int = 0) -> Response:
    """“Book a visit” without a place: the first free half hour of the day, or of the next days."""
    here = enter(request, "book")
    wanted = parse_day(day, here.today)
    for ahead in range(60):
        at_day = max(wanted, here.today) + timedelta(days=ahead)
        with here.read() as connection:
            free = first_free(connection, here.clinic, here.site_id, at_day, here.local_now, 30)
        if free:
            who, minute = free
            chosen = f"&patient={patient}" if patient else ""
            return here.go(f"/book?day={at_day}&provider={who}&at={minute // 60}:{minute % 60:02d}{chosen}")
    raise NotFound("Nothing is free at this site in the next 60 days.")


@router.post("/book")
def book(request: Request, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "book")
    day = parse_day(form["day"], here.today)
    try:
        patient_id = form.number("patient_id")
        order = BookOrder(
            here.site_id, day, form["at"], form.number("provider_id") or 0, form["type_id"], form["minutes"], patient_id, form["key"][:40],
            form["note"], form["first"], form["last"], form["birth"], form["phone"],
        )  # fmt: skip
        visit_id = book_visit(here.desk, here.actor, order)
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        query = {"day": form["day"], "provider": form["provider_id"], "at": form["at"]}
        return book_page(here, query, status=error.status, problems=error.problems, typed=form)
    return here.go(f"/book?day={day}&visit={visit_id}", "Booked.")


@router.get("/book/people")
def pick_patient(request: Request, who: str = "") -> Response:
    """The hits under the booking form's patient field."""
    here = enter(request)
    query = parse_query(who)
    with here.read() as connection:
        hits = find_patients(connection, query)
    return here.page("pick.html", hits=hits, who=who, query=query)

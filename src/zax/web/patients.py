"""Finding people and screens from anywhere; a patient's details and coverage."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from sqlalchemy import select

from zax.core.book.waitlist import WAIT_WORDS
from zax.core.errors import NotFound, ZaxError
from zax.core.patients.gaps import record_gaps
from zax.core.patients.person import parse_query
from zax.core.setup.roles import may
from zax.desk.patients import SEXES, Details, change_patient, coverages_of, set_coverage
from zax.desk.planned import drop_planned, plan_service, planned_for, set_wishes
from zax.desk.tally import tally_of
from zax.desk.waitlist import reasons_of
from zax.store import schema
from zax.store.people import find_patients
from zax.web.here import Here, Typed, enter, typed_form

router = APIRouter()
SCREENS = (
    ("Day", "/day", "see"), ("Book", "/book", "see"), ("Patients", "/patients", "see"), ("Money", "/money", "accounts"),
    ("Claims", "/claims", "claims"), ("Waitlist", "/waitlist", "book"), ("Openings", "/book?find=1", "book"), ("Web requests", "/requests", "book"),
    ("Setup", "/setup", "setup"), ("All shortcuts", "/keys", "see"),
)  # fmt: skip


@router.get("/find")
def find(request: Request, q: str = "") -> Response:
    """What the find-anything box offers: people, then screens."""
    here = enter(request)
    query = parse_query(q)
    with here.read() as connection:
        hits = find_patients(connection, query)
    wanted = q.strip().lower()
    screens = [s for s in SCREENS if wanted and s[0].lower().startswith(wanted) and may(here.actor.role, s[2])]
    return here.page("find.html", hits=hits, screens=screens, q=q, query=query)


@router.get("/patients")
def show_patients(request: Request, q: str = "") -> Response:
    """Search as a page of its own; without a question the people this user looked at last."""
    here = enter(request)
    query = parse_query(q)
    with here.read() as connection:
        hits = find_patients(connection, query, 40) if not query.empty else _recent(here, connection)
    return here.page("patients.html", hits=hits, q=q, query=query, screen="patients")


def _recent(here: Here, connection: Any) -> list[Any]:
    p, k = schema.patient, schema.look
    seen = connection.execute(
        select(k.c.patient_id).where(k.c.user_id == here.actor.id).order_by(k.c.id.desc()).limit(120)
    ).scalars()  # fmt: skip
    ids = list(dict.fromkeys(seen))[:15]
    rows = {
        row.id: row for row in connection.execute(select(p).where(p.c.id.in_(ids or [0]), p.c.status == "active"))
    }
    return [rows[number] for number in ids if number in rows]


@router.get("/patients/{patient_id}")
def show_patient(request: Request, patient_id: int) -> Response:
    return patient_page(enter(request), patient_id)


def patient_page(here: Here, patient_id: int, status: int = 200, **more: Any) -> Response:
    with here.read() as connection:
        found = connection.execute(select(schema.patient).where(schema.patient.c.id == patient_id)).first()
        if found is None:
            raise NotFound("There is no such patient.")
        coverages = coverages_of(connection, [patient_id])
        visits = connection.execute(
            select(schema.visit).where(schema.visit.c.patient_id == patient_id).order_by(schema.visit.c.day.desc(), schema.visit.c.start_min).limit(12)
        ).all()  # fmt: skip
        planned, waits, tally = (
            planned_for(connection, patient_id),
            reasons_of(connection, patient_id),
            tally_of(connection, patient_id),
        )
    missing = record_gaps(found.birth, found.sex, found.phone, found.street)
    page = here.page(
        "patient.html",
        status,
        patient=found,
        coverages=coverages,
        visits=visits,
        gaps=missing,
        sexes=SEXES,
        planned=planned,
        waits=waits,
        wait_words=WAIT_WORDS,
        tally=tally,
        screen="patients",
        **more,
    )
    return here.looked(page, patient_id, "record")


@router.post("/patients/{patient_id}")
def save_patient(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "patients")
    try:
        names = ("first", "last", "birth", "sex", "phone", "email", "street", "city", "state", "zip")
        details = Details(*(form[name] for name in names), version=form.number("version") or 0)
        change_patient(here.desk, here.actor, patient_id, details, here.site_id)
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        return patient_page(here, patient_id, status=error.status, problems=error.problems, typed=form)
    return here.go(f"/patients/{patient_id}", "Saved.")


@router.post("/patients/{patient_id}/coverage")
def save_coverage(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "patients")
    try:
        set_coverage(here.desk, here.actor, patient_id, form["plan_id"], form["member_id"], form["group_number"])
    except ZaxError as error:
        return patient_page(here, patient_id, status=error.status, problems=error.problems, typed=form)
    return here.go(f"/patients/{patient_id}", "Coverage saved.")


@router.post("/patients/{patient_id}/wishes")
def save_wishes(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    """The half days that suit: fields 'half-0' (Monday morning) to 'half-13', each likes, never or empty."""
    here = enter(request, "patients")
    chosen = {number: form[f"half-{number}"] for number in range(14)}
    likes, never = ([n for n, value in chosen.items() if value == wanted] for wanted in ("likes", "never"))
    set_wishes(here.desk, here.actor, patient_id, likes, never)
    return here.go(f"/patients/{patient_id}", "Times saved. Openings and the waitlist follow them.")


@router.post("/patients/{patient_id}/planned")
def add_planned(request: Request, patient_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "charges")
    try:
        plan_service(
            here.desk, here.actor, patient_id, form.number("service_id") or 0, form["tooth"], form["surfaces"]
        )
    except ZaxError as error:
        if isinstance(error, NotFound):
            raise
        return patient_page(here, patient_id, status=error.status, problems=error.problems, typed=form)
    return here.go(f"/patients/{patient_id}", "Planned. It is offered when a visit is booked.")


@router.post("/patients/{patient_id}/planned/{planned_id}/drop")
def drop_plan(request: Request, patient_id: int, planned_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "charges")
    drop_planned(here.desk, here.actor, planned_id)
    return here.go(f"/patients/{patient_id}", "Not planned any more.")

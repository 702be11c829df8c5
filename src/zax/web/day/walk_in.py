"""Somebody walks in: who, what for, and they are here."""

from __future__ import annotations

import uuid

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, Refused
from zax.core.reading import reference
from zax.desk.day.booking_form import booking_of
from zax.desk.day.walk_in import WalkInForm, next_free, walk_in
from zax.store.patients.patients import active_patient
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/walk-in")
def show_walk_in(request: Request, patient: int = 0) -> Response:
    typed = PostedForm(patient_id=str(patient)) if patient else PostedForm()
    return walk_in_page(enter(request, "arrivals"), typed)


def walk_in_page(ctx: RequestContext, typed: PostedForm, status: int = 200, **more: object) -> Response:
    number = reference(typed["patient_id"])
    with ctx.read() as connection:
        known = number and active_patient(connection, number)
        booking = booking_of(connection, ctx.clinic, number, ctx.today) if known else None
    return ctx.page(
        "day/walk_in.html",
        status,
        typed=typed,
        slip={"booking": booking},
        types=[kind for kind in ctx.clinic.types.values() if kind.active],
        key_made=typed["key"] or uuid.uuid4().hex,
        screen="day",
        **more,
    )


@router.get("/walk-in/next")
def show_next_free(request: Request, type_id: str = "", patient_id: str = "") -> Response:
    """Who is free next for the type that is chosen."""
    ctx = enter(request, "arrivals")
    kind = ctx.clinic.types.get(reference(type_id))
    free, problem = None, ""
    if kind is not None:
        try:
            with ctx.read() as connection:
                free = next_free(connection, ctx.clinic, ctx.now, ctx.site_id, kind, reference(patient_id))
        except Refused as error:
            problem = error.message
    now = ctx.local_now
    return ctx.page(
        "day/next_free.html", kind=kind, free=free, problem=problem, minute=now.hour * 60 + now.minute
    )


@router.get("/walk-in/today")
def show_free_today(request: Request) -> Response:
    """Every visit type that can still be had today, the soonest first."""
    ctx = enter(request, "arrivals")
    with ctx.read() as connection:
        frees = [
            (kind, free)
            for kind in ctx.clinic.types.values()
            if kind.active
            and ctx.clinic.hours.leads(kind, ctx.site_id)
            and (free := next_free(connection, ctx.clinic, ctx.now, ctx.site_id, kind))
        ]
    frees.sort(key=lambda pair: (pair[1].start, pair[0].name))
    return ctx.page("day/free_today.html", frees=frees)


@router.post("/walk-in")
def take_walk_in(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "arrivals")
    try:
        done = walk_in(ctx.desk, ctx.actor, form.read(WalkInForm, site_id=ctx.site_id))
    except Mendable as error:
        return walk_in_page(ctx, form, error.status, problems=error.problems)
    if done.open_steps:
        steps = ", ".join(done.open_steps)
        return ctx.go(f"/visits/{done.visit_id}/arrival", f"Booked. Before check-in: {steps}.")
    return ctx.go(f"/visits/{done.visit_id}/arrival", "Checked in. Their wait has begun.")

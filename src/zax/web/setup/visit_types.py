"""Setup: what can be booked, and sets of services that come in by one choice."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.clinic.providers import ROLE_NAMES
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import NotFound
from zax.core.form import Form, References, Tick
from zax.core.wording import WEEKDAYS, clock_words, money_words
from zax.desk.setup.visit_types import FOR_WHOM, WEB, NeedRow, TypeForm, save_set, save_type
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()
MOST_NEEDS = 6


class SetForm(Form):
    """A set of services that are booked together."""

    name: str = ""
    services: References = ()
    active: Tick = False


@router.get("/setup/types")
def show_types(request: Request) -> Response:
    return setup_page(enter(request, "setup"), "types", for_whom=FOR_WHOM, web=WEB)


@router.get("/setup/types/{type_id}")
def show_type(request: Request, type_id: int) -> Response:
    """A type to change; 0 is a new one."""
    return type_page(enter(request, "setup"), type_id)


def type_page(ctx: RequestContext, type_id: int, status: int = 200, **more: object) -> Response:
    kind = ctx.clinic.types.get(type_id)
    if kind is None and type_id:
        raise NotFound("There is no such visit type.")
    typed = form_in(more)
    more.pop("typed", None)
    form = (
        _type_form(typed)
        if typed
        else (
            _form_of(kind)
            if kind
            else TypeForm(
                name="",
                role="dentist",
                minutes="30",
                buffer="0",
                most="0",
                goal="0",
                ask_after="60",
                for_whom="all",
                web="no",
                doubles=False,
                active=True,
                hours="",
                lead_parts="",
                equipment="",
                room_ids=(),
                services=(),
                set_id=0,
                needs=(),
            )
        )
    )
    return setup_page(
        ctx, "type", status, kind=kind, form=form, for_whom=FOR_WHOM, web=WEB, roles=ROLE_NAMES, **more
    )


def _form_of(kind: VisitType) -> TypeForm:
    """A type as the form shows it."""
    hours = "; ".join(
        f"{' '.join(WEEKDAYS[day][:3].lower() for day in sorted(days)) if len(days) < 7 else ''}"
        f" {clock_words(w.start)} to {clock_words(w.end)}".strip()
        for days, w in kind.hours
    )
    needs = tuple(
        NeedRow(
            role=n.role,
            minutes=str(n.minutes),
            offsets=", ".join(map(str, n.offsets)),
            words=n.words,
            same_as="" if n.same_as is None else str(n.same_as),
        )
        for n in kind.needs
    )
    parts = ", ".join(f"{offset}-{offset + minutes}" for offset, minutes in kind.lead_parts)
    return TypeForm(
        name=kind.name,
        role=kind.role,
        minutes=str(kind.minutes),
        buffer=str(kind.buffer),
        most=str(kind.most),
        goal=str(kind.goal),
        ask_after=str(kind.ask_after),
        for_whom=kind.for_whom,
        web=kind.web,
        doubles=kind.doubles,
        active=kind.active,
        hours=hours,
        lead_parts=parts,
        equipment=", ".join(sorted(kind.equipment)),
        room_ids=tuple(kind.room_ids),
        services=kind.own_services,
        set_id=kind.set_id,
        web_words=kind.web_words,
        web_note=kind.web_note,
        deposit=money_words(kind.deposit_cents) if kind.deposit_cents else "",
        needs=needs,
        version=kind.version,
    )


def _type_form(form: PostedForm) -> TypeForm:
    rows = (form.read(NeedRow, "need_", f"-{number}") for number in range(MOST_NEEDS))
    return form.read(TypeForm).but(needs=tuple(row for row in rows if row.role))


@router.post("/setup/types/{type_id}")
def store_type(request: Request, type_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_type(ctx.desk, ctx.actor, type_id, _type_form(form)),
        lambda status, more: type_page(ctx, type_id, status, **more),
        "/setup/types",
        "Visit type saved. New bookings use it.",
    )


@router.get("/setup/sets")
def show_sets(request: Request) -> Response:
    return setup_page(enter(request, "setup"), "sets")


def _save_set(ctx: RequestContext, set_id: int, sent: SetForm) -> int:
    return save_set(ctx.desk, ctx.actor, set_id, sent.name, sent.services, sent.active)


@router.post("/setup/sets/{set_id}")
def store_set(request: Request, set_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: _save_set(ctx, set_id, form.read(SetForm)),
        lambda status, more: setup_page(ctx, "sets", status, about=set_id, **more),
        "/setup/sets",
        "Service set saved.",
    )

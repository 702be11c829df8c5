"""A patient's registrations: the link sent by text or email, how far they are, stopping it."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.messages.channel import CHANNEL_WORDS
from zax.core.reading import reference
from zax.core.wording import phone_words
from zax.desk.notices.facts import way_to
from zax.desk.notices.fill_in import page_of
from zax.desk.online.inviting import CHANNELS, send_link, stop_registration, why_not_by
from zax.desk.record.record import number_of
from zax.store.online.registrations import registrations_of
from zax.store.patients.patients import known_patient
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/patients/{patient_id}/registration")
def show(request: Request, patient_id: int) -> Response:
    return _page(enter(request, "patients"), patient_id)


def _page(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        patient = known_patient(connection, number_of(connection, patient_id))
        why_not = why_not_by(connection, ctx.clinic, patient, ctx.today)
        to = {channel: way_to(connection, patient, channel, ctx.today).to for channel in CHANNELS}
        rows = registrations_of(connection, patient.id)
    page = ctx.page(
        "online/invite.html",
        status,
        p=patient,
        ways=[(channel, CHANNEL_WORDS[channel], to[channel], why_not[channel]) for channel in CHANNELS],
        rows=[(row, page_of(ctx.clinic, row)) for row in rows],
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient.id, "registration")


@router.post("/patients/{patient_id}/registration")
def send(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """Send the link, or stop one."""
    ctx = enter(request, "patients")
    here = f"/patients/{patient_id}/registration"
    try:
        if form["stop"]:
            stop_registration(ctx.desk, ctx.actor, reference(form["stop"]))
            return ctx.go(here, "Stopped. The link opens nothing anymore.")
        to = send_link(ctx.desk, ctx.actor, patient_id, form["channel"], form["once"])
    except Mendable as error:
        return _page(ctx, patient_id, error.status, problems=error.problems)
    return ctx.go(here, f"On its way to {phone_words(to) if to.isdecimal() else to}.")

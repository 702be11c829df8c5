"""Sending a paper to its patient: by which ways it can go, whether attached or behind a link, and why not."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.messages.channel import CHANNEL_WORDS, Channel
from zax.desk.papers.sharing import send_paper, stop_link, ways_for
from zax.store.patients.patients import known_patient
from zax.web.papers.kinds import kind_of
from zax.web.shell.address import page_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/send/{kind}/{number}")
def show_ways(request: Request, kind: str, number: int, back: str = "") -> Response:
    return _page(enter(request, kind_of(kind).right), kind, number, page_in(back))


# A visit's papers stand side by side: one goes on from one to the other.
OF_VISIT = {
    "visit-receipt": "Receipt",
    "itemized": "Itemized bill",
    "summary": "Summary for insurance",
    "attendance": "Attendance letter",
}


def _page(
    ctx: RequestContext, kind: str, number: int, back: str, status: int = 200, **more: object
) -> Response:
    with ctx.read() as connection:
        paper = kind_of(kind).of(ctx, connection, number)
        patient = known_patient(connection, paper.patient_id)
        ways = ways_for(connection, ctx.clinic, paper, ctx.today)
    page = ctx.page(
        "papers/send.html",
        status,
        paper=paper,
        patient=patient,
        ways=ways,
        channel_words=CHANNEL_WORDS,
        here=f"/send/{kind}/{number}",
        back=back or f"/patients/{patient.id}/messages",
        kind=kind,
        others={each: f"/send/{each}/{number}" for each in OF_VISIT} if kind in OF_VISIT else {},
        names=OF_VISIT,
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient.id, "paper")


@router.post("/send/{kind}/{number}")
def send(request: Request, kind: str, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    about = kind_of(kind)
    ctx = enter(request, about.right)
    channel = form["channel"]
    with ctx.read() as connection:
        paper = about.of(ctx, connection, number)
    try:
        if channel not in list(CHANNEL_WORDS):
            raise NotFound("Choose email or text.")
        digest = ctx.shared.files.put(about.pdf(ctx, number))
        to = send_paper(ctx.desk, ctx.actor, paper, digest, Channel(channel), form["once"])
    except Mendable as error:
        return _page(ctx, kind, number, form.back, error.status, problems=error.problems)
    return ctx.go(form.back, f"{paper.name} is on its way to {to}.")


@router.post("/messages/{message_id}/stop-link")
def stop(request: Request, message_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    stop_link(ctx.desk, ctx.actor, message_id)
    return ctx.go(form.back, "The link opens nothing anymore.")

"""A patient's messages: everything sent and received, sending one again, an address that works after all, and
their calendar's address; with their next visit beside.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.desk.followup.ready_notes import notes_for
from zax.desk.inbox.again import ENDED, send_again
from zax.desk.inbox.conversation import conversation
from zax.desk.inbox.writing_back import reach_again, texts_reach
from zax.desk.messages.addresses import known_of
from zax.desk.notices.facts import addresses_of
from zax.desk.notices.feeds import address_of, open_patient_feed, shut_patient_feed
from zax.store.book.queries import visits_by_id
from zax.store.followup.calls import people_to_call
from zax.store.notices.feeds import feed_of_patient
from zax.store.patients.patients import patient_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.post("/patients/{patient_id}/messages/{message_id}/again")
def again(
    request: Request, patient_id: int, message_id: int, form: PostedForm = Depends(posted_form)
) -> Response:
    """A message of theirs once more."""
    ctx = enter(request, "book")
    try:
        to = send_again(ctx.desk, ctx.actor, message_id, form["once"])
    except Mendable as error:
        return talk_page(ctx, patient_id, error.status, problems=error.problems)
    return ctx.go(f"/patients/{patient_id}/messages", f"On its way to {to}.")


@router.post("/patients/{patient_id}/calendar")
def their_calendar(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """An address under which their calendar program reads their visits, or shutting it."""
    ctx = enter(request, "patients")
    try:
        if form["do"] == "shut":
            shut_patient_feed(ctx.desk, ctx.actor, patient_id)
            return ctx.go(f"/patients/{patient_id}/messages", "That address opens nothing anymore.")
        open_patient_feed(ctx.desk, ctx.actor, patient_id)
    except Mendable as error:
        return talk_page(ctx, patient_id, error.status, problems=error.problems)
    return ctx.go(f"/patients/{patient_id}/messages", "There’s an address for their calendar now.")


@router.post("/patients/{patient_id}/messages/works")
def works_again(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    reach_again(ctx.desk, ctx.actor, patient_id, form["address"])
    return ctx.go(f"/patients/{patient_id}/messages", "It’s written to again.")


@router.get("/patients/{patient_id}/messages")
def show_talk(request: Request, patient_id: int) -> Response:
    return talk_page(enter(request, "see"), patient_id)


def talk_page(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    """Everything sent to and received from a patient, with their next visit beside."""
    with ctx.read() as connection:
        patient = patient_of(connection, patient_id)
        if patient is None:
            raise NotFound("There is no such patient.")
        to, why_not = texts_reach(connection, patient, ctx.today)
        (person,) = people_to_call(connection, [patient.id], ctx.today).values()
        visit_id, feed = person.next_visit_id, feed_of_patient(connection, patient.id)
        page = ctx.page(
            "inbox/messages.html",
            status,
            patient=patient,
            lines=conversation(connection, patient),
            to=to,
            why_not=why_not,
            person=person,
            visit=visits_by_id(connection, [visit_id]).get(visit_id) if visit_id else None,
            ended=ENDED,
            ready=notes_for(connection, ctx.clinic, ctx.actor, patient.id, ctx.now, answers=True),
            feed=feed,
            feed_address=address_of(ctx.clinic, feed) if feed else "",
            troubled={
                address: known.trouble
                for address, known in known_of(connection, addresses_of(patient)).items()
                if known.trouble
            },
            screen="patients",
            **more,
        )
    return ctx.looked(page, patient_id, "messages")

"""Hand-overs on screen: what was handed to me, what I gave and how it went, and giving something."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.followup.hand_over import ABOUT_WORDS, About
from zax.desk.followup import hand_overs
from zax.desk.followup.hand_overs import HandOverForm, read_about
from zax.store.followup import hand_overs as stored
from zax.store.people.people import active_users
from zax.web.shell.address import page_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
LATELY = timedelta(days=14)
PAGES = {
    About.PATIENT: "/patients/{0}",
    About.VISIT: "/visits/{0}",
    About.RETURN: "/followup/returns?open={0}",
    About.RECALL: "/followup/recalls?open={0}",
    About.CLAIM: "/claims/{0}",
    About.PAYMENT: "/claims/payments/{0}",
    About.BALANCE: "/accounts/{0}",
    About.REQUEST: "/visits/{0}",
    About.FILE: "/papers/{0}",
    About.ANSWER: "/inbox?open=text-{0}",
}


def page_of(about: str, number: int) -> str:
    return PAGES[About(about)].format(number)


@router.get("/hand-overs")
def show_mine(request: Request) -> Response:
    return _page(enter(request, "see"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    me = ctx.actor.id or 0
    with ctx.read() as connection:
        mine = stored.open_for(connection, me, ctx.actor.role.key)
        given = stored.given_by(connection, me, ctx.now - LATELY)
        people = active_users(connection)
    page = ctx.page(
        "followup/hand_overs.html",
        status,
        mine=mine,
        given=given,
        people=people,
        about_words=ABOUT_WORDS,
        page_of=page_of,
        screen="handed",
        **more,
    )
    return ctx.looked_at(page, sorted({row.patient_id for row in mine if row.patient_id}), "handovers")


@router.get("/hand-overs/new")
def show_form(request: Request, about: str = "", back: str = "") -> Response:
    return _form(enter(request, "see"), about, back)


def _form(ctx: RequestContext, about: str, back: str, status: int = 200, **more: object) -> Response:
    kind, number = read_about(about)
    with ctx.read() as connection:
        subject = stored.subject_of(connection, kind, number)
        people = active_users(connection)
    if subject is None:
        raise NotFound("What you want to hand over isn’t there anymore.")
    page = ctx.page(
        "followup/hand_over.html",
        status,
        about=about,
        subject=subject,
        about_word=ABOUT_WORDS[kind],
        back=page_in(back) or page_of(kind, number),
        people=[each for each in people if each.id != ctx.actor.id],
        screen="handed",
        **more,
    )
    return ctx.looked(page, subject.patient_id, "handovers") if subject.patient_id else page


@router.post("/hand-overs")
def give(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "see")
    try:
        hand_overs.give(ctx.desk, ctx.actor, form.read(HandOverForm))
    except Mendable as error:
        return _form(ctx, form["about"], form["back"], error.status, problems=error.problems, typed=form)
    return ctx.go(page_in(form["back"]) or "/hand-overs", "Handed over. You’ll see it here once it’s done.")


@router.get("/patients/{patient_id}/handed")
def handed_about(request: Request, patient_id: int) -> Response:
    """What was handed over about somebody, as a part of the visit sheet and the checkout."""
    ctx = enter(request, "see")
    with ctx.read() as connection:
        rows = stored.about_patient(connection, patient_id)
    back = request.query_params.get("back", "")
    return ctx.page("followup/parts/handed.html", rows=rows, back=page_in(back), page_of=page_of)


@router.post("/hand-overs/{number}/done")
def done(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(
        request, form, lambda ctx: hand_overs.done(ctx.desk, ctx.actor, number, form["done_words"]), "Done."
    )


@router.post("/hand-overs/{number}/again")
def again(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(request, form, lambda ctx: hand_overs.open_again(ctx.desk, ctx.actor, number), "Open again.")


@router.post("/hand-overs/{number}/pass")
def pass_on(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(
        request, form, lambda ctx: hand_overs.pass_on(ctx.desk, ctx.actor, number, form["to"]), "Passed on."
    )


@router.post("/hand-overs/{number}/seen")
def seen(request: Request, number: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _act(request, form, lambda ctx: hand_overs.seen(ctx.desk, ctx.actor, number), "")


def _act(request: Request, form: PostedForm, act: Callable[[RequestContext], None], said: str) -> Response:
    ctx = enter(request, "see")
    try:
        act(ctx)
    except Mendable as error:
        return _page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(page_in(form["back"]) or "/hand-overs", said)

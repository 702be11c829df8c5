"""One claim: fixing it, adding what it needs, sending it, following it up, and the claims that come after."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.claims.paper import on_paper
from zax.core.claims.paper_decision import COLUMNS
from zax.core.claims.states import CAN_BE_CHECKED, ClaimState
from zax.core.errors import NotFound, ZaxError
from zax.core.reading import optional_day, reference
from zax.desk.claims import following
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.claims import recheck
from zax.desk.claims.colleagues import billers
from zax.desk.claims.fixing import carry_subject
from zax.desk.claims.sending import send_ready
from zax.desk.claims.status import ask_payer
from zax.desk.claims.thread import bill_next_plan, bill_next_plan_from_paper, correct_claim, void_claim
from zax.desk.day.checkout import change_what_was_billed
from zax.store.claims import claims as stored
from zax.web.claims.worklist import REASONS
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
FORMS = {"P": "medical", "D": "dental", "I": "facility"}
RANKS = {"P": "first plan", "S": "second plan", "T": "third plan"}
FREQUENCIES = {"1": "", "7": "corrected", "8": "void"}


@router.get("/claims/{claim_id}")
def show_claim(request: Request, claim_id: int) -> Response:
    return one_claim(enter(request, "claims"), claim_id, request.query_params.get("part", ""))


def one_claim(
    ctx: RequestContext, claim_id: int, part: str = "", status: int = 200, **more: object
) -> Response:
    """The page; `part` is the subject whose boxes are open."""
    with ctx.read() as connection:
        shown = claim_page(connection, ctx.desk.clinic, claim_id, ctx.today)
        colleagues = billers(connection, ctx.clinic)
    page = ctx.page(
        "claims/claim.html",
        status,
        shown=shown,
        part=part,
        colleagues=colleagues,
        editable=shown.row.state in CAN_BE_CHECKED,
        with_payer=shown.held,
        columns=COLUMNS,
        unanswered=shown.held and shown.row.state != ClaimState.CLOSED,
        forms=FORMS,
        ranks=RANKS,
        frequencies=FREQUENCIES,
        closing_reasons=following.CLOSING_REASONS,
        reasons=REASONS,
        screen="claims",
        **more,
    )
    return ctx.looked(page, shown.row.patient_id, "claim")


@router.get("/claims/{claim_id}/paper.pdf")
def print_claim(request: Request, claim_id: int) -> Response:
    """The claim on paper, as it would leave now."""
    ctx = enter(request, "claims")
    clinic = ctx.desk.clinic
    with ctx.read() as connection:
        shown = claim_page(connection, clinic, claim_id, ctx.today)
    content = paper(
        "claims/papers/claim.html",
        claim=shown.claim,
        sheet=on_paper(shown.claim),
        about=clinic.about,
        site=clinic.first_site,
        clinic=clinic,
        printed=local(ctx.desk.clock.now(), clinic.first_site.timezone),
    )
    headers = {"Content-Disposition": f'inline; filename="{shown.row.number}.pdf"'}
    answer = Response(content, media_type="application/pdf", headers=headers)
    return ctx.looked(answer, shown.row.patient_id, "claim")


@router.post("/claims/{claim_id}/recheck")
def recheck_claim(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    ready = recheck(ctx.desk, ctx.actor, claim_id)
    return ctx.go(f"/claims/{claim_id}", "Ready to send." if ready else "Something is still holding it.")


@router.post("/claims/{claim_id}/carry")
def carry_part(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """What was typed for one subject; what is wrong with it is said beside its box."""
    ctx = enter(request, "claims")
    try:
        ready = carry_subject(ctx.desk, ctx.actor, claim_id, form["part"], form)
    except ZaxError as error:
        if not error.problems:
            raise
        return one_claim(ctx, claim_id, form["part"], error.status, problems=error.problems, typed=form)
    return ctx.go(f"/claims/{claim_id}", "Saved. Ready to send." if ready else "Saved.")


@router.post("/claims/{claim_id}/send")
def send_one(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """This claim alone, in a batch of its own."""
    ctx = enter(request, "claims")
    sent = send_ready(ctx.desk, ctx.actor, None, [claim_id])
    return ctx.go(f"/claims/{claim_id}", sent.words)


@router.post("/claims/{claim_id}/ask")
def ask(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    ask_payer(ctx.desk, ctx.actor, claim_id)
    return ctx.go(f"/claims/{claim_id}", "Asked. The answer shows up here.")


@router.post("/claims/{claim_id}/next-plan")
def next_plan(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    return ctx.go(f"/claims/{bill_next_plan(ctx.desk, ctx.actor, claim_id)}", "Made for the next plan.")


@router.post("/claims/{claim_id}/next-plan/paper")
def next_from_paper(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """What the plan decided, typed in from its paper; what is wrong is said beside its box."""
    ctx = enter(request, "claims")
    try:
        made = bill_next_plan_from_paper(ctx.desk, ctx.actor, claim_id, form)
    except ZaxError as error:
        if not error.problems:
            raise
        return one_claim(ctx, claim_id, "paper", error.status, problems=error.problems, typed=form)
    return ctx.go(f"/claims/{made}", "Made for the next plan, with what you typed.")


@router.post("/claims/{claim_id}/correct")
def correct(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    made = correct_claim(ctx.desk, ctx.actor, claim_id)
    return ctx.go(f"/claims/{made}", "A corrected claim: change what was wrong, then send it.")


@router.post("/claims/{claim_id}/charges")
def change_charges(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The visit's charges are open again; finishing it makes the corrected claim."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        row = stored.claim_of(connection, claim_id)
    if row is None or row.visit_id is None:
        raise NotFound("There is no such claim of a visit.")
    change_what_was_billed(ctx.desk, ctx.actor, row.visit_id)
    return ctx.go(
        f"/visits/{row.visit_id}/charges",
        f"Change what was billed, then finish the checkout: a corrected claim replaces {row.number}.",
    )


@router.post("/claims/{claim_id}/void")
def void(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    made = void_claim(ctx.desk, ctx.actor, claim_id)
    return ctx.go(f"/claims/{made}", "It takes the claim back once it’s sent.")


@router.post("/claims/{claim_id}/close")
def close(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _follow(
        request,
        claim_id,
        lambda ctx: following.close_claim(
            ctx.desk, ctx.actor, claim_id, form["own"].strip() or form["reason"]
        ),
        form,
        "Closed.",
    )


@router.post("/claims/{claim_id}/again")
def again_on(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    def write(ctx: RequestContext) -> None:
        day = optional_day(form["again_on"], "again_on", "This is not a day.")
        following.ask_again_on(ctx.desk, ctx.actor, claim_id, day)

    return _follow(request, claim_id, write, form, "Noted.")


@router.post("/claims/{claim_id}/hand")
def hand(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _follow(
        request,
        claim_id,
        lambda ctx: following.hand_over(ctx.desk, ctx.actor, claim_id, reference(form["user_id"]) or None),
        form,
        "Handed over.",
    )


@router.post("/claims/{claim_id}/note")
def note(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    return _follow(
        request,
        claim_id,
        lambda ctx: following.note_on(ctx.desk, ctx.actor, claim_id, form["words"]),
        form,
        "Noted.",
    )


def _follow(
    request: Request, claim_id: int, write: Callable[[RequestContext], None], form: PostedForm, said: str
) -> Response:
    """What is wrong comes back beside its box, with what was typed."""
    ctx = enter(request, "claims")
    try:
        write(ctx)
    except ZaxError as error:
        if not error.problems:
            raise
        return one_claim(ctx, claim_id, "", error.status, problems=error.problems, typed=form)
    return ctx.go(f"/claims/{claim_id}", said)

"""The biller's list: claims under what they need next, a finding fixed beside it, and the batch sent by one
key.
"""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.claims.claim import Rank
from zax.core.claims.worklist import NEED_HINTS, NEED_WORDS, Need
from zax.core.errors import ZaxError
from zax.core.reading import reference
from zax.desk.acts.set_aside import set_aside
from zax.desk.claims.claims import recheck, send_anyway
from zax.desk.claims.colleagues import billers
from zax.desk.claims.fixing import fix
from zax.desk.claims.following import CLOSING_REASONS, close_claim
from zax.desk.claims.sending import send_ready
from zax.desk.claims.worklist import PAGE, Row, filtered_group, one_row, worklist
from zax.store.claims.worklist import ClaimFilter
from zax.store.engine import Connection
from zax.store.remits.remits import count_open_answers
from zax.store.remits.shortfalls import count_open
from zax.web.claims.aging import aging
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
_FILTERS = ("payer", "at", "provider", "rank", "owner", "days", "from")
# Days since sent that one may ask for.
AGES = (10, 30, 60, 90)
LONGEST_DAYS, LARGEST = 10_000, 10_000_000
# Why what looks odd may go: the usual reasons, and one's own.
REASONS = (
    "the provider asked for it",
    "checked, it’s right",
    "the payer said to send it",
    "the patient wants it sent",
)


def worklist_page(ctx: RequestContext, claim_id: int, status: int = 200, **more: object) -> Response:
    """The list at a glance, with one claim open in its place (0: none)."""
    with ctx.read() as connection:
        view = worklist(connection, ctx.today)
        opened = _opened(connection, ctx, claim_id)
        answers, short = count_open_answers(connection), count_open(connection)
        aside = len(set_aside(connection, ctx.actor.role))
    page = ctx.page(
        "claims/worklist.html",
        status,
        worked=view,
        picture=aging(view.ages),
        opened=opened,
        answers=answers,
        short=short,
        aside=aside,
        **_words(),
        **more,
    )
    return ctx.looked(page, opened.claim.patient_id, "claim") if opened else page


def group_page(ctx: RequestContext, need: Need) -> Response:
    """One group alone, page by page; the filters stand in the address."""
    asked = ctx.request.query_params
    filters, number = _filters(asked), max(1, reference(asked.get("page", "1")))
    with ctx.read() as connection:
        shown = filtered_group(connection, need, ctx.today, filters, (number - 1) * PAGE)
        opened = _opened(connection, ctx, reference(asked.get("open", "")))
        colleagues = billers(connection, ctx.clinic)
    page = ctx.page(
        "claims/group.html",
        200,
        shown=shown,
        filters=filters,
        sends_all=need is Need.SEND and shown.number and filters == ClaimFilter(payer_id=filters.payer_id),
        chosen=urlencode({name: asked[name] for name in _FILTERS if asked.get(name)}),
        colleagues=colleagues,
        ages=AGES,
        number=number,
        pages=max(1, -(-shown.number // PAGE)),
        opened=opened,
        **_words(),
    )
    return ctx.looked(page, opened.claim.patient_id, "claim") if opened else page


def _filters(asked: Mapping[str, str]) -> ClaimFilter:
    """What the address asks for; what is no number or rank is left out."""
    rank = asked.get("rank", "")
    return ClaimFilter(
        payer_id=reference(asked.get("payer", "")),
        site_id=reference(asked.get("at", "")),
        provider_id=reference(asked.get("provider", "")),
        rank=rank if rank in set(Rank) else "",
        owner_id=reference(asked.get("owner", "")),
        days=min(reference(asked.get("days", "")), LONGEST_DAYS),
        cents=min(reference(asked.get("from", "")), LARGEST) * 100,
    )


def _words() -> dict[str, object]:
    return {
        "need_words": NEED_WORDS,
        "need_hints": NEED_HINTS,
        "reasons": REASONS,
        "closing_reasons": CLOSING_REASONS,
        "Need": Need,
        "screen": "claims",
    }


def _opened(connection: Connection, ctx: RequestContext, claim_id: int) -> Row | None:
    return one_row(connection, claim_id, ctx.today) if claim_id else None


@router.post("/claims/send")
def send(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Everything that is ready, or one payer's part of it."""
    ctx = enter(request, "claims")
    sent = send_ready(ctx.desk, ctx.actor, reference(form["payer"]) or None)
    return ctx.go("/claims/batches" if sent.file_ids else "/claims", sent.words)


@router.post("/claims/{claim_id}/fix")
def fix_here(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """What was typed beside a finding; what is wrong with it is said there, and kept."""
    ctx = enter(request, "claims")
    try:
        ready = fix(ctx.desk, ctx.actor, claim_id, form["about"], form)
    except ZaxError as error:
        if not error.problems:
            raise
        return _again(ctx, claim_id, error, form)
    return ctx.go(_back(form, claim_id, ready), "Ready to send." if ready else "Saved. There’s more to fix.")


@router.post("/claims/{claim_id}/keep")
def keep(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """What looks odd may go, for a reason."""
    ctx = enter(request, "claims")
    reason = form["own"].strip() or form["reason"]
    try:
        ready = send_anyway(ctx.desk, ctx.actor, claim_id, form["rule"], form["about"], reason)
    except ZaxError as error:
        if not error.problems:
            raise
        return _again(ctx, claim_id, error, form)
    return ctx.go(_back(form, claim_id, ready), "Ready to send." if ready else "Kept. There’s more to fix.")


@router.post("/claims/many")
def many(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """What is ticked, each by itself: one that cannot be done is counted and leaves the others alone."""
    ctx = enter(request, "claims")
    chosen = sorted(form.ticked("claim"))
    back = f"/claims?need={form['need']}" if form["need"] in set(Need) else "/claims"
    if not chosen:
        return ctx.go(back, "Tick the claims first.")
    if form["do"] == "send":
        return ctx.go(back, send_ready(ctx.desk, ctx.actor, None, chosen).words)
    act = _check if form["do"] == "recheck" else _close
    done, failed = 0, ""
    for claim_id in chosen:
        try:
            act(ctx, claim_id, form)
            done += 1
        except ZaxError as error:
            failed = error.message
    said = f"{done} of {len(chosen)} {'checked again' if act is _check else 'closed'}."
    return ctx.go(back, f"{said} {failed}".strip())


def _check(ctx: RequestContext, claim_id: int, form: PostedForm) -> None:
    recheck(ctx.desk, ctx.actor, claim_id)


def _close(ctx: RequestContext, claim_id: int, form: PostedForm) -> None:
    close_claim(ctx.desk, ctx.actor, claim_id, form["own"].strip() or form["reason"])


def _again(ctx: RequestContext, claim_id: int, error: ZaxError, form: PostedForm) -> Response:
    """The list with the claim open and what was typed still in its box."""
    return worklist_page(
        ctx, claim_id, error.status, problems=error.problems, typed=form, wrong=form["about"]
    )


def _back(form: PostedForm, claim_id: int, ready: bool) -> str:
    """To where it was done; the claim stays open in the list while something holds it."""
    if form["back"] == "claim":
        return f"/claims/{claim_id}"
    return "/claims" if ready else f"/claims?open={claim_id}"

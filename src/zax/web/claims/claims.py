"""Claims as a list to work, one claim's life, and taking in files from insurers by hand."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import PlainTextResponse, Response
from sqlalchemy import func, select

from zax.core.claims.claim import ClaimState
from zax.core.errors import NotFound, ZaxError
from zax.desk.claims.claims import recheck
from zax.desk.remits.importing import import_file
from zax.store import schema
from zax.store.money import queries as money
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
SHOWS: dict[str, tuple[str, tuple[ClaimState, ...]]] = {
    "open": (
        "Open",
        (
            ClaimState.READY,
            ClaimState.SENT,
            ClaimState.ACCEPTED,
            ClaimState.HELD_BACK,
            ClaimState.REJECTED,
            ClaimState.DENIED,
        ),
    ),
    "trouble": ("Held back or refused", (ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.DENIED)),
    "closed": ("Closed", (ClaimState.CLOSED,)),
    "answers": ("Answers for a person", ()),
}
PAGE = 40


def _claim_query() -> Any:
    c, p, y = schema.claim, schema.patient, schema.payer
    return (
        select(c, p.c.first, p.c.last, y.c.name.label("payer_name"), schema.visit.c.day)
        .join(p, p.c.id == c.c.patient_id)
        .join(schema.visit, schema.visit.c.id == c.c.visit_id)
        .join(schema.coverage, schema.coverage.c.id == c.c.coverage_id)
        .join(schema.plan, schema.plan.c.id == schema.coverage.c.plan_id)
        .join(y, y.c.id == schema.plan.c.payer_id)
    )


@router.get("/claims")
def show_claims(request: Request, show: str = "open", page: int = 1) -> Response:
    return claims_page(enter(request, "claims"), show, page)


def claims_page(ctx: RequestContext, show: str = "open", page: int = 1, status: int = 200, **more: Any) -> Response:
    if show not in SHOWS:
        raise NotFound("There is no such list of claims.")
    c = schema.claim
    states = SHOWS[show][1]
    with ctx.read() as connection:
        counts = dict(connection.execute(select(c.c.state, func.count()).group_by(c.c.state)).all())
        query = _claim_query().where(c.c.state.in_(states)).order_by(c.c.made_at.desc(), c.c.id.desc())
        claims = connection.execute(query.limit(PAGE + 1).offset((max(page, 1) - 1) * PAGE)).all() if states else []
        answers = connection.execute(_answers()).all()
        files = connection.execute(
            select(schema.x12_file)
            .where(schema.x12_file.c.direction == "in")
            .order_by(schema.x12_file.c.id.desc())
            .limit(8)
        ).all()
    totals = {key: sum(counts.get(state, 0) for state in wanted) for key, (_, wanted) in SHOWS.items()} | {
        "answers": len(answers)
    }
    return ctx.page(
        "claims/claims.html", status, claims=claims[:PAGE], more_pages=len(claims) > PAGE, page_number=max(page, 1), show=show, shows=SHOWS,
        totals=totals, answers=answers, files=files, screen="claims", **more,
    )  # fmt: skip


def _answers() -> Any:
    r, m = schema.remit_claim, schema.remit
    return (
        select(r, m.c.payer, m.c.trace, m.c.day)
        .join(m, m.c.id == r.c.remit_id)
        .where(r.c.outcome.in_(("unknown", "repeated", "person")))
        .order_by(r.c.id.desc())
        .limit(100)
    )


@router.get("/claims/{claim_id}")
def show_claim(request: Request, claim_id: int) -> Response:
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        claim = connection.execute(_claim_query().where(schema.claim.c.id == claim_id)).first()
        if claim is None:
            raise NotFound("There is no such claim.")
        e, u, f = schema.claim_event, schema.user, schema.x12_file
        events = connection.execute(
            select(e, u.c.name.label("by_name"), f.c.name.label("file_name"))
            .join(u, u.c.id == e.c.by_id, isouter=True)
            .join(f, f.c.id == e.c.file_id, isouter=True)
            .where(e.c.claim_id == claim_id)
            .order_by(e.c.id)
        ).all()
        lines = money.claim_lines(connection, claim_id)
    return ctx.page("claims/claim.html", claim=claim, events=events, lines=lines, screen="claims")


@router.post("/claims/import")
def import_by_hand(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """A 999 or 835 from this computer; what is wrong with it is said beside the field and nothing is used."""
    ctx = enter(request, "claims")
    try:
        done = import_file(ctx.desk, ctx.actor, form["file_name"] or "upload.x12", form["file"])
    except ZaxError as error:
        return claims_page(ctx, status=error.status, problems=error.problems)
    return ctx.go("/claims?show=answers" if done.for_a_person else "/claims", done.words)


@router.post("/claims/{claim_id}/recheck")
def recheck_claim(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    sent = recheck(ctx.desk, ctx.actor, claim_id)
    return ctx.go(
        f"/claims/{claim_id}", "Nothing stops it any more: it is going out." if sent else "Something still stops it."
    )


@router.get("/files/{file_id}")
def show_file(request: Request, file_id: int) -> Response:
    """The file as it came or went, as text."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        row = connection.execute(select(schema.x12_file).where(schema.x12_file.c.id == file_id)).first()
    if row is None:
        raise NotFound("There is no such file.")
    return PlainTextResponse(row.text, headers={"Content-Disposition": f'inline; filename="{row.name}"'})

"""A claim for work that no visit here stands for, and an earlier claim again for other days."""

from __future__ import annotations

import uuid

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Refused, ZaxError
from zax.core.reading import reference
from zax.desk.charges.afterwards import WorkForm, enter_work
from zax.desk.claims.copying import Copied, CopyForm, copy_claim
from zax.store.patients.patients import patient_of
from zax.web.claims.claim_page import one_claim
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/claims/by-hand")
def show_by_hand(request: Request, patient: str = "") -> Response:
    ctx = enter(request, "claims")
    return _page(ctx, PostedForm(patient_id=patient, site_id=str(ctx.site_id)))


def _page(ctx: RequestContext, typed: PostedForm, status: int = 200, **more: object) -> Response:
    number = reference(typed["patient_id"])
    with ctx.read() as connection:
        chosen = patient_of(connection, number) if number else None
    typed["key"] = typed["key"] or uuid.uuid4().hex
    page = ctx.page(
        "claims/by_hand.html",
        status,
        chosen=chosen,
        typed=typed,
        screen="claims",
        **more,
    )
    return ctx.looked(page, chosen.id, "claim") if chosen else page


@router.post("/claims/by-hand")
def start_by_hand(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """On to the charges of the work; what is wrong is said beside its field."""
    ctx = enter(request, "claims")
    try:
        patient_id = reference(form["patient_id"])
        if not patient_id:
            raise Refused("Find the patient first.", "patient")
        made = enter_work(ctx.desk, ctx.actor, patient_id, form.read(WorkForm))
    except ZaxError as error:
        if not error.problems:
            raise
        return _page(ctx, form, error.status, problems=error.problems)
    return ctx.go(
        f"/visits/{made}/charges", "Enter what was done, then finish the checkout: that makes the claim."
    )


@router.post("/claims/{claim_id}/copy")
def copy(request: Request, claim_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """The same work on other days."""
    ctx = enter(request, "claims")
    try:
        made = copy_claim(ctx.desk, ctx.actor, claim_id, form.read(CopyForm))
    except ZaxError as error:
        if not error.problems:
            raise
        return one_claim(ctx, claim_id, "copy", error.status, problems=error.problems, typed=form)
    to = f"/claims/{made.claims[0]}" if made.claims else f"/visits/{made.visits[0]}"
    return ctx.go(to, _said(made))


def _said(made: Copied) -> str:
    number = len(made.claims)
    said = f"{number} {'claim' if number == 1 else 'claims'} made." if number else "Charged; no claim."
    return f"{said} Not carried over: {'; '.join(made.left_behind)}." if made.left_behind else said

"""A patient's authorizations and referrals: what payers approved beforehand, and how much of it is left."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.desk.coverage import approvals as acts
from zax.desk.coverage.approvals import ApprovalForm, approvals_shown
from zax.desk.coverage.estimate_inputs import holds_on
from zax.store.coverage.queries import coverages_of
from zax.store.patients.patients import patient_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/patients/{patient_id}/approvals")
def show_approvals(request: Request, patient_id: int) -> Response:
    return approvals_page(enter(request), patient_id)


def approvals_page(ctx: RequestContext, patient_id: int, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        patient = patient_of(connection, patient_id)
        if patient is None:
            raise NotFound("There is no such patient.")
        shown = approvals_shown(connection, patient.id)
        coverages = [c for c in coverages_of(connection, [patient.id]) if holds_on(c, ctx.today)]
    page = ctx.page(
        "coverage/approvals.html",
        status,
        p=patient,
        shown=shown,
        coverages=coverages,
        kinds=acts.KINDS,
        screen="patients",
        **more,
    )
    return ctx.looked(page, patient.id, "approvals")


@router.post("/patients/{patient_id}/approvals")
def store_approval(request: Request, patient_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    """What is wrong is said beside its field, and what was typed stays."""
    ctx = enter(request, "patients")
    try:
        acts.add_approval(ctx.desk, ctx.actor, patient_id, form.read(ApprovalForm))
    except Mendable as error:
        return approvals_page(ctx, patient_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/patients/{patient_id}/approvals", "On file. Claims it fits carry it by themselves.")


@router.post("/approvals/{approval_id}/end")
def end(request: Request, approval_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    patient = acts.end_approval(ctx.desk, ctx.actor, approval_id)
    return ctx.go(f"/patients/{patient}/approvals", "Saved.")

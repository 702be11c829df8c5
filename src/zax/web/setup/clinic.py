"""Setup of the clinic itself: name, address for mail, and the numbers payers know it by."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.clinic.identity import CLINIC_TAXONOMIES
from zax.desk.setup.clinic import ClinicForm, save_clinic
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/setup/clinic")
def show_clinic(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return setup_page(ctx, "clinic", status, taxonomies=CLINIC_TAXONOMIES, **more)


@router.post("/setup/clinic")
def store_clinic(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_clinic(ctx.desk, ctx.actor, form.read(ClinicForm)),
        lambda status, more: _page(ctx, status, **more),
        "/setup/clinic",
        "Saved.",
    )

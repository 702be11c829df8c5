"""What the worker set aside after it failed again and again: each with its reason, to be tried once more or
dismissed.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.form import Form
from zax.desk.acts.set_aside import dismiss, set_aside, try_again
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class DismissForm(Form):
    reason: str = ""


@router.get("/set-aside")
def show_set_aside(request: Request) -> Response:
    return aside_page(enter(request))


def aside_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        waiting = set_aside(connection, ctx.actor.role)
    return ctx.page("worker/set_aside.html", status, waiting=waiting, screen="claims", **more)


@router.post("/set-aside/{errand_id}/again")
def again(request: Request, errand_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    try:
        try_again(ctx.desk, ctx.actor, errand_id)
    except Mendable as error:
        return aside_page(ctx, error.status, problems=error.problems, about_errand=errand_id)
    return ctx.go("/set-aside", "Zax is trying it again.")


@router.post("/set-aside/{errand_id}/dismiss")
def leave(request: Request, errand_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    try:
        dismiss(ctx.desk, ctx.actor, errand_id, form.read(DismissForm).reason)
    except Mendable as error:
        return aside_page(ctx, error.status, problems=error.problems, typed=form, about_errand=errand_id)
    return ctx.go("/set-aside", "Dismissed. It stays on record with your reason.")

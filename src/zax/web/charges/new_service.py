"""A code that is not on the clinic's list: put on it where it is first needed, and on the visit at once."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.charges.new_service import DONE_ON, categories
from zax.core.claims.procedures import is_dental_code
from zax.core.coverage.benefits import CATEGORY_WORDS
from zax.core.errors import Mendable, ZaxError
from zax.core.reading import reference
from zax.desk.charges.charges import add_line
from zax.desk.charges.new_service import NewServiceForm, put_on_list
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/services/new")
def show_new_service(request: Request, code: str = "", visit: str = "") -> Response:
    return _page(enter(request, "plans"), PostedForm(code=code.upper()[:5], visit=visit))


def _page(ctx: RequestContext, typed: PostedForm, status: int = 200, **more: object) -> Response:
    code = typed["code"].strip().upper()
    return ctx.page(
        "charges/new_service.html",
        status,
        typed=typed,
        visit=reference(typed["visit"]),
        dental=is_dental_code(code),
        categories={each: CATEGORY_WORDS[each] for each in categories(code)},
        done_on=DONE_ON,
        screen="plans",
        **more,
    )


@router.post("/services/new")
def store_new_service(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Back to the visit with the service on it; a visit of the other kind of care only says so."""
    ctx = enter(request, "plans")
    try:
        made = put_on_list(ctx.desk, ctx.actor, form.read(NewServiceForm))
    except Mendable as error:
        return _page(ctx, form, error.status, problems=error.problems)
    visit = reference(form["visit"])
    if not visit:
        return ctx.go("/plans", "On the list.")
    try:
        add_line(ctx.desk, ctx.actor, visit, made)
    except ZaxError as error:
        return ctx.go(f"/visits/{visit}/charges", f"On the list, but not on this visit: {error.message}")
    return ctx.go(f"/visits/{visit}/charges", "On the list, and added.")

"""Setup of who is signed in now: somebody can be signed out everywhere, when a tablet is lost or somebody
leaves.
"""

from __future__ import annotations

from collections import Counter

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import NotFound
from zax.desk.people.sessions import sign_out_everywhere, signed_in
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, browser_of, enter, posted_form

router = APIRouter()


@router.get("/setup/signed-in")
def show_signed_in(request: Request) -> Response:
    ctx = enter(request, "people")
    with ctx.read() as connection:
        device = browser_of(request).device
        open_sessions = signed_in(connection, ctx.clinic.first_site.timezone, device)
    counts = Counter(each.user_id for each in open_sessions)
    return setup_page(ctx, "signed_in", open_sessions=open_sessions, counts=counts)


@router.post("/setup/signed-in/{user_id}")
def sign_out_all(request: Request, user_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    try:
        sign_out_everywhere(ctx.desk, ctx.actor, user_id)
    except NotFound as error:
        return ctx.go("/setup/signed-in", error.message)
    return ctx.go("/setup/signed-in", "Signed out everywhere.")

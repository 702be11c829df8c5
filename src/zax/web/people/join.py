"""What the link of an invitation or of a new password opens: choosing one's own name and password."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.desk.people.inviting import PAGE, accept, welcome
from zax.web.people.sign_in import After, alone_page, finish_sign_in
from zax.web.people.sign_in import code_page as ask_code
from zax.web.shell.request_context import PostedForm, Shared, open_form

router = APIRouter()


@router.get(f"/{PAGE}/{{token}}")
def show_join(request: Request, token: str) -> Response:
    return _page(request, token)


def _page(request: Request, token: str, status: int = 200, **more: object) -> Response:
    shared: Shared = request.app.state.shared
    try:
        with shared.reading.connect() as connection:
            known = welcome(connection, token)
    except NotFound as error:
        return alone_page(request, "people/gone.html", 404, words=error.message)
    return alone_page(request, "people/join.html", status, known=known, token=token, **more)


@router.post(f"/{PAGE}/{{token}}")
def take_join(request: Request, token: str, form: PostedForm = Depends(open_form)) -> Response:
    """In at once; whoever has a second factor is asked for it first, since a mailbox alone is no proof of
    it.
    """
    shared: Shared = request.app.state.shared
    try:
        user_id = accept(shared.desk, token, form["sign_in"], form["password"])
    except NotFound as error:
        return alone_page(request, "people/gone.html", 404, words=error.message)
    except Mendable as error:
        return _page(request, token, error.status, problems=error.problems, typed=form)
    return ask_code(request, user_id, After()) or finish_sign_in(request, user_id, After())

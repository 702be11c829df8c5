"""A shared desk: come back by PIN, let somebody else take over, lock it and go.

A lock covers the page and leaves what was typed on it; whoever locked it opens it again in place.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from zax.core.errors import ZaxError
from zax.core.form import Form, Reference
from zax.desk.people.sessions import end_session
from zax.desk.people.switching import lock, people_here, switch, unlock
from zax.web.people.sign_in import After, after_of, alone_page, go_on, locked_page, ours
from zax.web.shell.request_context import (
    PostedForm,
    Shared,
    browser_of,
    enter_self,
    open_form,
    posted_form,
    session_of,
    signed_in_actor,
)

router = APIRouter()


class PinForm(Form):
    user_id: Reference = 0
    pin: str = ""


@router.get("/switch")
def show_switch(request: Request) -> Response:
    return _page(request)


def _page(request: Request, status: int = 200, **values: object) -> Response:
    shared: Shared = request.app.state.shared
    with shared.reading.connect() as connection:
        people = people_here(shared.desk, connection, browser_of(request))
    signed_in = bool(session_of(request))
    return alone_page(request, "people/switch.html", status, people=people, signed_in=signed_in, **values)


@router.post("/switch")
def take_switch(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """Whoever types their PIN has the desk; the session before is over."""
    shared: Shared = request.app.state.shared
    try:
        sent = form.read(PinForm)
        secret = switch(shared.desk, sent.user_id, sent.pin, browser_of(request))
    except ZaxError as error:
        return _page(request, error.status, problems=error.problems, typed=form)
    before, site = session_of(request), request.session.get("site")
    if before:
        end_session(shared.desk, before)
    request.session.clear()
    request.session["session"] = secret
    if site:
        request.session["site"] = site
    return RedirectResponse("/", 303)


@router.post("/lock")
def take_lock(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """From the page itself (which covers itself), or from the key, which leads to the locked page."""
    shared: Shared = request.app.state.shared
    signed_in_actor(request)
    lock(shared.desk, session_of(request))
    if "x-lock" in request.headers:
        return Response(status_code=204)
    return RedirectResponse("/locked", 303)


@router.get("/locked")
def show_locked(request: Request, to: str = "/") -> Response:
    actor = signed_in_actor(request)
    if not actor.locked:
        return RedirectResponse(ours(to), 303)
    return locked_page(request, After(ours(to)), name=actor.name)


@router.post("/unlock")
def take_unlock(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """By PIN or password, in place (from the covered page) or on the locked page."""
    shared: Shared = request.app.state.shared
    actor = signed_in_actor(request)
    in_place = "x-lock" in request.headers
    try:
        unlock(shared.desk, actor, session_of(request), form["pin"], browser_of(request))
    except ZaxError as error:
        if in_place:
            return JSONResponse({"problem": error.message}, error.status)
        return locked_page(request, after_of(form), error.status, name=actor.name, problems=error.problems)
    enter_self(request)
    return Response(status_code=204) if in_place else go_on(request, after_of(form))

"""Signing in and out, choosing the site. A form sent after the session ended is kept whole and sent again
once signed in.

Whoever has a second factor is asked for its code before there is a session. What is between the two, who it
is and since when, lies in the signed cookie for five minutes.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from urllib.parse import quote, urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zax.clock import system_now
from zax.core.errors import ZaxError
from zax.core.form import Form, Reference
from zax.desk.people.inviting import Letters, forgot
from zax.desk.people.second_factor import check_second
from zax.desk.people.sessions import end_session, open_session
from zax.desk.people.sign_in import authenticate, owes_code, welcome
from zax.web.shell.request_context import (
    Locked,
    PostedForm,
    SecondNeeded,
    Shared,
    SignInNeeded,
    browser_of,
    csrf_of,
    enter,
    has_name,
    open_form,
    posted_form,
    session_of,
    url_of,
)

router = APIRouter()
LONGEST_KEPT = 60_000
HALF = "half"
HALF_SECONDS = 300


class SiteChosen(Form):
    site_id: Reference = 0


@dataclass(frozen=True, slots=True)
class After:
    """Where to go once signed in: a page, or a form to send again."""

    to: str = "/"
    kept: str = ""


def ask_to_sign_in(request: Request, error: SignInNeeded) -> Response:
    """A page goes to the sign-in page; a form stays where it is, with everything typed, above the sign-in.

    What a field asks for while somebody types is answered in its place: a page that went away would take the
    half-typed form with it.
    """
    if error.kept is None:
        if "hx-request" in request.headers and "hx-boosted" not in request.headers:
            if "x-live" in request.headers:
                return Response(status_code=401, headers={"HX-Redirect": "/sign-in"})
            words = "You’re signed out. Send the form, then sign in. What you typed is kept."
            return HTMLResponse(f'<p class="none" role="status">{words}</p>', 401)
        return RedirectResponse(f"/sign-in?to={quote(url_of(request))}", 303)
    return sign_in_page(request, After(request.url.path, kept_fields(error.kept)), 401)


def kept_fields(fields: dict[str, str] | object) -> str:
    """A form as it is carried along, without what is secret."""
    assert isinstance(fields, dict)
    return json.dumps({name: value for name, value in fields.items() if "password" not in name})


def ask_for_second(request: Request, _: SecondNeeded) -> Response:
    return RedirectResponse("/me", 303)


def ask_to_unlock(request: Request, error: Locked) -> Response:
    """A page goes to the page of the locked desk; what refreshes itself is told, and covered; a form is
    kept.
    """
    if error.kept is None:
        if "hx-request" in request.headers or "x-live" in request.headers:
            return Response(status_code=423, headers={"HX-Reswap": "none", "HX-Trigger": "zax-locked"})
        return RedirectResponse(f"/locked?to={quote(url_of(request))}", 303)
    return locked_page(request, After(request.url.path, kept_fields(error.kept)), 423)


def locked_page(request: Request, after: After, status: int = 200, **values: object) -> HTMLResponse:
    given = {"name": ""} | values
    return alone_page(request, "people/locked.html", status, to=after.to, kept=after.kept, **given)


def alone_page(request: Request, template: str, status: int = 200, **values: object) -> HTMLResponse:
    """A page without the frame, for whoever isn’t signed in (yet)."""
    shared: Shared = request.app.state.shared
    given: dict[str, object] = {"problems": {}, "typed": PostedForm()} | values
    html = shared.templates.get_template(template).render(
        csrf=csrf_of(request), clinic_name=shared.desk.clinic.about["clinic_name"], **given
    )
    return HTMLResponse(html, status)


def sign_in_page(request: Request, after: After, status: int = 200, **values: object) -> HTMLResponse:
    given = {"sent": False, "named": has_name(request)} | values
    return alone_page(request, "people/sign_in.html", status, to=after.to, kept=after.kept, **given)


@router.get("/sign-in")
def show_sign_in(request: Request, to: str = "/", sent: str = "") -> Response:
    return sign_in_page(request, After(ours(to)), sent=bool(sent))


def ours(to: str) -> str:
    """Only ever a page of ours."""
    return (
        to
        if to.startswith("/") and not to.startswith("//") and not urlsplit(to).netloc and "\\" not in to
        else "/"
    )


def after_of(form: PostedForm) -> After:
    return After(ours(form["to"]), form["kept"][:LONGEST_KEPT])


@router.post("/sign-in")
def take_sign_in(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    shared: Shared = request.app.state.shared
    after = after_of(form)
    try:
        actor = authenticate(shared.desk, form["name"], form["password"], browser_of(request).address)
    except ZaxError as error:
        return sign_in_page(request, after, error.status, problems=error.problems, typed=form)
    user_id = actor.id or 0
    return code_page(request, user_id, after) or finish_sign_in(request, user_id, after)


def code_page(request: Request, user_id: int, after: After) -> Response | None:
    """The page that asks for the second factor’s code; None for whoever has none."""
    shared: Shared = request.app.state.shared
    if not owes_code(shared.desk, user_id):
        return None
    request.session[HALF] = [user_id, system_now().timestamp()]
    return _code_page(request, after)


def _code_page(request: Request, after: After, status: int = 200, **values: object) -> HTMLResponse:
    return alone_page(request, "people/code.html", status, to=after.to, kept=after.kept, **values)


@router.post("/sign-in/code")
def take_code(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """The second factor’s code, or a recovery code."""
    shared: Shared = request.app.state.shared
    after, half = after_of(form), request.session.get(HALF)
    if not isinstance(half, list) or system_now().timestamp() - float(half[1]) > HALF_SECONDS:
        request.session.pop(HALF, None)
        return sign_in_page(request, after, 401, problems={"password": "That took too long. Sign in again."})
    try:
        check_second(shared.desk, shared.vault, int(half[0]), form["code"], browser_of(request).address)
    except ZaxError as error:
        return _code_page(request, after, error.status, problems=error.problems)
    return finish_sign_in(request, int(half[0]), after)


def finish_sign_in(request: Request, user_id: int, after: After) -> Response:
    """A session of theirs, and on to where they wanted to be. Whatever the cookie held before is gone."""
    shared: Shared = request.app.state.shared
    site = request.session.get("site")
    old = session_of(request)
    if old:
        end_session(shared.desk, old)
    request.session.clear()
    request.session["session"] = open_session(shared.desk, user_id, browser_of(request))
    if site:
        request.session["site"] = site
    welcome(shared.desk, user_id)
    return go_on(request, after)


def go_on(request: Request, after: After) -> Response:
    """To the page, or the kept form, ready to go to where it was going."""
    if not after.kept:
        return RedirectResponse(after.to, 303)
    template = request.app.state.shared.templates.get_template("shell/resend.html")
    return HTMLResponse(template.render(csrf=csrf_of(request), to=after.to, fields=json.loads(after.kept)))


@router.get("/sign-in/forgot")
def show_forgot(request: Request) -> Response:
    return alone_page(request, "people/forgot.html")


@router.post("/sign-in/forgot")
def take_forgot(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """The same answer, whoever it is."""
    shared: Shared = request.app.state.shared
    letters = Letters(shared.vault, str(request.base_url))
    try:
        forgot(shared.desk, form["name"], letters, browser_of(request).address)
    except ZaxError as error:
        return alone_page(request, "people/forgot.html", error.status, problems=error.problems, typed=form)
    return RedirectResponse("/sign-in?sent=1", 303)


@router.post("/sign-out")
def sign_out(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The session is over, here and for whoever may have a copy of its cookie; the browser drops the pages it
    has kept.
    """
    end_session(request.app.state.shared.desk, session_of(request))
    request.session.clear()
    return RedirectResponse("/sign-in", 303, headers={"Clear-Site-Data": '"cache"'})


@router.post("/site")
def choose_site(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    site_id = form.read(SiteChosen).site_id
    if site_id in ctx.clinic.sites and ctx.actor.works_at(site_id):
        request.session["site"] = site_id
    return RedirectResponse(form.back, 303)


@router.get("/keys")
def show_keys(request: Request) -> Response:
    return enter(request).page("shell/keys.html")

"""Signing in and out, choosing the site. A form sent after the session ended is kept whole and sent again
once signed in.
"""

from __future__ import annotations

import json
from urllib.parse import quote, urlsplit

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zax.core.errors import ZaxError
from zax.core.form import Form, Reference
from zax.desk.people.sessions import end_session, open_session
from zax.desk.people.sign_in import sign_in
from zax.web.shell.request_context import (
    PostedForm,
    SignInNeeded,
    csrf_of,
    enter,
    open_form,
    posted_form,
    session_of,
    url_of,
)

router = APIRouter()


class SiteChosen(Form):
    site_id: Reference = 0


LONGEST_KEPT = 60_000


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
    kept = {name: value for name, value in error.kept.items() if "password" not in name}
    return _page(request, 401, to=request.url.path, kept=kept)


def _page(request: Request, status: int = 200, **values: object) -> HTMLResponse:
    given: dict[str, object] = {"to": "/", "kept": None, "problems": {}, "typed": PostedForm()} | values
    kept = json.dumps(given["kept"]) if given["kept"] else ""
    template = request.app.state.shared.templates.get_template("people/sign_in.html")
    about = request.app.state.shared.desk.clinic.about
    return HTMLResponse(
        template.render(csrf=csrf_of(request), clinic_name=about["clinic_name"], **(given | {"kept": kept})),
        status,
    )


@router.get("/sign-in")
def show_sign_in(request: Request, to: str = "/") -> Response:
    return _page(request, to=_ours(to))


def _ours(to: str) -> str:
    return (
        to
        if to.startswith("/") and not to.startswith("//") and not urlsplit(to).netloc and "\\" not in to
        else "/"
    )


@router.post("/sign-in")
def take_sign_in(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    to, kept = _ours(form["to"]), form["kept"][:LONGEST_KEPT]
    address = request.client.host if request.client else ""
    try:
        actor = sign_in(request.app.state.shared.desk, form["name"], form["password"], address)
    except ZaxError as error:
        fields = json.loads(kept) if kept else None
        return _page(request, error.status, to=to, kept=fields, problems=error.problems, typed=form)
    site = request.session.get("site")
    request.session.clear()
    request.session["session"] = open_session(request.app.state.shared.desk, actor.id or 0)
    if site:
        request.session["site"] = site
    if kept:
        return _send_again(request, to, kept)
    return RedirectResponse(to, 303)


def _send_again(request: Request, to: str, kept: str) -> Response:
    """The kept form, ready to go to where it was going."""
    template = request.app.state.shared.templates.get_template("shell/resend.html")
    return HTMLResponse(template.render(csrf=csrf_of(request), to=to, fields=json.loads(kept)))


@router.post("/sign-out")
def sign_out(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The session is over, here and for whoever may have a copy of its cookie."""
    end_session(request.app.state.shared.desk, session_of(request))
    request.session.clear()
    return RedirectResponse("/sign-in", 303)


@router.post("/site")
def choose_site(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request)
    site_id = form.read(SiteChosen).site_id
    if site_id in ctx.clinic.sites:
        request.session["site"] = site_id
    return RedirectResponse(form.back, 303)


@router.get("/keys")
def show_keys(request: Request) -> Response:
    return enter(request).page("shell/keys.html")

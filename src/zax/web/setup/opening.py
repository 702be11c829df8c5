"""The first page of a new clinic, behind a link that the start prints once: what the clinic is, its sites,
and who opens it.

Whoever holds the link can open the clinic, so it is as long as a key, lies in a file that only Zax reads, and
is gone once the clinic is open.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from pathlib import Path

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zax.core.clinic.identity import CLINIC_TAXONOMIES
from zax.core.clinic.zones import ZONES
from zax.core.errors import Mendable, NotFound, Problems
from zax.core.setup.starter import KIND_WORDS
from zax.desk.people.sessions import open_session
from zax.desk.setup.clinic import ClinicForm
from zax.desk.setup.opening import MOST_SITES, NewSiteForm, Opening, StartForm, open_clinic
from zax.web.shell.request_context import PostedForm, Shared, csrf_of, open_form

router = APIRouter()
KEY_FILE = "opening-key"


def opening_key(var: Path) -> str:
    """The key of the one link, made when there is none."""
    path = var / KEY_FILE
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(secrets.token_urlsafe(32))
    return path.read_text().strip()


def _check_key(request: Request, key: str) -> Shared:
    """NotFound for any other link, and for this one once the clinic is open."""
    shared: Shared = request.app.state.shared
    path = shared.settings.var / KEY_FILE
    right = path.read_text().strip() if path.exists() else ""
    if shared.desk.clinic.sites or not right or not secrets.compare_digest(key.encode(), right.encode()):
        raise NotFound("This link doesn’t open anything. Start Zax again, and use the one it prints.")
    return shared


@router.get("/open")
def show_closed(request: Request) -> Response:
    """What every page is until the clinic opens."""
    shared: Shared = request.app.state.shared
    if shared.desk.clinic.sites:
        return RedirectResponse("/sign-in", 303)
    return HTMLResponse(shared.templates.get_template("setup/not_open.html").render(), 503)


@router.get("/open/{key}")
def show_opening(request: Request, key: str) -> Response:
    return _page(request, _check_key(request, key), PostedForm(sites="1"))


def _page(
    request: Request, shared: Shared, typed: PostedForm, problems: dict[str, str] | None = None
) -> Response:
    html = shared.templates.get_template("setup/opening.html").render(
        csrf=csrf_of(request),
        typed=typed,
        problems=problems or {},
        numbers=_numbers(typed),
        most_sites=MOST_SITES,
        kinds=KIND_WORDS,
        taxonomies=CLINIC_TAXONOMIES,
        zones=ZONES,
        to=request.url.path,
    )
    return HTMLResponse(html, 422 if problems else 200)


def _numbers(typed: PostedForm) -> Sequence[int]:
    """The sites of the form, from 1."""
    count = int(typed["sites"]) if typed["sites"].isdecimal() and len(typed["sites"]) < 3 else 1
    return range(1, min(max(count, 1), MOST_SITES) + 1)


@router.post("/open/{key}")
def take_opening(request: Request, key: str, form: PostedForm = Depends(open_form)) -> Response:
    shared = _check_key(request, key)
    if form["more"]:
        form["sites"] = form["more"]
        return _page(request, shared, form)
    try:
        user_id = open_clinic(shared.desk, _read(form))
    except Mendable as error:
        return _page(request, shared, form, error.problems)
    (shared.settings.var / KEY_FILE).unlink(missing_ok=True)
    request.session.clear()
    request.session["session"] = open_session(shared.desk, user_id)
    request.session["said"] = "The clinic is open. Here is what’s left."
    return RedirectResponse("/setup/first-days", 303)


def _read(form: PostedForm) -> Opening:
    """The parts of the form; Problems beside the wrong fields of all of them."""
    wrong: dict[str, str] = {}
    sites = []
    for number in _numbers(form):
        try:
            sites.append(form.read(NewSiteForm, after=f"-{number}", opens="8:00", closes="17:00"))
        except Problems as problems:
            wrong |= problems.problems
    try:
        start = form.read(StartForm)
    except Problems as problems:
        wrong |= problems.problems
    if wrong:
        raise Problems(wrong)
    return Opening(form.read(ClinicForm), sites, start)

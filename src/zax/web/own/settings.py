"""What somebody wishes: paper or not, which way we write to them, a password, signing out elsewhere."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.patients.fields import CHANNELS, TOPICS
from zax.desk.own.signing_in import set_password, sign_out_elsewhere
from zax.desk.own.wishes import set_wishes
from zax.web.own.frame import OwnPage, enter_own
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()


@router.get("/my/settings")
def show(request: Request) -> Response:
    return _page(enter_own(request))


def _page(page: OwnPage, status: int = 200, **more: object) -> Response:
    now = {topic: page.own.patient.reach.get(topic, {}).get("by", "") for topic in TOPICS}
    return page.page("own/settings.html", status, topics=TOPICS, ways=CHANNELS, now=now, **more)


@router.post("/my/settings")
def keep(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """Wishes by topic; `back` leads to where a single one was asked."""
    page = enter_own(request)
    try:
        set_wishes(page.at.desk, page.own, form)
    except Mendable as error:
        return _page(page, error.status, problems=error.problems, typed=form)
    return page.go("/my/account" if form["from"] == "paid" else "/my/settings", page.words["saved"])


@router.post("/my/password")
def keep_password(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    try:
        set_password(page.at.desk, page.own, form["new_password"])
    except Mendable as error:
        return _page(page, error.status, problems=error.problems)
    return page.go("/my/settings", page.words["password_kept"])


@router.post("/my/elsewhere")
def elsewhere(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    sign_out_elsewhere(page.at.desk, page.own)
    return page.go("/my/settings", page.words["elsewhere_done"])

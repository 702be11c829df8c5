"""Writing to the clinic from one's own page, and what was answered."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.desk.own.talking import said_both_ways, say
from zax.web.own.frame import OwnPage, enter_own
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()


@router.get("/my/messages")
def show(request: Request) -> Response:
    return _page(enter_own(request))


def _page(page: OwnPage, status: int = 200, **more: object) -> Response:
    with page.at.desk.engine.connect() as connection:
        lines = said_both_ways(connection, page.person)
    return page.page("own/messages.html", status, lines=lines, **more)


@router.post("/my/messages")
def write(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    try:
        say(page.at.desk, page.own, page.person, form["words"], form["once"])
    except Mendable as error:
        return _page(page, error.status, problems=error.problems, typed=form)
    return page.go("/my/messages", page.words["sent_message"])

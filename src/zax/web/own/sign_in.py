"""Signing in to one's own page: phone and birth date, or email and password, or the link of a statement; then
the code.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from zax.core.errors import Mendable, NotFound
from zax.desk.online.codes import Purpose, text_again
from zax.desk.own.signing_in import begin, begin_with_password, code_of, finish, sign_out
from zax.desk.own.statements import begin_by_link, link_names
from zax.web.online.frame import Visitor, visitor
from zax.web.own.frame import FOR, SECRET, OwnSignInNeeded, enter_own, own_page
from zax.web.shell.request_context import PostedForm, open_form

router = APIRouter()
AFTER = "own_after"


@router.get("/my/sign-in")
def show(request: Request, by: str = "") -> Response:
    return _page(visitor(request), by == "password")


def _page(at: Visitor, password: bool, status: int = 200, **more: object) -> Response:
    return own_page(at, "own/sign_in.html", status, password=password, **more)


@router.post("/my/sign-in")
def start(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    """A code is texted, whoever it is."""
    at = visitor(request)
    by_password = form["by"] == "password"
    try:
        if by_password:
            number = begin_with_password(at.desk, at.browser, form["email"], form["password"], at.language)
        else:
            number = begin(at.desk, at.browser, form["phone"], form["birth"], at.language)
    except Mendable as error:
        form["password"] = ""
        return _page(at, by_password, error.status, problems=error.problems, typed=form)
    return at.go(f"/my/code/{number}")


@router.get("/my/code/{number}")
def show_code(request: Request, number: int, again: str = "") -> Response:
    return _code(visitor(request), number, sent_again=bool(again))


def _code(at: Visitor, number: int, status: int = 200, **more: object) -> Response:
    try:
        code_of(at.desk, at.browser, number)
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    return own_page(at, "own/code.html", status, **({"number": number, "sent_again": False} | more))


@router.post("/my/code/{number}")
def type_code(request: Request, number: int, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        if form["do"] == "again":
            text_again(at.desk, at.browser, Purpose.SIGN_IN, number)
            return at.go(f"/my/code/{number}?again=1")
        secret = finish(at.desk, at.browser, number, form["code"])
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    except Mendable as error:
        try:
            return _code(at, number, error.status, problems=error.problems, typed=form)
        except NotFound:
            return own_page(at, "own/gone.html", 404)
    request.session[SECRET] = secret
    request.session.pop(FOR, None)
    after = request.session.pop(AFTER, "")
    return at.go(after if isinstance(after, str) and after.startswith("/my/") else "/my")


@router.get("/my/s/{link}")
def statement_link(request: Request, link: str) -> Response:
    """The link in a statement's notice: nothing is shown before the code."""
    at = visitor(request)
    try:
        link_names(at.desk, link)
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    return own_page(at, "own/statement_link.html", link=link)


@router.post("/my/s/{link}")
def open_statement(request: Request, link: str, form: PostedForm = Depends(open_form)) -> Response:
    at = visitor(request)
    try:
        number = begin_by_link(at.desk, at.browser, link, at.language)
        request.session[AFTER] = f"/my/statements/{link_names(at.desk, link)}"
    except NotFound:
        return own_page(at, "own/gone.html", 404)
    except Mendable as error:
        return own_page(at, "own/statement_link.html", error.status, link=link, problems=error.problems)
    return at.go(f"/my/code/{number}")


@router.post("/my/sign-out")
def leave(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    page = enter_own(request)
    sign_out(page.at.desk, page.own)
    request.session.pop(SECRET, None)
    request.session.pop(FOR, None)
    return page.at.go("/my/sign-in")


async def ask_to_sign_in(request: Request, _: OwnSignInNeeded) -> Response:
    """Nobody is signed in, or not anymore."""
    return RedirectResponse("/my/sign-in", 303)


def not_there(request: Request, status: int) -> Response:
    """What isn't there, or isn't theirs: the same page for both."""
    return own_page(visitor(request), "own/gone.html", status)

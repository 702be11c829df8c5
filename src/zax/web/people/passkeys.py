"""Passkeys: adding and removing one's own, and signing in by one. The browser is asked a question; what we
have to remember of it lies in the signed cookie for five minutes.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from zax.clock import system_now
from zax.core.errors import Mendable, Refused
from zax.core.json import Json
from zax.desk.people.passkeys import (
    WRONG,
    Address,
    Question,
    add_passkey,
    begin_adding,
    begin_signing_in,
    remove_passkey,
    sign_in_by_passkey,
)
from zax.web.people.me import HERE, done, me_page
from zax.web.people.sign_in import after_of, finish_sign_in, sign_in_page
from zax.web.shell.request_context import PostedForm, Shared, browser_of, enter_self, open_form, posted_form

router = APIRouter()
ASKED = "passkey"
SECONDS = 300


def address_of(request: Request) -> Address:
    """Ours as the browser has it."""
    return Address(str(request.base_url).rstrip("/"), request.url.hostname or "")


def _ask(request: Request, question: Question, purpose: str) -> Response:
    request.session[ASKED] = [purpose, question.state, system_now().timestamp()]
    return JSONResponse(dict(question.asked))


def _asked(request: Request, purpose: str) -> Json:
    """What was asked a short while ago; Refused beside `answer` when it wasn't."""
    kept = request.session.pop(ASKED, None)
    if (
        not isinstance(kept, list)
        or kept[0] != purpose
        or system_now().timestamp() - float(kept[2]) > SECONDS
    ):
        raise Refused("That took too long. Try again.", "answer")
    return dict(kept[1])


@router.post("/me/passkeys/begin")
def begin(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    try:
        return _ask(request, begin_adding(ctx.desk, ctx.actor, address_of(request)), "add")
    except Mendable as error:
        return JSONResponse({"said": error.message}, error.status)


@router.post("/me/passkeys")
def add(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    try:
        add_passkey(
            ctx.desk,
            ctx.actor,
            address_of(request),
            _asked(request, "add"),
            form["passkey_password"],
            form["words"],
            form["answer"],
        )
    except Mendable as error:
        return me_page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(HERE, "Your passkey is added. It signs you in by itself.")


@router.post("/me/passkeys/{passkey_id}/remove")
def remove(request: Request, passkey_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    return done(
        ctx,
        form,
        lambda: remove_passkey(ctx.desk, ctx.actor, passkey_id, form["passkey_password"]),
        "That passkey opens nothing here anymore.",
    )


@router.post("/sign-in/passkey/begin")
def begin_in(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    return _ask(request, begin_signing_in(address_of(request)), "sign in")


@router.post("/sign-in/passkey")
def take_in(request: Request, form: PostedForm = Depends(open_form)) -> Response:
    shared: Shared = request.app.state.shared
    after = after_of(form)
    try:
        asked = _asked(request, "sign in")
        where = browser_of(request).address
        user_id = sign_in_by_passkey(shared.desk, address_of(request), asked, form["answer"], where)
    except Mendable as error:
        words = error.problems.get("passkey") or error.problems.get("answer", WRONG)
        return sign_in_page(request, after, error.status, problems={"passkey": words})
    return finish_sign_in(request, user_id, after)

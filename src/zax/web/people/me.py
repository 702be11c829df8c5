"""One's own sign-in: the second factor, a PIN for shared desks, and where one is signed in."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.errors import Mendable
from zax.core.people.second_factor import address_of
from zax.desk.people.inviting import change_password
from zax.desk.people.second_factor import begin, confirm, fresh_codes, turn_off
from zax.desk.people.sessions import end_elsewhere, end_own, open_session, signed_in
from zax.desk.people.switching import set_pin
from zax.store.people.passkeys import passkeys_of
from zax.store.people.people import User, active_user
from zax.store.people.second import codes_left
from zax.web.shell.request_context import (
    PostedForm,
    RequestContext,
    browser_of,
    enter_self,
    has_name,
    posted_form,
    session_of,
)
from zax.web.shell.square_code import inline_code

router = APIRouter()
HERE = "/me"


@router.get(HERE)
def show_me(request: Request) -> Response:
    return me_page(enter_self(request))


def me_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    zone = ctx.clinic.first_site.timezone
    with ctx.read() as connection:
        user = active_user(connection, ctx.actor.id or 0)
        assert user is not None
        sessions = signed_in(connection, zone, browser_of(ctx.request).device)
        left = codes_left(connection, user.id)
        passkeys = passkeys_of(connection, user.id)
    mine = [each for each in sessions if each.user_id == user.id]
    return ctx.page(
        "people/me.html",
        status,
        me=user,
        sessions=mine,
        left=left,
        passkeys=[(each, each.used_at and local(each.used_at, zone)) for each in passkeys],
        named=has_name(ctx.request),
        screen="me",
        **(_secret(ctx, user) | more),
    )


def _secret(ctx: RequestContext, user: User) -> dict[str, object]:
    """What the app scans, while there is no second factor."""
    if user.second_at is not None:
        return {}
    secret = begin(ctx.desk, ctx.shared.vault, ctx.actor)
    code = inline_code(address_of(secret, user.sign_in, str(ctx.clinic.about["clinic_name"])))
    return {"secret": " ".join(secret[at : at + 4] for at in range(0, len(secret), 4)), "square": code}


def done(ctx: RequestContext, form: PostedForm, work: Callable[[], object], said: str) -> Response:
    try:
        work()
    except Mendable as error:
        return me_page(ctx, error.status, problems=error.problems, typed=form)
    return ctx.go(HERE, said)


@router.post("/me/second")
def turn_on(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The first code typed back; the recovery codes are shown this once."""
    ctx = enter_self(request)
    try:
        codes = confirm(ctx.desk, ctx.shared.vault, ctx.actor, form["second_password"], form["code"])
    except Mendable as error:
        return me_page(ctx, error.status, problems=error.problems, typed=form)
    return _codes(ctx, codes)


@router.post("/me/second/codes")
def new_codes(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    try:
        codes = fresh_codes(ctx.desk, ctx.actor, form["second_password"])
    except Mendable as error:
        return me_page(ctx, error.status, problems=error.problems, typed=form)
    return _codes(ctx, codes)


def _codes(ctx: RequestContext, codes: list[str]) -> Response:
    return ctx.page("people/codes.html", codes=codes, screen="me")


@router.post("/me/second/off")
def turn_it_off(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    return done(
        ctx,
        form,
        lambda: turn_off(ctx.desk, ctx.actor, form["second_password"]),
        "Your second factor is off.",
    )


@router.post("/me/pin")
def keep_pin(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    return done(
        ctx,
        form,
        lambda: set_pin(ctx.desk, ctx.actor, form["pin"], form["pin_password"]),
        "Your PIN is set. It brings you back where you signed in that day.",
    )


@router.post("/me/password")
def keep_password(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """Every other sign-in of theirs ends; this browser goes on with a new one."""
    ctx = enter_self(request)
    try:
        change_password(ctx.desk, ctx.actor, form["old_password"], form["password"])
    except Mendable as error:
        return me_page(ctx, error.status, problems=error.problems, typed=form)
    request.session["session"] = open_session(ctx.desk, ctx.actor.id or 0, browser_of(request))
    return ctx.go(HERE, "Your password is changed. You’re signed out everywhere else.")


@router.post("/me/sessions")
def end_others(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    return done(
        ctx,
        form,
        lambda: end_elsewhere(ctx.desk, ctx.actor, session_of(request)),
        "You’re signed out everywhere else.",
    )


@router.post("/me/sessions/{session_id}")
def end_one(request: Request, session_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter_self(request)
    return done(ctx, form, lambda: end_own(ctx.desk, ctx.actor, session_id), "Signed out there.")

"""Setup of who signs in: invite, change, leave; and what each role may do, as a grid."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound
from zax.core.form import Form, Reference, Tick
from zax.core.money.adjust import NO_LIMIT
from zax.core.people.roles import SHIPPED, SHORT_WORDS
from zax.desk.people import roles as acts
from zax.desk.people.inviting import InviteForm, Letters, Sent, change_person, invite, send_link
from zax.desk.people.second_factor import ask_everyone, ask_for_second, drop_second, unasked
from zax.desk.people.sessions import sign_out_everywhere
from zax.desk.people.switching import lock_minutes, set_lock_minutes
from zax.desk.setup.leaving import come_back, leave, leaving
from zax.desk.setup.people_list import people_list
from zax.web.setup.frame import setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/people"


class RightForm(Form):
    """A cell of the grid: whether it is to be on, and the role's version it was shown with."""

    right: str = ""
    on: Tick = False
    version: Reference = 0


class RoleForm(Form):
    words: str = ""
    like: str = ""
    version: Reference = 0
    active: Tick = False


class LockForm(Form):
    minutes: Reference = 0


@router.get(PAGE)
def show_people(request: Request, who: int = 0, leave: int = 0) -> Response:
    return _page(enter(request, "people"), who, bool(leave))


def _page(
    ctx: RequestContext, who: int = 0, going: bool = False, status: int = 200, **more: object
) -> Response:
    with ctx.read() as connection:
        rows = people_list(connection, ctx.clinic, ctx.now)
        chosen = next((each for each in rows if each.user.id == who), None)
        if who and chosen is None:
            raise NotFound("There is no such person.")
        off = leaving(connection, ctx.clinic, who) if going and chosen and chosen.user.active else None
    roles = [each for each in ctx.clinic.roles.values() if each.active]
    return setup_page(
        ctx,
        "people",
        status,
        rows=rows,
        here_count=sum(each.user.active for each in rows),
        unasked={each.user.id for each in rows if unasked(each.user)},
        chosen=chosen,
        off=off,
        roles=roles,
        retired=[each for each in ctx.clinic.roles.values() if not each.active],
        shipped=SHIPPED,
        rights=SHORT_WORDS,
        limits=ctx.clinic.money.limits,
        no_limit=NO_LIMIT,
        lock=lock_minutes(ctx.clinic.about),
        **more,
    )


def _letters(ctx: RequestContext) -> Letters:
    return Letters(ctx.shared.vault, str(ctx.request.base_url))


def _sent(ctx: RequestContext, sent: Sent) -> Response:
    """The link is shown once, for whoever’s mail doesn’t come."""
    return _page(ctx, sent.user.id, sent=sent)


def _done(ctx: RequestContext, form: PostedForm, who: int, work: Callable[[], object], said: str) -> Response:
    try:
        work()
    except Mendable as error:
        return _page(ctx, who, status=error.status, problems=error.problems, typed=form, about="person")
    return ctx.go(f"{PAGE}?who={who}" if who else PAGE, said)


@router.post(f"{PAGE}/invite")
def invite_one(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    try:
        sent = invite(ctx.desk, ctx.actor, form.read(InviteForm), _letters(ctx))
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form, about="invite")
    return _sent(ctx, sent)


@router.post(f"{PAGE}/second")
def ask_all(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    count = ask_everyone(ctx.desk, ctx.actor)
    return ctx.go(
        PAGE, f"{count} asked. Each sets one up when they next open Zax." if count else "All are asked."
    )


@router.post(f"{PAGE}/{{who}}")
def store_person(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    return _done(
        ctx, form, who, lambda: change_person(ctx.desk, ctx.actor, who, form.read(InviteForm)), "Saved."
    )


@router.post(f"{PAGE}/{{who}}/link")
def link_again(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    try:
        sent = send_link(ctx.desk, ctx.actor, who, _letters(ctx))
    except Mendable as error:
        return _page(ctx, who, status=error.status, problems=error.problems, typed=form, about="person")
    return _sent(ctx, sent)


# What a button does to somebody, and what is said then.
_PRESSES: Mapping[str, tuple[Callable[..., object], str]] = {
    "ask-second": (ask_for_second, "They’ll set up a second factor when they next open Zax."),
    "drop-second": (drop_second, "Their second factor is off."),
    "sign-out": (sign_out_everywhere, "Signed out everywhere."),
    "come-back": (come_back, "They’re back. Send them a link to choose a password."),
}


@router.post(f"{PAGE}/{{who}}/press/{{what}}")
def press(request: Request, who: int, what: str, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    if what not in _PRESSES:
        raise NotFound("There is no such button.")
    act, said = _PRESSES[what]
    try:
        return _done(ctx, form, who, lambda: act(ctx.desk, ctx.actor, who), said)
    except NotFound as error:
        return ctx.go(f"{PAGE}?who={who}", error.message)


@router.post(f"{PAGE}/{{who}}/leave")
def let_leave(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    to = {
        name.removeprefix("to_"): int(value)
        for name, value in form.items()
        if name.startswith("to_") and value.isdecimal() and len(value) < 10
    }
    try:
        leave(ctx.desk, ctx.actor, who, to)
    except Mendable as error:
        return _page(ctx, who, True, error.status, problems=error.problems, typed=form)
    return ctx.go(f"{PAGE}?who={who}", "They’ve left. Everything they had in hand is with someone else.")


@router.post("/setup/roles/{key}/right")
def store_right(request: Request, key: str, form: PostedForm = Depends(posted_form)) -> Response:
    """A cell of the grid."""
    ctx = enter(request, "people")
    sent = form.read(RightForm)
    words = ctx.clinic.role_name(key)
    said = f"{words}: {SHORT_WORDS.get(sent.right, '')} {'on' if sent.on else 'off'}."
    try:
        acts.turn_right(ctx.desk, ctx.actor, key, sent.right, sent.on, sent.version)
    except Mendable as error:
        return _page(ctx, status=error.status, problems={"roles": error.message}, about="roles")
    return ctx.go(PAGE, said)


@router.post("/setup/roles")
def store_new_role(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    try:
        sent = form.read(RoleForm)
        acts.add_role(ctx.desk, ctx.actor, sent.words, sent.like)
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form, about="roles")
    return ctx.go(PAGE, "The role is there. Press its cells to change what it may do.")


@router.post("/setup/roles/{key}")
def store_role(request: Request, key: str, form: PostedForm = Depends(posted_form)) -> Response:
    """Its name, or out of use and back."""
    ctx = enter(request, "people")
    sent = form.read(RoleForm)
    try:
        if sent.words:
            acts.name_role(ctx.desk, ctx.actor, key, sent.words, sent.version)
        else:
            acts.retire_role(ctx.desk, ctx.actor, key, sent.active, sent.version)
    except Mendable as error:
        return _page(ctx, status=error.status, problems={"roles": error.message}, about="roles")
    return ctx.go(PAGE, "Saved.")


@router.post("/setup/lock")
def store_lock(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "people")
    try:
        set_lock_minutes(ctx.desk, ctx.actor, form.read(LockForm).minutes)
    except Mendable as error:
        return _page(ctx, status=error.status, problems=error.problems, typed=form, about="lock")
    return ctx.go(PAGE, "Saved.")

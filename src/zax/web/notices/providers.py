"""Each provider's day by mail, and the address under which their calendar program reads their visits."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.core.form import Form, Tick
from zax.desk.notices.digests import EVENING, MORNING, Digest, digests_of, keep_digest
from zax.desk.notices.feeds import address_of, open_provider_feed, read_feed, shut_provider_feed
from zax.desk.notices.rules import habits_of
from zax.store.notices.feeds import feeds_of_providers
from zax.web.shell.request_context import PostedForm, RequestContext, Shared, enter, posted_form

router = APIRouter()
PAGE = "/setup/messages/providers"


class DigestForm(Form):
    email: str = ""
    evening: Tick = False
    morning: Tick = False
    names: Tick = False


class FeedForm(Form):
    names: Tick = False


@router.get(PAGE)
def show_providers(request: Request) -> Response:
    return _page(enter(request, "setup"), 0)


def _page(ctx: RequestContext, wrong: int, status: int = 200, **more: object) -> Response:
    """`wrong` is the provider whose form has a problem."""
    with ctx.read() as connection:
        feeds = {feed.provider_id: feed for feed in feeds_of_providers(connection)}
    return ctx.page(
        "notices/providers.html",
        status,
        digests=digests_of(ctx.clinic),
        nothing=Digest(),
        feeds=feeds,
        addresses={number: address_of(ctx.clinic, feed) for number, feed in feeds.items()},
        has_pages=bool(habits_of(ctx.clinic).address),
        evening=EVENING[0],
        morning=MORNING[0],
        wrong=wrong,
        here=PAGE,
        screen="setup",
        **more,
    )


@router.post(PAGE + "/{provider_id}/digest")
def save_digest(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    sent = form.read(DigestForm)
    wanted = Digest(email=sent.email.strip(), evening=sent.evening, morning=sent.morning, names=sent.names)
    try:
        keep_digest(ctx.desk, ctx.actor, provider_id, wanted)
    except Mendable as error:
        return _page(ctx, provider_id, error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "Saved.")


@router.post(PAGE + "/{provider_id}/calendar")
def open_feed(request: Request, provider_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        open_provider_feed(ctx.desk, ctx.actor, provider_id, form.read(FeedForm).names)
    except Mendable as error:
        return _page(ctx, provider_id, error.status, problems=error.problems, typed=form)
    return ctx.go(PAGE, "The calendar has an address now. Whoever has it can read it.")


@router.post(PAGE + "/calendars/{feed_id}/shut")
def shut_feed(request: Request, feed_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    shut_provider_feed(ctx.desk, ctx.actor, feed_id)
    return ctx.go(PAGE, "That address opens nothing anymore.")


@router.get("/calendar/{secret}.ics")
def calendar(request: Request, secret: str) -> Response:
    """For a calendar program; no sign-in, the address is the secret."""
    shared: Shared = request.app.state.shared
    return Response(read_feed(shared.desk, secret), media_type="text/calendar; charset=utf-8")

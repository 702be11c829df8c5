"""Setup of who sees patients: names, NPI and taxonomy, room; new ones, and those who leave."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.clinic.identity import PROVIDER_TAXONOMIES
from zax.core.clinic.providers import ROLE_NAMES
from zax.core.errors import NotFound
from zax.desk.setup.providers import MOST_AT_ONCE, ProviderForm, bring_back, let_leave, save_provider
from zax.web.setup.frame import ChosenDay, Decision, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/providers"


class LeaveForm(Decision):
    last_day: ChosenDay


@router.get(PAGE)
def show_providers(request: Request, who: int = 0, back: str = "") -> Response:
    return _page(enter(request, "setup"), who)


def _page(ctx: RequestContext, who: int = 0, status: int = 200, **more: object) -> Response:
    chosen = ctx.clinic.providers.get(who)
    if who and chosen is None:
        raise NotFound("There is no such provider.")
    rows = sorted(ctx.clinic.providers.values(), key=lambda each: not each.here(ctx.today))
    return setup_page(
        ctx,
        "providers",
        status,
        rows=rows,
        chosen=chosen,
        roles=ROLE_NAMES,
        taxonomies=PROVIDER_TAXONOMIES,
        most_at_once=MOST_AT_ONCE,
        **({"form": ""} | more),
    )


@router.post(f"{PAGE}/{{who}}")
def store_provider(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_provider(ctx.desk, ctx.actor, who, form.read(ProviderForm)),
        lambda status, more: _page(ctx, who, status, form="provider", **more),
        PAGE,
        "Saved.",
    )


@router.post(f"{PAGE}/{{who}}/leave")
def leave(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")

    def work() -> None:
        sent = form.read(LeaveForm)
        let_leave(ctx.desk, ctx.actor, who, sent.last_day, sent.decision)

    return done(
        ctx,
        form,
        work,
        lambda status, more: _page(ctx, who, status, form="leave", **more),
        PAGE,
        "Noted. No list offers them after that day.",
    )


@router.post(f"{PAGE}/{{who}}/back")
def come_back(request: Request, who: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: bring_back(ctx.desk, ctx.actor, who),
        lambda status, more: _page(ctx, who, status, **more),
        f"{PAGE}?who={who}",
        "They’re here again.",
    )

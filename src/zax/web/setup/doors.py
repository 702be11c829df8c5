"""Setup of the doors to the outside: their addresses, what opens them, and a look whether each answers."""

from __future__ import annotations

from collections.abc import Mapping

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.setup.doors import DOORS
from zax.desk.setup.doors import (
    HOST_KEY,
    SETTING,
    DoorsForm,
    addresses_of,
    has_secret,
    public_key,
    save_doors,
    try_door,
)
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/doors"


@router.get(PAGE)
def show_doors(request: Request) -> Response:
    return _page(enter(request, "setup"))


def _page(
    ctx: RequestContext, status: int = 200, tried: Mapping[str, str] | None = None, **more: object
) -> Response:
    kept = addresses_of(ctx.clinic)
    return setup_page(
        ctx,
        "doors",
        status,
        doors=DOORS,
        addresses=kept,
        told=SETTING in ctx.clinic.about,
        standin=ctx.shared.settings.standin,
        secrets_kept={name for name in DOORS if has_secret(ctx.clinic, name)},
        tried=tried or {},
        our_key=public_key(ctx.shared.settings.var) if kept.get("claim_files") else "",
        **more,
    )


@router.post(PAGE)
def store_doors(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    if form["try"]:
        return _try(ctx, form["try"])
    typed = DoorsForm(
        addresses={name: form[f"address-{name}"] for name in DOORS},
        secrets={name: form[f"secret-{name}"] for name in DOORS},
        host_key=form[HOST_KEY],
    )
    return done(
        ctx,
        form,
        lambda: save_doors(ctx.desk, ctx.actor, ctx.shared.vault, typed),
        lambda status, more: _page(ctx, status, **more),
        PAGE,
        "Saved. The doors are used from now on.",
    )


def _try(ctx: RequestContext, wanted: str) -> Response:
    """A look at one door as it is kept, or at all of them."""
    standin = ctx.shared.settings.standin and SETTING not in ctx.clinic.about
    there = [each for each in DOORS if each != "claim_files"] if standin else list(addresses_of(ctx.clinic))
    chosen = [each for each in DOORS if each in there and wanted in {each, "all"}]
    return _page(ctx, tried={each: try_door(ctx.shared.outside, each) for each in chosen})

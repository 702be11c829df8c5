"""Setup of what the clinic says of its patients (flags) and of when payers are asked about coverage."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.form import Form, Tick
from zax.desk.coverage.eligibility import HabitsForm, habits_of, save_habits
from zax.desk.patients.notes import save_flag
from zax.web.setup.frame import done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


class FlagForm(Form):
    words: str = ""
    warns: Tick = False
    active: Tick = False


@router.get("/setup/flags")
def show_flags(request: Request) -> Response:
    return flags_page(enter(request, "setup"))


def flags_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return setup_page(ctx, "flags", status, habits=habits_of(ctx.clinic), **more)


def _save_flag(ctx: RequestContext, flag_id: int, sent: FlagForm) -> int:
    return save_flag(ctx.desk, ctx.actor, flag_id, sent.words, sent.warns, sent.active)


@router.post("/setup/flags/{flag_id}")
def store_flag(request: Request, flag_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: _save_flag(ctx, flag_id, form.read(FlagForm)),
        lambda status, more: flags_page(ctx, status, about_flag=flag_id, **more),
        "/setup/flags",
        "Flag saved.",
    )


@router.post("/setup/eligibility")
def store_habits(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_habits(ctx.desk, ctx.actor, form.read(HabitsForm)),
        lambda status, more: flags_page(ctx, status, **more),
        "/setup/flags",
        "Saved.",
    )

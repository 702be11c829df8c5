"""Setup of arrival and the day: the check-in list in its order, the stages between, how long is too long, the
corridor screen, and forms.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import BlockKind
from zax.core.arrivals.stages import WHOSE
from zax.core.arrivals.steps import KIND_WORDS
from zax.core.errors import NotFound
from zax.core.form import Form, OfVersion, Tick
from zax.desk.arrivals.check_in import StepForm, order_steps, save_step
from zax.desk.arrivals.forms import fills_of, save_template
from zax.desk.arrivals.stages import DayHabits, order_stages, save_day_habits, save_stage
from zax.web.setup.frame import InOrder, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, form_in, posted_form

router = APIRouter()


class StageSent(Form):
    name: str = ""
    whose: str = ""
    dental: Tick = False
    active: Tick = False


class TemplateForm(OfVersion):
    """A form to sign but for its blocks; after how many months it is signed again is the act's to read."""

    name: str = ""
    again_months: str = ""
    active: Tick = False


BLANK_BLOCKS = 3


@router.get("/setup/arrival")
def show_steps(request: Request, edit: int = -1) -> Response:
    """The list; `edit` opens a step (0 a new one)."""
    return steps_page(enter(request, "setup"), edit=edit)


def steps_page(ctx: RequestContext, status: int = 200, edit: int = -1, **more: object) -> Response:
    return setup_page(ctx, "arrival", status, edit=edit, kinds=KIND_WORDS, **more)


@router.post("/setup/arrival/order")
def put_in_order(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: order_steps(ctx.desk, ctx.actor, form.read(InOrder).ids),
        lambda status, more: steps_page(ctx, status, **more),
        "/setup/arrival",
        "Order saved.",
    )


@router.post("/setup/arrival/{step_id}")
def store_step(request: Request, step_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_step(ctx.desk, ctx.actor, step_id, form.read(StepForm)),
        lambda status, more: steps_page(ctx, status, edit=step_id, **more),
        "/setup/arrival",
        "Step saved.",
    )


@router.get("/setup/day")
def show_day_setup(request: Request) -> Response:
    return day_setup_page(enter(request, "setup"))


def day_setup_page(ctx: RequestContext, status: int = 200, **more: object) -> Response:
    return setup_page(ctx, "day", status, whose=WHOSE, **more)


@router.post("/setup/day")
def store_day(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_day_habits(ctx.desk, ctx.actor, form.read(DayHabits)),
        lambda status, more: day_setup_page(ctx, status, **more),
        "/setup/day",
        "Saved.",
    )


@router.post("/setup/stages/order")
def order_the_stages(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: order_stages(ctx.desk, ctx.actor, form.read(InOrder).ids),
        lambda status, more: day_setup_page(ctx, status, **more),
        "/setup/day",
        "Order saved.",
    )


def _save_stage(ctx: RequestContext, stage_id: int, sent: StageSent) -> int:
    return save_stage(ctx.desk, ctx.actor, stage_id, sent.name, sent.whose, sent.dental, sent.active)


@router.post("/setup/stages/{stage_id}")
def store_stage(request: Request, stage_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: _save_stage(ctx, stage_id, form.read(StageSent)),
        lambda status, more: day_setup_page(ctx, status, about_stage=stage_id, **more),
        "/setup/day",
        "Stage saved.",
    )


@router.get("/setup/forms")
def show_forms(request: Request, edit: int = -1) -> Response:
    """The forms; `edit` opens one (0 a new one)."""
    return forms_page(enter(request, "setup"), edit=edit)


def forms_page(ctx: RequestContext, status: int = 200, edit: int = -1, **more: object) -> Response:
    if edit > 0 and edit not in ctx.clinic.forms:
        raise NotFound("There is no such form.")
    typed = form_in(more)
    template = ctx.clinic.forms.get(edit)
    if typed is not None and "name" in typed:
        rows = list(_rows(typed))
    else:
        rows = (
            [(b.kind.value, b.words, ", ".join(b.options) or b.fills, b.needed) for b in template.blocks]
            if template
            else []
        )
    rows += [("text", "", "", False)] * BLANK_BLOCKS
    return setup_page(
        ctx,
        "forms",
        status,
        edit=edit,
        was=template,
        rows=rows,
        block_kinds=[k.value for k in BlockKind],
        fills=fills_of(ctx.clinic),
        **more,
    )


def _rows(form: PostedForm) -> list[tuple[str, str, str, bool]]:
    """The blocks as typed, in the order they stand; `needed` carries 'yes' or 'no' a row so that the lists
    keep step.
    """
    get = form.all.get
    return list(
        zip(
            get("kind", []),
            get("words", []),
            get("more", []),
            [each == "yes" for each in get("needed", [])],
            strict=False,
        )
    )


@router.post("/setup/forms/{template_id}")
def store_form(request: Request, template_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")

    def save() -> None:
        sent = form.read(TemplateForm)
        save_template(
            ctx.desk,
            ctx.actor,
            template_id,
            sent.name,
            _rows(form),
            sent.again_months,
            sent.active,
            sent.version or 0,
        )

    return done(
        ctx,
        form,
        save,
        lambda status, more: forms_page(ctx, status, edit=template_id, **more),
        "/setup/forms",
        "Form saved. Signed copies stay as they were.",
    )

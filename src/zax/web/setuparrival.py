"""Setup of arrival and the day: the check-in list in its order, the stages between, how long is too long, the corridor screen, and forms."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.arrivals.forms import FILLS, BlockKind
from zax.core.arrivals.stages import WHOSE
from zax.core.arrivals.steps import KIND_WORDS
from zax.core.errors import NotFound
from zax.desk.arrivals import StepForm, order_steps, save_step
from zax.desk.forms import save_template
from zax.desk.stages import order_stages, save_day_habits, save_stage
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.setup import done, setup_page

router = APIRouter()
BLANK_BLOCKS = 3


@router.get("/setup/arrival")
def show_steps(request: Request, edit: int = -1) -> Response:
    """The list; `edit` opens a step (0 a new one)."""
    return steps_page(enter(request, "setup"), edit=edit)


def steps_page(here: Here, status: int = 200, edit: int = -1, **more: Any) -> Response:
    return setup_page(here, "arrival", status, edit=edit, kinds=KIND_WORDS, **more)


@router.post("/setup/arrival/order")
def put_in_order(request: Request, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: order_steps(here.desk, here.actor, form.numbers("ids")), lambda status, more: steps_page(here, status, **more), "/setup/arrival",
        "The list is in this order now.",
    )  # fmt: skip


@router.post("/setup/arrival/{step_id}")
def store_step(request: Request, step_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")

    def save() -> None:
        save_step(here.desk, here.actor, step_id, StepForm(
            form["kind"], form["words"], form["note"], form["required"] == "yes", form["new"] == "yes", form.numbers("flags"), form.numbers("types"),
            form["yearly"] == "yes", form.number("template_id") or 0, form["active"] == "yes",
        ))  # fmt: skip

    return done(
        here, form, save, lambda status, more: steps_page(here, status, edit=step_id, **more), "/setup/arrival", "Step saved."
    )  # fmt: skip


@router.get("/setup/day")
def show_day_setup(request: Request) -> Response:
    return day_setup_page(enter(request, "setup"))


def day_setup_page(here: Here, status: int = 200, **more: Any) -> Response:
    return setup_page(here, "day", status, whose=WHOSE, **more)


@router.post("/setup/day")
def store_day(request: Request, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: save_day_habits(here.desk, here.actor, form["wait_limit"], form["late_limit"], form["wall_names"], form["numbering"]),
        lambda status, more: day_setup_page(here, status, **more), "/setup/day", "Saved.",
    )  # fmt: skip


@router.post("/setup/stages/order")
def order_the_stages(request: Request, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: order_stages(here.desk, here.actor, form.numbers("ids")), lambda status, more: day_setup_page(here, status, **more), "/setup/day",
        "The stages are in this order now.",
    )  # fmt: skip


@router.post("/setup/stages/{stage_id}")
def store_stage(request: Request, stage_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: save_stage(here.desk, here.actor, stage_id, form["name"], form["whose"], form["dental"] == "yes", form["active"] == "yes"),
        lambda status, more: day_setup_page(here, status, about_stage=stage_id, **more), "/setup/day", "Stage saved.",
    )  # fmt: skip


@router.get("/setup/forms")
def show_forms(request: Request, edit: int = -1) -> Response:
    """The forms; `edit` opens one (0 a new one)."""
    return forms_page(enter(request, "setup"), edit=edit)


def forms_page(here: Here, status: int = 200, edit: int = -1, **more: Any) -> Response:
    if edit > 0 and edit not in here.clinic.forms:
        raise NotFound("There is no such form.")
    typed = more.get("typed")
    template = here.clinic.forms.get(edit)
    if typed is not None and "name" in typed:
        rows = list(_rows(typed))
    else:
        rows = [
            (b.kind.value, b.words, ", ".join(b.options) or b.fills, b.needed) for b in template.blocks
        ] if template else []  # fmt: skip
    rows += [("text", "", "", False)] * BLANK_BLOCKS
    return setup_page(
        here,
        "forms",
        status,
        edit=edit,
        was=template,
        rows=rows,
        block_kinds=[k.value for k in BlockKind],
        fills=FILLS,
        **more,
    )


def _rows(form: Typed) -> list[tuple[str, str, str, bool]]:
    """The blocks as typed, in the order they stand; `needed` carries 'yes' or 'no' a row so that the lists keep step."""
    get = form.all.get
    return list(
        zip(get("kind", []), get("words", []), get("more", []), [each == "yes" for each in get("needed", [])], strict=False)
    )  # fmt: skip


@router.post("/setup/forms/{template_id}")
def store_form(request: Request, template_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form,
        lambda: save_template(
            here.desk, here.actor, template_id, form["name"], _rows(form), form["again_months"], form["active"] == "yes", form.number("version") or 0
        ),
        lambda status, more: forms_page(here, status, edit=template_id, **more), "/setup/forms", "Form saved. What was signed stays as it was.",
    )  # fmt: skip

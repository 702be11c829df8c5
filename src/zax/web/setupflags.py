"""Setup of what the clinic says of its patients (flags) and of when payers are asked about coverage."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.desk.eligibility import habits_of, save_habits
from zax.desk.notes import save_flag
from zax.web.here import Here, Typed, enter, typed_form
from zax.web.setup import done, setup_page

router = APIRouter()


@router.get("/setup/flags")
def show_flags(request: Request) -> Response:
    return flags_page(enter(request, "setup"))


def flags_page(here: Here, status: int = 200, **more: Any) -> Response:
    return setup_page(here, "flags", status, habits=habits_of(here.clinic), **more)


@router.post("/setup/flags/{flag_id}")
def store_flag(request: Request, flag_id: int, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: save_flag(here.desk, here.actor, flag_id, form["words"], form["warns"] == "yes", form["active"] == "yes"),
        lambda status, more: flags_page(here, status, about_flag=flag_id, **more), "/setup/flags", "Flag saved.",
    )  # fmt: skip


@router.post("/setup/eligibility")
def store_habits(request: Request, form: Typed = Depends(typed_form)) -> Response:
    here = enter(request, "setup")
    return done(
        here, form, lambda: save_habits(here.desk, here.actor, form["hour"], form["days"], form["fresh_days"]), lambda status, more: flags_page(here, status, **more),
        "/setup/flags", "Saved.",
    )  # fmt: skip

"""The clinic's recalls: how long, for whom, what is booked, what starts and ends them, and how people are
reached about them.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, ProblemCollector
from zax.core.followup.recall import (
    LETTER,
    PLACES,
    SHIPPED_TRIES,
    TEXT,
    Interval,
    RecallType,
    Unit,
    read_interval,
    read_tries,
    tries_words,
)
from zax.core.reading import reference, whole_number
from zax.desk.followup.recall_setup import keep_recall_type
from zax.store.followup.recalls import recall_types
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/setup/recalls")
def show_types(request: Request) -> Response:
    return _page(enter(request, "setup"), reference(request.query_params.get("type", "")))


def _page(ctx: RequestContext, type_id: int = 0, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        kept = recall_types(connection)
    opened = kept.get(type_id)
    if type_id and opened is None:
        raise NotFound("There is no such recall.")
    return ctx.page(
        "followup/recalls_setup.html",
        status,
        kinds=kept,
        opened=opened,
        tries_words=tries_words,
        shipped={"tries": SHIPPED_TRIES, "text": TEXT, "letter": LETTER},
        places=PLACES,
        screen="setup",
        **more,
    )


@router.post("/setup/recalls/{type_id}")
def save_type(request: Request, type_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    try:
        keep_recall_type(ctx.desk, ctx.actor, _read(type_id, form))
    except Mendable as error:
        return _page(ctx, type_id, error.status, problems=error.problems, typed=form)
    return ctx.go("/setup/recalls", f"Saved: {form['name'].strip()}.")


def _read(type_id: int, form: PostedForm) -> RecallType:
    """As typed; raises Problems beside the fields that can't be read."""
    wrong = ProblemCollector()
    every = wrong.take(read_interval, form["every"])
    days = {name: wrong.take(whole_number, form[name], name, 0, 180) for name in ("before", "after")}
    ages = {name: wrong.take(whole_number, form[name], name, 0, 130) for name in ("youngest", "oldest")}
    tries = wrong.take(read_tries, form["tries"])
    wrong.raise_if_any()
    return RecallType(
        id=type_id,
        name=form["name"],
        every=every or Interval(6, Unit.MONTH),
        type_id=reference(form["type_id"]),
        before=days["before"] or 0,
        after=days["after"] or 0,
        youngest=ages["youngest"] or 0,
        oldest=ages["oldest"] or 0,
        same_person=form["same_person"] == "yes",
        starts=_codes(form["starts"]),
        ends=_codes(form["ends"]),
        repeats=form["repeats"] == "yes",
        tries=tries or (),
        text=form["text"],
        letter=form["letter"].replace("\r\n", "\n"),
        active=form["active"] == "yes",
        version=reference(form["version"]),
    )


def _codes(text: str) -> tuple[str, ...]:
    return tuple(dict.fromkeys(code.strip().upper() for code in text.replace(",", " ").split()))

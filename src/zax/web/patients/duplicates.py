"""Likely pairs of records, and making one of two."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from typing import TypeVar

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import Mendable, NotFound, Refused, ZaxError
from zax.core.form import Form, Reference, Tick
from zax.core.patients.fields import FIELDS
from zax.core.patients.person import check_phone, parse_birth
from zax.core.wording import day_words, phone_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.patients import duplicates as acts
from zax.store.patients.duplicates import known_patients
from zax.web.shell.address import number_in
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
T = TypeVar("T")


class TwoPeople(Form):
    a: Reference = 0
    b: Reference = 0


class MergeForm(Form):
    """Which record stays and which goes into it, as they were when the page was shown."""

    keep: Reference = 0
    drop: Reference = 0
    keep_version: Reference = 0
    drop_version: Reference = 0
    sure: Tick = False


@router.get("/duplicates")
def show_pairs(request: Request) -> Response:
    """The likeliest pairs; `with` limits them to those of one patient."""
    ctx = enter(request, "patients")
    only = number_in(request.query_params, "with")
    with ctx.read() as connection:
        rows = known_patients(connection, [only]) if only else {}
        if only and only not in rows:
            raise NotFound("There is no such patient.")
        pairs = acts.likely_of(connection, rows[only]) if only else acts.likely_pairs(connection)
    return ctx.page("patients/duplicates.html", pairs=pairs, only=rows.get(only), screen="patients")


@router.get("/duplicates/typing")
def while_typing(
    request: Request, first: str = "", last: str = "", birth: str = "", phone: str = ""
) -> Response:
    """Under the fields of a new patient: who on file may be the same person."""
    ctx = enter(request)
    found = []
    if len(first.strip()) > 1 and len(last.strip()) > 1 or birth.strip() or phone.strip():
        with ctx.read() as connection:
            found = acts.like_typed(
                connection,
                first,
                last,
                _so_far(lambda: parse_birth(birth, ctx.today)),
                _so_far(lambda: check_phone(phone)) or "",
            )
    return ctx.page("patients/likely.html", found=found)


def _so_far(read: Callable[[], T]) -> T | None:
    """What a check makes of a text that is not finished yet; None while it is not acceptable."""
    try:
        return read()
    except ZaxError:
        return None


@router.post("/duplicates/two")
def call_two(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "patients")
    sent = form.read(TwoPeople)
    acts.call_two(ctx.desk, ctx.actor, sent.a, sent.b)
    return ctx.go("/duplicates", "Noted: not the same person. They won’t be suggested again.")


@router.get("/merge")
def show_merge(request: Request, keep: int, drop: int) -> Response:
    return merge_page(enter(request, "merge"), keep, drop)


def merge_page(
    ctx: RequestContext, keep_id: int, drop_id: int, status: int = 200, **more: object
) -> Response:
    with ctx.read() as connection:
        keep, drop, choices, counted = acts.preview(connection, ctx.clinic, keep_id, drop_id)
        pair = acts.compare_rows(connection, keep_id, drop_id)
    same = [
        field
        for name, field in ctx.clinic.record_fields.items()
        if keep.value(name) == drop.value(name) and keep.value(name)
    ]
    return ctx.page(
        "patients/merge.html",
        status,
        keep=keep,
        drop=drop,
        choices=choices,
        counted=counted,
        same=same,
        pair=pair,
        shown=partial(_shown, ctx.clinic),
        screen="patients",
        **more,
    )


def _shown(clinic: Clinic, name: str, value: object) -> str:
    if isinstance(value, date):
        return day_words(value, year=True)
    text = str(value or "")
    if name in FIELDS and name.endswith("phone"):
        return phone_words(text)
    return clinic.field_words(name, clinic.record_fields[name].choices.get(text, text))


@router.post("/merge")
def do_merge(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "merge")
    sent = form.read(MergeForm)
    keep_id, drop_id = sent.keep, sent.drop
    try:
        if not sent.sure:
            raise Refused(
                "Check the box to confirm you compared both records. A merge can’t be undone.", "sure"
            )
        acts.merge(
            ctx.desk,
            ctx.actor,
            keep_id,
            drop_id,
            form,
            (sent.keep_version, sent.drop_version),
        )
    except Mendable as error:
        return merge_page(ctx, keep_id, drop_id, error.status, problems=error.problems, typed=form)
    return ctx.go(f"/patients/{keep_id}", f"Merged. Number {drop_id} now finds this record.")

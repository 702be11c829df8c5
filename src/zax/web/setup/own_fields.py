"""Setup of the clinic's own fields of the record: the list in its order, and one of them opened."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.patients.fields import SECTIONS
from zax.core.patients.own_fields import KIND_WORDS, NEEDED_WORDS
from zax.desk.setup.own_fields import OwnFieldForm, order_own_fields, save_own_field
from zax.store.patients.own_fields import counted
from zax.web.setup.frame import InOrder, done, setup_page
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
PAGE = "/setup/fields"


@router.get(PAGE)
def show(request: Request, edit: int = -1) -> Response:
    """The list; `edit` opens a field (0 a new one)."""
    return fields_page(enter(request, "setup"), edit=edit)


def fields_page(ctx: RequestContext, status: int = 200, edit: int = -1, **more: object) -> Response:
    with ctx.read() as connection:
        filled = counted(connection, [each.name for each in ctx.clinic.own_fields.values()])
    return setup_page(
        ctx,
        "fields",
        status,
        edit=edit,
        kinds=KIND_WORDS,
        needed_words=NEEDED_WORDS,
        sections=SECTIONS,
        filled=filled,
        **more,
    )


@router.post(f"{PAGE}/order")
def put_in_order(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: order_own_fields(ctx.desk, ctx.actor, form.read(InOrder).ids),
        lambda status, more: fields_page(ctx, status, **more),
        PAGE,
        "Order saved.",
    )


@router.post(f"{PAGE}/{{field_id}}")
def store(request: Request, field_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "setup")
    return done(
        ctx,
        form,
        lambda: save_own_field(ctx.desk, ctx.actor, field_id, form.read(OwnFieldForm)),
        lambda status, more: fields_page(ctx, status, edit=field_id, **more),
        PAGE,
        "Field saved.",
    )

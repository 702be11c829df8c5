"""Claims on pre-printed forms, and the ruler that tells by how much a printer is off."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.claims.claim import Form
from zax.core.claims.stock.printing import on_stock, ruler_sheet
from zax.core.claims.stock.sheet import Placed
from zax.core.errors import NotFound
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.habits import claim_habits
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import enter

router = APIRouter()


@router.get("/claims/{claim_id}/stock.pdf")
def print_on_stock(request: Request, claim_id: int) -> Response:
    """Only what is filled in, for the form that lies in the printer."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        shown = claim_page(connection, ctx.clinic, claim_id, ctx.today)
    x, y = claim_habits(ctx.clinic).offset(shown.claim.form)
    answer = _pdf(on_stock(shown.claim, x, y), f"{shown.row.number}-form")
    return ctx.looked(answer, shown.row.patient_id, "claim")


@router.get("/claims/ruler/{form}.pdf")
def print_ruler(request: Request, form: str) -> Response:
    ctx = enter(request, "claims")
    if form not in set(Form):
        raise NotFound("There is no such form.")
    return _pdf(ruler_sheet(*claim_habits(ctx.clinic).offset(Form(form))), f"ruler-{form}")


def _pdf(sheets: Sequence[Sequence[Placed]], name: str) -> Response:
    content = paper("claims/papers/stock.html", sheets=sheets)
    headers = {"Content-Disposition": f'inline; filename="{name}.pdf"'}
    return Response(content, media_type="application/pdf", headers=headers)

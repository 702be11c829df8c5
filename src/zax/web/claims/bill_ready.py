"""What a visit's claim lacks so far, as a part that the visit's pages fetch once they stand."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.errors import NotFound
from zax.desk.claims.bill_ready import bill_ready
from zax.store.book.queries import one_visit
from zax.web.shell.request_context import enter

router = APIRouter()


@router.get("/visits/{visit_id}/bill-ready")
def show_bill_ready(request: Request, visit_id: int) -> Response:
    ctx = enter(request)
    with ctx.read() as connection:
        visit = one_visit(connection, visit_id)
        if visit is None:
            raise NotFound("There is no such visit.")
        found = bill_ready(connection, ctx.clinic, visit, ctx.now)
    return ctx.looked(
        ctx.page("claims/parts/bill_ready.html", found=found, v=visit), visit.patient_id, "visit"
    )

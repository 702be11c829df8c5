"""What the open claim comes to while its numbers are typed, so that the button never names another sum than
it would place. Worked out where the posting itself is; nothing is written.
"""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.errors import NotFound, ZaxError
from zax.core.money.cents import parse_amount
from zax.core.reading import reference
from zax.desk.remits.posting_desk import grid_of, split_boxes
from zax.web.remits.posting import boxes_typed, with_boxes
from zax.web.shell.request_context import PostedForm, enter

router = APIRouter()


@router.get("/claims/payments/{remit_id}/sums")
def show_sums(request: Request, remit_id: int) -> Response:
    """The sums of the fields in the address. No content while one of them is no amount: what stood there
    stays.
    """
    ctx = enter(request, "claims")
    typed = PostedForm(request.query_params)
    with ctx.read() as connection:
        grid = grid_of(connection, ctx.clinic, reference(typed["claim_id"]))
    if grid is None:
        raise NotFound("There is no such claim of a visit.")
    try:
        if typed["total"].strip():
            boxes = split_boxes(grid, parse_amount(typed["total"], "total"))
        else:
            boxes = boxes_typed(typed, [each.line.line_id for each in grid.lines])
    except ZaxError:
        return Response(status_code=204)
    page = ctx.page("remits/sums.html", grid=with_boxes(grid, boxes), screen="claims")
    return ctx.looked_at(page, [grid.claim.patient_id], "payment")

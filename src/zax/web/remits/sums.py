"""What the open claim comes to while its numbers are typed, so that the button never names another sum than
it would place. Worked out where the posting itself is; nothing is written.
"""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.errors import Mendable
from zax.web.remits.posting import boxes_typed, grid_asked_for, with_boxes
from zax.web.shell.request_context import PostedForm, enter

router = APIRouter()


@router.get("/claims/payments/{remit_id}/sums")
def show_sums(request: Request, remit_id: int) -> Response:
    """The sums of the fields in the address. No content while one of them is no amount: what stood there
    stays. That somebody looks at this patient was noted when the claim was opened.
    """
    ctx = enter(request, "claims")
    typed = PostedForm(request.query_params)
    grid = grid_asked_for(ctx, typed)
    try:
        boxes = boxes_typed(grid, typed)
    except Mendable:
        return Response(status_code=204)
    return ctx.page("remits/sums.html", grid=with_boxes(grid, boxes), screen="claims")

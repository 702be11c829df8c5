"""The evening's batch: what is ready by payer, what is not and why, and every file that went out with a list
of its contents to print.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.claims.worklist import Need
from zax.core.errors import NotFound
from zax.desk.claims.habits import make_what_is_due, visits_due
from zax.desk.claims.worklist import group
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.claims.worklist import need_sums
from zax.store.listing import Order
from zax.web.shell.listing import wanted_of
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
KINDS = {"837P": "medical", "837D": "dental", "837I": "facility"}
NOT_READY = 12


@router.get("/claims/batches")
def show_batches(request: Request) -> Response:
    ctx = enter(request, "claims")
    wanted = wanted_of(request, Order.NEWEST)
    with ctx.read() as connection:
        sums = need_sums(connection, ctx.today)
        ready = group(connection, Need.SEND, ctx.today, sums, 0)
        held = group(connection, Need.FIX, ctx.today, sums, NOT_READY)
        listed = x12_files.listed_batches(connection, wanted)
        due = len(visits_due(connection, ctx.clinic, ctx.now))
    return ctx.page(
        "claims/batches.html",
        ready=ready,
        held=held,
        listed=listed,
        due=due,
        kinds=KINDS,
        screen="claims",
    )


@router.post("/claims/make")
def make(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """The claims of finished visits that have none yet."""
    ctx = enter(request, "claims")
    made = make_what_is_due(ctx.desk, ctx.actor)
    return ctx.go("/claims/batches", f"{made} {'claim' if made == 1 else 'claims'} made.")


@router.get("/claims/batches/{file_id}.pdf")
def batch_list(request: Request, file_id: int) -> Response:
    """The list of a file's contents, to print and file."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        file = x12_files.batch_of(connection, file_id)
        rows = stored.claims_in_batch(connection, file_id) if file else []
    if file is None:
        raise NotFound("There is no such batch.")
    content = _paper(ctx, file, rows)
    headers = {"Content-Disposition": f'inline; filename="batch-{file_id}.pdf"'}
    answer = Response(content, media_type="application/pdf", headers=headers)
    return ctx.looked_at(answer, [row.patient_id for row in rows], "batch")


def _paper(ctx: RequestContext, file: x12_files.X12File, rows: list[stored.ListedClaim]) -> bytes:
    clinic = ctx.desk.clinic
    payers = list(dict.fromkeys(row.payer_name for row in rows))
    return paper(
        "claims/papers/batch.html",
        file=file,
        rows=rows,
        payers=[(name, [row for row in rows if row.payer_name == name]) for name in payers],
        kind=KINDS.get(file.kind, file.kind),
        about=clinic.about,
        site=clinic.first_site,
        clinic=clinic,
        made=local(file.at, clinic.first_site.timezone),
        printed=local(ctx.desk.clock.now(), clinic.first_site.timezone),
    )

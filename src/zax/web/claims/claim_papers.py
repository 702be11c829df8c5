"""A claim's attachments as one PDF to mail, fax or upload: a cover sheet with the numbers the payer knows
them by, then the files of the record as they are.
"""

from __future__ import annotations

import io

from fastapi import APIRouter, Request
from fastapi.responses import Response
from PIL import Image

from zax.clock import local
from zax.core.claims.carried import carried_of
from zax.core.claims.code_words import PAPERS, WAYS
from zax.core.errors import NotFound
from zax.desk.claims.claim_page import ClaimPage, claim_page
from zax.store.patients.records import PatientFile
from zax.web.shell.pdf import joined_pdf, paper
from zax.web.shell.request_context import RequestContext, enter

router = APIRouter()
# Points an inch, by which a picture is set on a letter page, and the margin around it.
LETTER, MARGIN, DOTS = (8.5, 11.0), 0.5, 150


@router.get("/claims/{claim_id}/papers.pdf")
def print_papers(request: Request, claim_id: int) -> Response:
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        shown = claim_page(connection, ctx.clinic, claim_id, ctx.today)
    if not shown.files:
        raise NotFound("No file of the record goes with this claim.")
    by_id = {each.id: each for each in shown.files}
    files = [by_id[number] for number in carried_of(shown.row.carried).files if number in by_id]
    pages = [_cover(ctx, shown), *(as_pdf(ctx.shared.files.get(each.digest), each) for each in files)]
    headers = {"Content-Disposition": f'inline; filename="{shown.row.number}-attachments.pdf"'}
    answer = Response(joined_pdf(pages), media_type="application/pdf", headers=headers)
    return ctx.looked(answer, shown.row.patient_id, "claim")


def _cover(ctx: RequestContext, shown: ClaimPage) -> bytes:
    site = ctx.clinic.first_site
    return paper(
        "claims/papers/attachments.html",
        claim=shown.claim,
        row=shown.row,
        kinds=PAPERS,
        ways=WAYS,
        about=ctx.clinic.about,
        site=site,
        clinic=ctx.clinic,
        printed=local(ctx.now, site.timezone),
    )


def as_pdf(content: bytes, file: PatientFile) -> bytes:
    """A picture on a page of its own, upright or across as it is; a PDF as it is."""
    if file.media == "application/pdf":
        return content
    with Image.open(io.BytesIO(content)) as picture:
        shape = LETTER if picture.height >= picture.width else (LETTER[1], LETTER[0])
        page = Image.new("RGB", (int(shape[0] * DOTS), int(shape[1] * DOTS)), "white")
        room = (page.width - int(2 * MARGIN * DOTS), page.height - int(2 * MARGIN * DOTS))
        fitted = picture.convert("RGB")
        fitted.thumbnail(room)
        page.paste(fitted, ((page.width - fitted.width) // 2, int(MARGIN * DOTS)))
    out = io.BytesIO()
    page.save(out, "PDF", resolution=DOTS)
    return out.getvalue()

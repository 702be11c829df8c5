"""What one payer allowed below its contract, and the one letter about it: tick the services, look at the
paper, note it as sent.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.clock import local
from zax.core.coverage.plan import Payer
from zax.core.errors import NotFound, Refused, ZaxError
from zax.core.remits.below_contract import BELOW_CONTRACT, BelowContract, drafted
from zax.core.remits.letters import checked
from zax.core.wording import day_words
from zax.desk.remits.below_contract import below_contract, send_contract_letter
from zax.desk.remits.letters import letter_text
from zax.web.shell.pdf import paper
from zax.web.shell.request_context import PostedForm, RequestContext, enter, pdf_answer, posted_form

router = APIRouter()


@router.get("/claims/denied/payer/{payer_id}")
def show_below(request: Request, payer_id: int) -> Response:
    ctx = enter(request, "claims")
    return _page(ctx, _payer(ctx, payer_id))


def _page(ctx: RequestContext, payer: Payer, status: int = 200, **more: object) -> Response:
    lines = _lines(ctx, payer)
    page = ctx.page(
        "remits/below_contract.html",
        status,
        payer=payer,
        lines=lines,
        missing=sum(each.cents for each in lines),
        screen="claims",
        **({"letter": letter_text(ctx.clinic, BELOW_CONTRACT), "ticked": {each.id for each in lines}} | more),
    )
    return ctx.looked_at(page, sorted({each.patient_id for each in lines}), "claim")


@router.post("/claims/denied/payer/{payer_id}/letter.pdf")
def print_letter(request: Request, payer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    payer = _payer(ctx, payer_id)
    try:
        content = _letter(ctx, payer, form)
    except ZaxError as error:
        return _again(ctx, payer, error, form)
    return pdf_answer(content, f"contract-{payer.id}")


@router.post("/claims/denied/payer/{payer_id}/send")
def send(request: Request, payer_id: int, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    payer = _payer(ctx, payer_id)
    try:
        content = _letter(ctx, payer, form)
        by = send_contract_letter(
            ctx.desk, ctx.actor, ctx.shared.files, payer.id, form.ticked("line"), content
        )
    except ZaxError as error:
        return _again(ctx, payer, error, form)
    return ctx.go(
        f"/claims/denied?work=underpaid&payer={payer.id}",
        f"Noted as sent. No answer by {day_words(by)}: they come back to this list.",
    )


def _again(ctx: RequestContext, payer: Payer, error: ZaxError, form: PostedForm) -> Response:
    ticked = form.ticked("line")
    return _page(
        ctx, payer, error.status, problems=error.problems, typed=form, letter=form["text"], ticked=ticked
    )


def _letter(ctx: RequestContext, payer: Payer, form: PostedForm) -> bytes:
    """The letter about the ticked services, as PDF. Refused beside `text` or `line`."""
    text = checked(form["text"], BELOW_CONTRACT)
    ticked = form.ticked("line")
    chosen = [each for each in _lines(ctx, payer) if each.id in ticked]
    if not chosen:
        raise Refused("Tick the services the letter is about.", "line")
    site = ctx.clinic.first_site
    return paper(
        "remits/papers/below_contract.html",
        payer=payer,
        lines=chosen,
        missing=sum(each.cents for each in chosen),
        text=drafted(text, payer.name, chosen, str(ctx.clinic.about["clinic_name"])),
        about=ctx.clinic.about,
        site=site,
        clinic=ctx.clinic,
        printed=local(ctx.now, site.timezone),
    )


def _lines(ctx: RequestContext, payer: Payer) -> list[BelowContract]:
    with ctx.read() as connection:
        return below_contract(connection, payer.id)


def _payer(ctx: RequestContext, payer_id: int) -> Payer:
    if payer_id not in ctx.clinic.payers:
        raise NotFound("There is no such payer.")
    return ctx.clinic.payers[payer_id]

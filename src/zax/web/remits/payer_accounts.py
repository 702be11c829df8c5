"""Each payer's own account: interest, what it took back or carried forward, refunds sent to it; and sending
one.
"""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.errors import ZaxError
from zax.core.remits.provider_level import CARRIED
from zax.desk.remits.payer_refunds import RefundForm, overpaid_credits, refund_payer
from zax.store.remits import payer_account
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/claims/payer-accounts")
def show_accounts(request: Request, payer: str = "") -> Response:
    return _page(enter(request, "claims"), payer)


def _page(ctx: RequestContext, payer: str, status: int = 200, **more: object) -> Response:
    with ctx.read() as connection:
        balances = payer_account.balances(connection, CARRIED)
        entries = payer_account.entries_of(connection, payer) if payer else []
        credits = overpaid_credits(connection)
    return ctx.page(
        "remits/payer_accounts.html",
        status,
        balances=balances,
        entries=entries,
        payer=payer,
        credits=credits,
        screen="claims",
        **more,
    )


@router.post("/claims/payer-accounts/refund")
def refund(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "claims")
    try:
        refund_payer(ctx.desk, ctx.actor, form.read(RefundForm))
    except ZaxError as error:
        if not error.problems:
            raise
        return _page(ctx, "", error.status, problems=error.problems, typed=form)
    return ctx.go("/claims/payer-accounts", "Noted. Their next payment should show it.")

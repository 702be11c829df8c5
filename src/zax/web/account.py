"""The household's account, and the list of patients with a rest to pay."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.desk.account import BUCKETS, account_of
from zax.store import money
from zax.web.here import enter

router = APIRouter()


@router.get("/accounts/{patient_id}")
def show_account(request: Request, patient_id: int, all: bool = False) -> Response:
    here = enter(request, "accounts")
    with here.read() as connection:
        account = account_of(connection, here.clinic, patient_id, here.today)
        lines = {row.id: row for row in money.household_lines(connection, account.household.id)}
    page = here.page("account.html", account=account, lines=lines, buckets=BUCKETS, all=all, screen="money")
    return here.looked(page, patient_id, "account")


@router.get("/money")
def show_money(request: Request) -> Response:
    """Who has a rest to pay, the insurer having answered."""
    here = enter(request, "accounts")
    with here.read() as connection:
        rests = connection.execute(money.PATIENT_REST, {"site_id": here.site_id}).all()
    return here.page("money.html", rests=rests, screen="money")

"""Finding a payer in the clearinghouse's list, and taking it over."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from zax.core.coverage.payer_list import TRANSACTIONS
from zax.desk.coverage.payer_list import adopt, fetch_list, find_listed
from zax.store.coverage import payer_list as stored
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()


@router.get("/payers/list")
def show_list(request: Request, q: str = "") -> Response:
    return _page(enter(request, "plans"), "coverage/payer_list.html", q)


@router.get("/payers/list/found")
def show_found(request: Request, q: str = "") -> Response:
    """The rows alone, while somebody types."""
    return _page(enter(request, "plans"), "coverage/payer_list_found.html", q)


@router.get("/payers/list/progress")
def show_progress(request: Request) -> Response:
    """Once it has ended the page comes anew, with the search."""
    page = _page(enter(request, "plans"), "coverage/payer_list_progress.html", "")
    if b"hx-trigger" not in page.body:
        page.headers["HX-Refresh"] = "true"
    return page


def _page(ctx: RequestContext, template: str, q: str) -> Response:
    with ctx.read() as connection:
        run = stored.last_run(connection)
        done = stored.last_run(connection, stored.DONE)
        so_far = stored.count_of(connection, run.id) if run and run.state == stored.RUNNING else 0
        found = find_listed(connection, q)
    return ctx.page(
        template,
        q=q,
        found=found,
        whole=template == "coverage/payer_list.html",
        run=run,
        done=done,
        so_far=so_far,
        running=run is not None and run.state == stored.RUNNING,
        transactions=TRANSACTIONS,
        ours={payer.electronic_id: payer for payer in ctx.clinic.payers.values()},
        screen="plans",
    )


@router.post("/payers/list/fetch")
def fetch(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    fetch_list(ctx.desk, ctx.actor)
    return ctx.go("/payers/list", "Fetching the list. You can go on working.")


@router.post("/payers/list/{listed_id}")
def take_over(request: Request, listed_id: str, form: PostedForm = Depends(posted_form)) -> Response:
    ctx = enter(request, "plans")
    made = adopt(ctx.desk, ctx.actor, listed_id)
    return ctx.go(f"/payers/{made}", "On file with its ID. Check the filing limit, then add its plans.")

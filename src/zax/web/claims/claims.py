"""Claims as a list to work, one claim's life, and importing files from insurers by hand."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import PlainTextResponse, Response

from zax.core.claims.states import ClaimState
from zax.core.claims.worklist import Need
from zax.core.errors import NotFound, ZaxError
from zax.core.reading import reference
from zax.desk.acts.set_aside import set_aside
from zax.desk.remits.importing import import_file
from zax.store.claims import claims as stored
from zax.store.claims import files as x12_files
from zax.store.engine import Connection
from zax.store.listing import Listed, Order, Wanted
from zax.web.claims.worklist import group_page, worklist_page
from zax.web.shell.listing import wanted_of
from zax.web.shell.request_context import PostedForm, RequestContext, enter, posted_form

router = APIRouter()
SHOWS: dict[str, tuple[str, tuple[ClaimState, ...]]] = {
    "open": (
        "Open",
        (
            ClaimState.READY,
            ClaimState.GOING,
            ClaimState.SENT,
            ClaimState.ACCEPTED,
            ClaimState.HELD_BACK,
            ClaimState.REJECTED,
            ClaimState.DENIED,
        ),
    ),
    "trouble": ("Held or rejected", (ClaimState.HELD_BACK, ClaimState.REJECTED, ClaimState.DENIED)),
    "closed": ("Closed", (ClaimState.CLOSED,)),
    "files": ("Files", ()),
}
MOST_FILES = 8
# Claims of a payment file that are taken in while one waits.
AT_ONCE = 200
NEWEST_FIRST = frozenset({"closed", "files"})


@router.get("/claims")
def show_claims(request: Request, show: str = "", need: str = "") -> Response:
    """The list to work; `need` is one group of it, `show` a list of everything."""
    ctx = enter(request, "claims")
    if show:
        return claims_page(ctx, show)
    if need:
        if need not in set(Need):
            raise NotFound("There is no such list of claims.")
        return group_page(ctx, Need(need))
    return worklist_page(ctx, reference(request.query_params.get("open", "")))


def claims_page(ctx: RequestContext, show: str = "open", status: int = 200, **more: object) -> Response:
    if show not in SHOWS:
        raise NotFound("There is no such list of claims.")
    wanted = wanted_of(ctx.request, Order.NEWEST if show in NEWEST_FIRST else Order.OLDEST)
    payer = reference(ctx.request.query_params.get("payer", ""))
    with ctx.read() as connection:
        counts = stored.counts_by_state(connection)
        listed, payers = _chosen(connection, show, payer, wanted)
        files = x12_files.files_in(connection, MOST_FILES)
        aside = len(set_aside(connection, ctx.actor.role))
    totals = {key: sum(counts.get(state, 0) for state in states) for key, (_, states) in SHOWS.items()}
    return ctx.page(
        "claims/claims.html",
        status,
        listed=listed,
        payers=payers,
        payer=payer,
        show=show,
        shows=SHOWS,
        totals=totals | {"files": ""},
        files=files,
        aside=aside,
        screen="claims",
        **more,
    )


def _chosen(
    connection: Connection, show: str, payer: int, wanted: Wanted
) -> tuple[Listed[Any], list[tuple[int, str]]]:
    """The page of the list, and the payers that it can be narrowed to."""
    if show == "files":
        return x12_files.listed_files(connection, wanted), []
    states = SHOWS[show][1]
    return (
        stored.listed_claims(connection, states, payer or None, wanted),
        stored.payers_with_claims(connection, states),
    )


@router.post("/claims/import")
def import_by_hand(request: Request, form: PostedForm = Depends(posted_form)) -> Response:
    """A 999 or 835 from this computer; what is wrong with it is said beside the field and nothing is used."""
    ctx = enter(request, "claims")
    try:
        done = import_file(
            ctx.desk, ctx.actor, form["file_name"] or "upload.x12", form["file"], at_once=AT_ONCE
        )
    except ZaxError as error:
        return claims_page(ctx, status=error.status, problems=error.problems)
    return ctx.go("/claims/payments" if done.for_a_person else "/claims", done.words)


@router.get("/files/{file_id}")
def show_file(request: Request, file_id: int) -> Response:
    """The file as it came or went, as text."""
    ctx = enter(request, "claims")
    with ctx.read() as connection:
        row = x12_files.file_of(connection, file_id)
        people = stored.patients_in_file(connection, file_id)
    if row is None:
        raise NotFound("There is no such file.")
    name = quote(row.name, safe="")
    headers = {"Content-Disposition": f"inline; filename*=UTF-8''{name}"}
    return ctx.looked_at(PlainTextResponse(row.text, headers=headers), people, "file")

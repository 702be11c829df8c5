"""Finding people and screens from anywhere, and the list of those seen last."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.patients.search_terms import FoundPatient, parse_query
from zax.store.patients.search import find_patients, recently_seen
from zax.web.patients.recent import recent_of
from zax.web.shell.request_context import enter
from zax.web.shell.screens import find_screens

router = APIRouter()


@router.get("/find")
def find(request: Request, q: str = "") -> Response:
    """What the find-anything box offers: people, then screens."""
    ctx = enter(request)
    query = parse_query(q, ctx.today)
    with ctx.shared.reading.connect() as connection:  # at every letter: hits need not be of one moment
        hits = find_patients(connection, query, recent=recent_of(ctx, connection) if query.words else ())
    screens = find_screens(q, ctx.actor.role)
    return ctx.page("patients/find.html", hits=hits, screens=screens, q=q, query=query)


@router.get("/patients")
def show_patients(request: Request, q: str = "", all: bool = False) -> Response:
    """Search as a page of its own; without a question the people this user looked at last. `all` takes in
    inactive ones.
    """
    ctx = enter(request)
    query = parse_query(q, ctx.today)
    with ctx.read() as connection:
        hits: Sequence[FoundPatient] = ()
        if not query.empty:
            hits = find_patients(connection, query, 40, recent_of(ctx, connection), everybody=all)
        elif ctx.actor.id is not None:
            hits = recently_seen(connection, ctx.actor.id)
    return ctx.page("patients/patients.html", hits=hits, q=q, query=query, everybody=all, screen="patients")

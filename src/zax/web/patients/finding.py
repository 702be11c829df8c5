"""Finding people and screens from anywhere, and the list of those seen last."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter, Request
from fastapi.responses import Response

from zax.core.patients.search_terms import FoundPatient, parse_query
from zax.core.people.roles import may
from zax.store.patients.search import find_patients, recently_seen
from zax.web.patients.recent import recent_of
from zax.web.shell.request_context import enter

router = APIRouter()
SCREENS = (
    ("Day", "/day", "see"),
    ("Book", "/book", "see"),
    ("Patients", "/patients", "see"),
    ("Money", "/money", "accounts"),
    ("Claims", "/claims", "claims"),
    ("Waitlist", "/waitlist", "book"),
    ("Openings", "/book?find=1", "book"),
    ("Web requests", "/requests", "book"),
    ("Eligibility", "/eligibility", "see"),
    ("Insurance", "/plans", "see"),
    ("Likely duplicates", "/duplicates", "patients"),
    ("Import and export", "/import", "merge"),
    ("Flags", "/setup/flags", "setup"),
    ("Who is signed in", "/setup/signed-in", "setup"),
    ("Setup", "/setup", "setup"),
    ("All shortcuts", "/keys", "see"),
)


@router.get("/find")
def find(request: Request, q: str = "") -> Response:
    """What the find-anything box offers: people, then screens."""
    ctx = enter(request)
    query = parse_query(q, ctx.today)
    with ctx.read() as connection:
        hits = find_patients(connection, query, recent=recent_of(ctx, connection) if query.words else ())
    wanted = q.strip().lower()
    screens = [s for s in SCREENS if wanted and s[0].lower().startswith(wanted) and may(ctx.actor.role, s[2])]
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

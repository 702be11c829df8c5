"""What machines ask of a running Zax: whether it can take requests, and whom to tell about a weakness (RFC
9116).
"""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, PlainTextResponse, Response

from zax.clock import system_now
from zax.store.engine import TROUBLE
from zax.store.migrate import newest, version_of
from zax.web.shell.request_context import Shared

router = APIRouter()
EXPIRES = timedelta(days=180)


@router.get("/readyz")
def ready(request: Request) -> Response:
    """200 once requests can be taken: the database answers and has the schema this Zax was written for."""
    shared: Shared = request.app.state.shared
    try:
        schema = version_of(shared.desk.engine)
    except TROUBLE:
        return JSONResponse({"ready": False, "why": "the database doesn’t answer"}, 503)
    if schema != newest():
        return JSONResponse({"ready": False, "why": f"the schema is {schema}, not {newest()}"}, 503)
    return JSONResponse({"ready": True})


@router.get("/.well-known/security.txt")
def security_txt(request: Request) -> Response:
    shared: Shared = request.app.state.shared
    expires = (system_now() + EXPIRES).strftime("%Y-%m-%dT00:00:00Z")
    lines = (
        f"Contact: mailto:{shared.desk.clinic.about.get('email', '')}",
        f"Expires: {expires}",
        "Preferred-Languages: en",
    )
    return PlainTextResponse("\n".join(lines) + "\n")

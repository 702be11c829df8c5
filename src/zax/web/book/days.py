"""A day as it was said, for fields in which days are typed: what it is, or why it is none."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from zax.core.book.day_phrases import read_day
from zax.core.errors import Refused
from zax.web.shell.request_context import enter

router = APIRouter()


@router.get("/days")
def read_said_day(request: Request, say: str = "") -> JSONResponse:
    """{"day": "2026-11-24"}, or {"problem": words} with 422."""
    ctx = enter(request)
    try:
        return JSONResponse({"day": str(read_day(say, ctx.today).day)})
    except Refused as refused:
        return JSONResponse({"problem": refused.message}, refused.status)

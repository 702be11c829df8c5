"""What the gateways tell us comes in here: no sign-in, but each is signed with the secret that both sides
have, and one that isn't changes nothing. Whatever was taken before is answered like the first time, so a
gateway may tell it twice.
"""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from starlette.concurrency import run_in_threadpool

from zax.clock import system_now
from zax.core.messages.news import News, What
from zax.core.messages.signature import is_signed
from zax.desk.inbox.news import take_news
from zax.desk.inbox.replies import take_reply
from zax.desk.messages.gateway import gateway_secret
from zax.web.shell.request_context import Shared

router = APIRouter()
LARGEST = 64 * 1024


class TextCame(BaseModel):
    """A patient's text, by the gateway's own number of it."""

    what: Literal["reply"]
    number: int
    sender: str = Field(alias="from", pattern=r"^\d{10}$")
    words: str = Field(max_length=2000)


class MessageNews(BaseModel):
    """What became of one of ours."""

    what: What
    key: str = Field(max_length=60)
    words: str = ""
    pressed: str = Field(default="", max_length=1)


EVENT: TypeAdapter[TextCame | MessageNews] = TypeAdapter(
    Annotated[TextCame | MessageNews, Field(union_mode="left_to_right")]
)


@router.post("/callbacks/messages")
async def told(request: Request) -> Response:
    shared: Shared = request.app.state.shared
    body = await request.body()
    secret = gateway_secret(shared.desk.clinic, shared.vault)
    at, signature = request.headers.get("Signed-At", ""), request.headers.get("Signature", "")
    if len(body) > LARGEST or not is_signed(secret, at, signature, body, system_now()):
        return JSONResponse({"state": "not signed"}, 403)
    try:
        event = EVENT.validate_python(json.loads(body))
    except (ValidationError, ValueError):
        return JSONResponse({"state": "not understood"}, 422)
    await run_in_threadpool(_take, shared, event)
    return JSONResponse({"state": "taken"})


def _take(shared: Shared, event: TextCame | MessageNews) -> None:
    if isinstance(event, TextCame):
        take_reply(shared.desk, event.number, event.sender, event.words)
    else:
        take_news(shared.desk, News(event.key, event.what, event.words, event.pressed))

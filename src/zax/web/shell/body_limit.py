"""How much a request may bring: judged by what it says of itself before anything is read, and by what really
comes while it is read, whoever sends it.
"""

from __future__ import annotations

from starlette.datastructures import Headers
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MOST_FORM = 2 * 1024 * 1024
MOST_UPLOAD = 26 * 1024 * 1024  # a file of 25 MB and the form around it
_WORDS = "That’s too large: files can be up to 25 MB, forms up to 2 MB."


class _TooLarge(Exception):
    """More came than was allowed."""


class BodyLimit:
    """2 MB; 26 MB for a form with a file from a browser that holds a session."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        most, came, answered = _most(Headers(scope=scope)), 0, False

        async def limited() -> Message:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > most:
                raise _TooLarge
            return message

        async def noted(message: Message) -> None:
            nonlocal answered
            answered = True
            await send(message)

        said = Headers(scope=scope).get("content-length", "")
        if said.isascii() and said.isdecimal() and (len(said) > 12 or int(said) > most):
            await PlainTextResponse(_WORDS, 413)(scope, receive, send)
            return
        try:
            await self.app(scope, limited, noted)
        except _TooLarge:
            if answered:
                raise
            await PlainTextResponse(_WORDS, 413)(scope, receive, send)


def _most(headers: Headers) -> int:
    with_file = headers.get("content-type", "").startswith("multipart/form-data")
    return MOST_UPLOAD if with_file and "zax_session=" in headers.get("cookie", "") else MOST_FORM

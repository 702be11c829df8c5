"""A browser without a network: whole requests to an application in this process, timed until the answer is
whole.
"""

from __future__ import annotations

import asyncio
import re
import time
from urllib.parse import urlencode

from starlette.types import ASGIApp, Message

from zax.demo.bench_acts import Request
from zax.demo.world import PASSWORD


class Asgi:
    """Calls an ASGI application as a server would; the time runs until the answer is whole."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self.cookies: dict[str, str] = {}
        self.answer: list[bytes] = []

    async def call(self, request: Request, expect: tuple[int, ...] = (200, 303)) -> float:
        method, path, form = request
        target, _, query = path.partition("?")
        body = urlencode(form or {}).encode()
        headers = [
            (b"host", b"127.0.0.1"),
            (b"cookie", "; ".join(f"{k}={v}" for k, v in self.cookies.items()).encode()),
        ]
        if form is not None:
            headers.append((b"content-type", b"application/x-www-form-urlencoded"))
        scope = {
            "type": "http",
            "asgi": {"version": "3.0"},
            "http_version": "1.1",
            "method": method,
            "scheme": "http",
            "path": target,
            "raw_path": target.encode(),
            "query_string": query.encode(),
            "headers": headers,
            "client": ("127.0.0.1", 1),
            "server": ("127.0.0.1", 80),
            "state": {},
        }
        ended, status, waiting = 0.0, 0, iter([{"type": "http.request", "body": body, "more_body": False}])
        never = asyncio.Event()
        self.answer = []

        async def receive() -> Message:
            for message in waiting:
                return message
            await never.wait()
            return {"type": "http.disconnect"}

        async def send(message: Message) -> None:
            nonlocal ended, status
            if message["type"] == "http.response.start":
                status = message["status"]
                for name, value in message["headers"]:
                    if name == b"set-cookie":
                        key, _, rest = value.decode().partition("=")
                        self.cookies[key] = rest.split(";")[0]
                return
            self.answer.append(message.get("body", b""))
            if not message.get("more_body"):
                ended = time.perf_counter()

        began = time.perf_counter()
        await self.app(scope, receive, send)
        if status not in expect:
            raise RuntimeError(f"{method} {path} answered {status}")
        return (ended - began) * 1000


async def sign_in(ours: Asgi) -> str:
    """Sam at this client; the form token of their session."""
    await ours.call(("GET", "/sign-in", None))
    form = {"csrf": _token(ours), "name": "sam", "password": PASSWORD, "to": "/day"}
    await ours.call(("POST", "/sign-in", form))
    await ours.call(("GET", "/keys", None))
    return _token(ours)


def _token(ours: Asgi) -> str:
    """As the page that was answered last carries it."""
    found = re.search(rb'name="csrf" value="([^"]+)"', b"".join(ours.answer))
    assert found is not None, "every page has a form"
    return found[1].decode()

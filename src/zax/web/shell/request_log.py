"""Every request has a number, which its answer carries and every line that is logged on its way; and leaves a
line of its own: what was asked, how it ended and how long it took. By the route, never by the address, which
may hold a key.
"""

from __future__ import annotations

import time
import uuid

import structlog
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zax.metrics import REQUEST_SECONDS, REQUESTS

log = structlog.get_logger()
# Of these nobody wants a line each.
QUIET = ("/static/", "/healthz", "/readyz")
UNKNOWN = "unknown"
_METHODS = frozenset({"GET", "HEAD", "POST"})


class RequestLog:
    """The outermost of all, so that nothing happens without a number."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].startswith(QUIET):
            await self.app(scope, receive, send)
            return
        number, began, status = uuid.uuid4().hex[:12], time.perf_counter(), 500
        scope.setdefault("state", {})["number"] = number

        async def numbered(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(scope=message)["X-Request-ID"] = number
            await send(message)

        with structlog.contextvars.bound_contextvars(request=number):
            try:
                await self.app(scope, receive, numbered)
            finally:
                self._note(scope, status, time.perf_counter() - began)

    @staticmethod
    def _note(scope: Scope, status: int, seconds: float) -> None:
        route = getattr(scope.get("route"), "path", UNKNOWN)
        method = scope["method"] if scope["method"] in _METHODS else "OTHER"
        REQUESTS.labels(method, route, status).inc()
        REQUEST_SECONDS.labels(route).observe(seconds)
        log.info("request", method=method, route=route, status=status, ms=round(seconds * 1000, 1))

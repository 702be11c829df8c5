"""Before a clinic has opened there is nothing that a page could show: every address leads to a page that says
so, but for the opening itself, what pages are made of, and what a supervisor asks.

The clinic may have been opened through another process, so until there is one it is read again each time.
"""

from __future__ import annotations

from starlette.concurrency import run_in_threadpool
from starlette.responses import RedirectResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from zax.desk.acts.transaction import Desk

OPEN_ANYWAY = frozenset({"open", "static", "healthz", "readyz"})


class NotOpen:
    """In front of the application until `desk` has a clinic."""

    def __init__(self, app: ASGIApp, desk: Desk) -> None:
        self.app, self.desk = app, desk

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and not self.desk.clinic.sites:
            await run_in_threadpool(self.desk.read_setup)
            first = scope["path"].removeprefix("/").partition("/")[0]
            if not self.desk.clinic.sites and first not in OPEN_ANYWAY:
                await RedirectResponse("/open", 303)(scope, receive, send)
                return
        await self.app(scope, receive, send)

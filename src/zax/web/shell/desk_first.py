"""The desk comes first: patients' pages are made a few at a time, so that two hundred who ask for a time at
the same moment wait for each other and not the person at the counter for all of them.

A turn is over once the answer begins: whoever reads slowly holds none. Forms come in as they come, since a
slow phone would hold its turn while it sends.
"""

from __future__ import annotations

import asyncio

from starlette.types import ASGIApp, Message, Receive, Scope, Send

# The first parts of the addresses that need no sign-in of the clinic's, besides the sign-in itself.
PATIENTS_PAGES = frozenset({"ask", "my", "p", "register", "tablet", "v"})
AT_ONCE = 3


class DeskFirst:
    """At most `AT_ONCE` of the patients' pages are made at once, in order of arrival."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self.turns = asyncio.Semaphore(AT_ONCE)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] not in {"GET", "HEAD"} or not _patients(scope["path"]):
            await self.app(scope, receive, send)
            return
        await self.turns.acquire()
        holds = True

        def give_back() -> None:
            nonlocal holds
            if holds:
                holds = False
                self.turns.release()

        async def begun(message: Message) -> None:
            give_back()
            await send(message)

        try:
            await self.app(scope, receive, begun)
        finally:
            give_back()


def _patients(path: str) -> bool:
    return path.removeprefix("/").partition("/")[0] in PATIENTS_PAGES

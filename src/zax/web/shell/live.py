"""Live screens: one thread asks the change feed every half second and wakes the browsers that watch what
changed.

A change of the setup is read by this process at once, so that its pages show it. Each browser holds one
server-sent events stream. It is told only that something changed, and fetches its page again by itself.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from datetime import timedelta
from functools import partial

from fastapi import APIRouter, FastAPI, Request
from fastapi.responses import StreamingResponse
from starlette.concurrency import run_in_threadpool

from zax.core.json import Json
from zax.desk.acts.transaction import Desk
from zax.desk.people.sessions import who_is
from zax.logs import Seldom
from zax.store.acts.traces import changes_since, newest_change
from zax.store.engine import Engine, SQLAlchemyError
from zax.web.shell.request_context import Shared, session_of

router = APIRouter()
SECONDS = 0.5
# Ids can become visible out of order, so rows a little behind the newest one are looked at again.
_LOOK_BACK = 200


class Feed:
    """The watcher of one process and its listeners."""

    def __init__(self, engine: Engine, desk: Desk) -> None:
        self.engine, self.desk = engine, desk
        self.listeners: set[asyncio.Queue[Json]] = set()
        self.newest = 0
        self.seen: set[int] = set()
        self.started = False
        self.unreadable = Seldom("feed.unreadable")

    async def watch(self) -> None:
        while True:
            try:
                if not self.started:
                    await run_in_threadpool(self.start)
                else:
                    for change in await run_in_threadpool(self.changes):
                        for listener in self.listeners:
                            listener.put_nowait(change)
            except SQLAlchemyError as error:
                self.unreadable.warn(why=type(error).__name__)
            await asyncio.sleep(SECONDS)

    def start(self) -> None:
        """From here on changes are told; what is already there is not."""
        with self.engine.connect() as connection:
            self.newest = newest_change(connection)
            self.seen = {row.id for row in changes_since(connection, self.newest - _LOOK_BACK)}
        self.started = True

    def changes(self) -> list[Json]:
        with self.engine.connect() as connection:
            rows = changes_since(connection, self.newest - _LOOK_BACK)
        fresh = [row for row in rows if row.id not in self.seen]
        if any(row.what == "setup" for row in fresh):
            self.desk.read_setup()
        self.newest = max([self.newest, *(row.id for row in rows)])
        self.seen = {row.id for row in rows if row.id > self.newest - _LOOK_BACK}
        return [
            {
                "what": row.what,
                "site": row.site_id,
                "day": row.day.isoformat() if row.day else None,
                "visit": row.visit_id,
            }
            for row in fresh
        ]


@asynccontextmanager
async def lifespan(app: FastAPI) -> AsyncIterator[None]:
    shared: Shared = app.state.shared
    app.state.feed = Feed(shared.reading, shared.desk)
    watching = asyncio.create_task(app.state.feed.watch())
    yield
    watching.cancel()
    shared.reading.dispose()
    shared.pages.dispose()


@router.get("/live")
async def live(request: Request) -> StreamingResponse:
    """The stream of one browser: `event: change` with site, day and visit; a comment every fifteen seconds
    keeps it open.
    """
    shared: Shared = request.app.state.shared
    secret = session_of(request)
    if not secret or not await run_in_threadpool(_known, shared, secret):
        return StreamingResponse(iter(()), 401, media_type="text/event-stream")
    return StreamingResponse(
        stream(request.app.state.feed, partial(run_in_threadpool, _known, shared, secret)),
        media_type="text/event-stream",
        headers={"X-Accel-Buffering": "no"},
    )


def _known(shared: Shared, secret: str) -> bool:
    with shared.reading.connect() as connection:
        return who_is(connection, secret, shared.desk.clinic.roles) is not None


async def _anybody() -> bool:
    return True


async def stream(watched: Feed, still: Callable[[], Awaitable[bool]] = _anybody) -> AsyncIterator[str]:
    """Until the browser goes, or `still` says that it may no longer hear; it is asked before anything is
    told.
    """
    queue: asyncio.Queue[Json] = asyncio.Queue()
    watched.listeners.add(queue)
    try:
        yield "retry: 1500\nevent: hello\ndata: {}\n\n"
        while True:
            try:
                change = await asyncio.wait_for(queue.get(), timedelta(seconds=15).total_seconds())
                said = f"event: change\ndata: {json.dumps(change)}\n\n"
            except TimeoutError:
                said = ": still here\n\n"
            if not await still():
                return
            yield said
    finally:
        watched.listeners.discard(queue)

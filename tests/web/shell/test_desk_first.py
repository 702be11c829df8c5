"""Many patients at once wait for each other, and the desk for none of them."""

from __future__ import annotations

import asyncio
import inspect

import pytest
from fastapi.routing import APIRoute
from starlette.types import Message, Receive, Scope, Send

from zax.web.app import ROOMS
from zax.web.shell.desk_first import AT_ONCE, PATIENTS_PAGES, DeskFirst


class Slow:
    """An application whose patients' pages are done when they are let go, or fail."""

    def __init__(self, *, fails: bool = False, stays: bool = False) -> None:
        self.let_go, self.fails, self.stays = asyncio.Event(), fails, stays
        self.begun: list[str] = []

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        self.begun.append(scope["path"])
        if self.fails:
            raise RuntimeError("broken")
        if self.stays:  # the answer begins, and is read slowly
            await send({"type": "http.response.start", "status": 200, "headers": []})
        if scope["path"] != "/day" and scope["method"] == "GET":
            await self.let_go.wait()


async def _call(app: DeskFirst, path: str, method: str = "GET") -> None:
    async def receive() -> Message:
        return {"type": "http.request"}

    async def send(message: Message) -> None: ...

    await app({"type": "http", "path": path, "method": method}, receive, send)


async def _settled() -> None:
    for _ in range(20):
        await asyncio.sleep(0)


def test_patients_wait_for_each_other_in_turn_and_the_desk_for_nobody() -> None:
    async def go() -> None:
        slow = Slow()
        app = DeskFirst(slow)
        paths = [f"/ask/times/{n}" for n in range(AT_ONCE + 3)]
        waiting = [asyncio.create_task(_call(app, path)) for path in paths]
        await _settled()
        assert slow.begun == paths[:AT_ONCE]
        await _call(app, "/day")
        await _call(app, "/ask/who", "POST")
        assert slow.begun[AT_ONCE:] == ["/day", "/ask/who"]
        slow.let_go.set()
        await asyncio.gather(*waiting)
        assert slow.begun[AT_ONCE + 2 :] == paths[AT_ONCE:]

    asyncio.run(go())


@pytest.mark.parametrize("what", ["fails", "stays"])
def test_neither_a_page_that_fails_nor_a_slow_reader_keeps_a_turn(what: str) -> None:
    async def go() -> None:
        slow = Slow(**{what: True})
        app = DeskFirst(slow)
        many = [asyncio.create_task(_call(app, "/my")) for _ in range(AT_ONCE * 3)]
        await _settled()
        assert len(slow.begun) == AT_ONCE * 3
        slow.let_go.set()
        await asyncio.gather(*many, return_exceptions=True)

    asyncio.run(go())


def test_who_gives_up_while_waiting_takes_no_turn_along() -> None:
    async def go() -> None:
        slow = Slow()
        app = DeskFirst(slow)
        many = [asyncio.create_task(_call(app, f"/v/{n}")) for n in range(AT_ONCE + 2)]
        await _settled()
        many[AT_ONCE].cancel()
        many[0].cancel()
        await _settled()
        assert slow.begun == [*(f"/v/{n}" for n in range(AT_ONCE)), f"/v/{AT_ONCE + 1}"]
        slow.let_go.set()
        await asyncio.gather(*many, return_exceptions=True)

    asyncio.run(go())


def test_every_page_without_a_sign_in_of_the_clinic_is_among_them() -> None:
    named = set()
    for room in ROOMS:
        for route in room.router.routes:
            assert isinstance(route, APIRoute)
            module = inspect.getmodule(route.endpoint)
            assert module is not None
            own = module.__name__.startswith(("zax.web.people.", "zax.web.setup."))
            if not own and "open_form" in vars(module):
                named.add(route.path.split("/")[1])
    assert named == PATIENTS_PAGES

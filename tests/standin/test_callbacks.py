"""The gateways tell the clinic until it has taken it: signed, and again after it was away."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

import httpx
import pytest

from zax.clock import system_now
from zax.core.messages.signature import is_signed
from zax.standin import callbacks
from zax.standin.callbacks import SECRET, tell, telling
from zax.standin.keep import Keep


class Clinic:
    """Takes what it is told, from the `opens`th time on."""

    def __init__(self, opens: int) -> None:
        self.opens, self.tries, self.taken = opens, 0, []  # type: ignore[var-annotated]

    def answer(self, request: httpx.Request) -> httpx.Response:
        self.tries += 1
        if self.tries < self.opens:
            return httpx.Response(503)
        at, signature = request.headers["Signed-At"], request.headers["Signature"]
        assert is_signed("s3cret", at, signature, request.content, system_now())
        self.taken.append(json.loads(request.content))
        return httpx.Response(200)


@pytest.mark.parametrize("opens", [1, 3])
def test_each_event_is_told_until_it_is_taken(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, opens: int
) -> None:
    clinic, keep = Clinic(opens), Keep(tmp_path)
    (tmp_path / SECRET).write_text("s3cret\n")
    real = httpx.AsyncClient

    def client(**more: Any) -> httpx.AsyncClient:
        return real(transport=httpx.MockTransport(clinic.answer), **more)

    monkeypatch.setattr(callbacks.httpx, "AsyncClient", client)
    monkeypatch.setattr(callbacks, "PAUSE", 0.01)
    monkeypatch.setattr(callbacks, "LONGEST_WAIT", 0.01)
    tell(keep, {"what": "delivered", "key": "t1"})

    async def run() -> None:
        async with telling(keep, tmp_path, "http://clinic/callbacks/messages"):
            async with asyncio.timeout(10):
                while keep.all("events"):
                    await asyncio.sleep(0.01)

    asyncio.run(run())
    assert clinic.taken == [{"what": "delivered", "key": "t1"}] and clinic.tries == opens

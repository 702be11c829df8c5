"""What the gateways tell the clinic: each event is kept until the clinic's address has taken it, and told
again after a while when it was away. Signed with the secret in the folder's file: HMAC-SHA256 over the moment
and the body.
"""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import json
import time
import uuid
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path

import httpx

from zax.standin.keep import Json, Keep

SECRET = "gateway_secret"
PAUSE, AT_ONCE = 0.3, 200
LONGEST_WAIT = 60.0


def tell(keep: Keep, event: Json, after: float = 0.0) -> None:
    """An event to be told, `after` so many seconds."""
    number = f"{time.time_ns()}-{uuid.uuid4().hex[:6]}"
    keep.put("events", number, {"id": number, "from": time.time() + after, "tries": 0, "event": event})


@asynccontextmanager
async def telling(keep: Keep, folder: Path, url: str) -> AsyncIterator[None]:
    """Tell what waits, for as long as the app runs."""
    task = asyncio.create_task(_loop(keep, folder, url))
    yield
    task.cancel()
    with suppress(asyncio.CancelledError):
        await task


async def _loop(keep: Keep, folder: Path, url: str) -> None:
    async with httpx.AsyncClient(timeout=10, trust_env=False) as client:
        while True:
            due = [each for each in keep.all("events") if each["from"] <= time.time()][:AT_ONCE]
            for each in due:
                await _push(client, keep, folder, url, each)
            await asyncio.sleep(PAUSE)


async def _push(client: httpx.AsyncClient, keep: Keep, folder: Path, url: str, waiting: Json) -> None:
    body = json.dumps(waiting["event"]).encode()
    secret = (folder / SECRET).read_text().strip() if (folder / SECRET).exists() else ""
    at = int(time.time())
    signature = hmac.new(secret.encode(), f"{at}\n".encode() + body, hashlib.sha256).hexdigest()
    headers = {"Content-Type": "application/json", "Signed-At": str(at), "Signature": signature}
    try:
        taken = (await client.post(url, content=body, headers=headers)).is_success
    except httpx.HTTPError:
        taken = False
    if taken:
        keep.remove("events", waiting["id"])
        return
    tries = waiting["tries"] + 1
    wait = min(LONGEST_WAIT, 2.0**tries)
    keep.put("events", waiting["id"], {**waiting, "tries": tries, "from": time.time() + wait})

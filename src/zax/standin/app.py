"""The stand-in's own small web application: what terminal and clearinghouse offer over HTTP, and a page to
steer them by hand.
"""

from __future__ import annotations

import asyncio
import html
import time
import uuid
from collections.abc import AsyncIterator
from contextlib import AbstractAsyncContextManager, asynccontextmanager, nullcontext
from datetime import UTC, datetime
from pathlib import Path

from aiosmtpd.controller import UnthreadedController
from fastapi import FastAPI, Form, Header, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, PlainTextResponse, RedirectResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from zax.standin import eligibility, payer_list, status
from zax.standin.answers import PAYERS, acknowledgement, remittances
from zax.standin.callbacks import telling
from zax.standin.claims import ClaimFile, read_claim_file
from zax.standin.folders import folders
from zax.standin.keep import Json, Keep
from zax.standin.mailboxes import Inbox, mailboxes
from zax.standin.pay_page import pay_pages
from zax.standin.phones import texting
from zax.standin.pop import mailbox

# The door of a file that came by a folder.
FOLDERS = "folders"
MODES = {
    "approve": "approves",
    "decline": "is declined",
    "part": "is approved for half of it only",
    "silent": "is charged, but the terminal gives no answer in time",
    "lost": "never reaches the terminal",
}


class SaleOrder(BaseModel):
    """What the terminal is asked for; negative cents go back to the card of `reference`. `token` stands for a
    card kept before, `keep` asks for one.
    """

    cents: int
    token: str = ""
    keep: bool = False
    reference: str = ""


def create_app(
    folder: Path,
    smtp_port: int,
    pay_seconds: float = 20,
    sftp_port: int | None = None,
    callback: str = "",
    pop_port: int | None = None,
) -> FastAPI:
    """`pay_seconds`: how long a payer takes from claim to payment file. With `sftp_port` the clearinghouse
    has folders there as well; it answers by the door a file came through. `callback` is the clinic's address
    for what the gateways tell.
    """
    keep = Keep(folder)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        mail = UnthreadedController(
            Inbox(keep), hostname="127.0.0.1", port=smtp_port, loop=asyncio.get_running_loop()
        )
        mail.server = await mail._create_server()
        async with (
            _folders(keep, sftp_port, pay_seconds) if sftp_port else nullcontext(),
            telling(keep, folder, callback) if callback else nullcontext(),
            mailbox(keep, folder, pop_port) if pop_port else nullcontext(),
        ):
            yield
        mail.server.close()

    app = FastAPI(lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
    _terminal(app, keep)
    pay_pages(app, keep)
    _clearinghouse(app, keep, pay_seconds)
    texting(app, keep)
    mailboxes(app, keep)
    _pages(app, keep)
    return app


def _folders(keep: Keep, port: int, pay_seconds: float) -> AbstractAsyncContextManager[None]:
    def take(key: str, name: str, text: str) -> None:
        _take_file(keep, key, name, text, pay_seconds, FOLDERS)

    def waiting() -> list[Json]:
        found = [each for each in _due(keep) if each.get("door") == FOLDERS]
        for each in found:
            keep.remove("mailbox", each["id"])
        return found

    return folders(keep, port, take, waiting)


def _terminal(app: FastAPI, keep: Keep) -> None:
    @app.post("/terminal/sales")
    async def sell(order: SaleOrder, idempotency_key: str = Header()) -> Json:
        with keep.lock:
            known = keep.get("sales", idempotency_key)
            mode = (keep.get("terminal", "mode") or {"mode": "approve"})["mode"]
            if known is None and mode != "lost":
                keep.put("sales", idempotency_key, _sale(keep, idempotency_key, order, mode))
            keep.put("terminal", "mode", {"mode": "approve"})
        if known is None and mode in {"silent", "lost"}:
            await asyncio.sleep(60)
        return keep.get("sales", idempotency_key) or {"state": "unheard"}

    @app.get("/terminal/sales/{key}")
    def look_up(key: str) -> Json:
        sale = keep.get("sales", key)
        if sale is None:
            raise HTTPException(404, "no such sale")
        return sale

    @app.post("/terminal/mode")
    def set_mode(mode: str = Form()) -> RedirectResponse:
        if mode not in MODES:
            raise HTTPException(422, f"one of {', '.join(MODES)}")
        keep.put("terminal", "mode", {"mode": mode})
        return RedirectResponse("/", 303)


def _sale(keep: Keep, key: str, order: SaleOrder, mode: str) -> Json:
    """The bank's answer. A token is known by the card that it was given out for; the number of a card is
    nowhere.
    """
    card = keep.get("cards", order.token) if order.token else {"ending": "4417", "expires": "08/29"}
    refused = {"key": key, "cents": order.cents, "state": "declined"}
    if card is None:
        return {**refused, "words": "the bank does not know this card any more"}
    if mode == "decline":
        return {**refused, "words": "the bank refuses this card"}
    cents = order.cents // 2 if mode == "part" and order.cents > 1 else order.cents
    answer = {
        "key": key,
        "cents": cents,
        "state": "approved",
        "card_ending": card["ending"],
        "reference": f"T{uuid.uuid5(uuid.NAMESPACE_OID, key).int % 10**8:08d}",
    }
    if order.keep:
        token = f"card-{uuid.uuid5(uuid.NAMESPACE_URL, key).hex}"
        keep.put("cards", token, card)
        answer |= {"token": token, "expires": card["expires"]}
    return answer


def _clearinghouse(app: FastAPI, keep: Keep, pay_seconds: float) -> None:
    @app.post("/clearinghouse/files", status_code=202)
    async def deliver(
        request: Request, idempotency_key: str = Header(), x_file_name: str = Header("")
    ) -> dict[str, str]:
        text = (await request.body()).decode(errors="replace")
        await run_in_threadpool(_take_file, keep, idempotency_key, x_file_name, text, pay_seconds)
        return {"taken": idempotency_key}

    @app.post("/clearinghouse/eligibility")
    async def ask(request: Request) -> PlainTextResponse:
        question = eligibility.read_question((await request.body()).decode(errors="replace"))
        mode = eligibility.mode_of(question)
        if mode == "down":
            raise HTTPException(503, "the payer's system is down")
        if mode == "slow":
            await asyncio.sleep(eligibility.SLOW_SECONDS)
        with keep.lock:
            number = (keep.get("counter", "answer") or {"at": 0})["at"] + 1
            keep.put("counter", "answer", {"at": number})
        return PlainTextResponse(eligibility.answer(question, mode, number, datetime.now(UTC)))

    @app.post("/clearinghouse/status")
    async def ask_status(request: Request) -> PlainTextResponse:
        question = status.read_question((await request.body()).decode(errors="replace"))
        with keep.lock:
            number = (keep.get("counter", "answer") or {"at": 0})["at"] + 1
            keep.put("counter", "answer", {"at": number})
        return PlainTextResponse(status.answer(question, keep, number, datetime.now(UTC)))

    @app.get("/clearinghouse/payers")
    def payers(after: str = "", most: int = 500) -> PlainTextResponse:
        text, total = payer_list.page(after, min(most, 1000))
        return PlainTextResponse(text, media_type="text/csv", headers={"X-Total": str(total)})

    @app.get("/clearinghouse/mailbox")
    def mailbox() -> list[dict[str, str]]:
        return [
            {"id": each["id"], "name": each["name"]} for each in _due(keep) if each.get("door") != FOLDERS
        ]

    @app.get("/clearinghouse/mailbox/{file_id}")
    def fetch(file_id: str) -> PlainTextResponse:
        return PlainTextResponse(_waiting(keep, file_id)["text"])

    @app.delete("/clearinghouse/mailbox/{file_id}", status_code=204)
    def confirm(file_id: str) -> Response:
        keep.remove("mailbox", file_id)
        return Response(status_code=204)


def _due(keep: Keep) -> list[Json]:
    now = time.time()
    return [each for each in keep.all("mailbox") if each["from"] <= now]


def _waiting(keep: Keep, file_id: str) -> Json:
    found = keep.get("mailbox", file_id)
    if found is None:
        raise HTTPException(404, "no such file")
    return found


def _take_file(keep: Keep, key: str, name: str, text: str, pay_seconds: float, door: str = "") -> None:
    """Once a key: acknowledge at once, pay each claim after a while, by the same door."""
    with keep.lock:
        if keep.get("files", key) is not None:
            return
        file = read_claim_file(text)
        now = datetime.now(UTC)
        number = (keep.get("counter", "file") or {"at": 0})["at"]
        modes = {status.mode_of(claim.member) for claim in file.claims}
        number += 1
        if "interchange_rejected" in modes:
            _put(keep, f"ta1-{number}.x12", status.interchange_rejected(file, number, now), 0, door)
        elif "file_rejected" in modes and not file.errors:
            _put(keep, f"999-{number}.x12", status.file_rejected(file, text, number, now), 0, door)
        else:
            _put(keep, f"999-{number}.x12", acknowledgement(file, number, now), 0, door)
            number = _take_claims(keep, file, number, now, pay_seconds, door)
        keep.put("counter", "file", {"at": number})
        keep.put("files", key, {"key": key, "name": name, "text": text, "errors": file.errors})


def _take_claims(
    keep: Keep, file: ClaimFile, number: int, now: datetime, pay_seconds: float, door: str
) -> int:
    """A 277CA for all, then each is paid, denied or left, by its member; the last number used."""
    if file.errors:
        return number
    number += 1
    _put(keep, f"277-{number}.x12", status.acknowledged(file, number, now), 0, door)
    for claim in file.claims:
        mode = status.mode_of(claim.member)
        status.remember(keep, claim, time.time() + pay_seconds)
        if claim.payer in PAYERS and mode in {"paid", "denied"}:
            for paid in remittances(file, claim, keep, number + 1, now, denied=mode == "denied"):
                number += 1
                _put(keep, f"835-{number}.x12", paid, pay_seconds, door)
    return number


def _put(keep: Keep, name: str, text: str, seconds: float, door: str) -> None:
    number, due = uuid.uuid4().hex, time.time() + seconds
    keep.put("mailbox", number, {"id": number, "name": name, "text": text, "from": due, "door": door})


def _rejected(errors: list[str]) -> str:
    return ": rejected, " + html.escape("; ".join(errors)) if errors else ""


def _pages(app: FastAPI, keep: Keep) -> None:
    @app.get("/healthz")
    def healthz() -> dict[str, str]:
        return {"state": "up"}

    @app.get("/files")
    def files() -> list[Json]:
        return keep.all("files")

    @app.get("/sales")
    def sales() -> list[Json]:
        return keep.all("sales")

    @app.get("/")
    def page() -> HTMLResponse:
        mode = (keep.get("terminal", "mode") or {"mode": "approve"})["mode"]
        buttons = "".join(
            f'<p><button name="mode" value="{key}"{" disabled" if key == mode else ""}>The next card'
            f" {words}</button></p>"
            for key, words in MODES.items()
        )
        rows = "".join(
            f"<li>{html.escape(each['name'])}{_rejected(each['errors'])}</li>"
            for each in keep.all("files")[-20:]
        )
        return HTMLResponse(
            "<!doctype html><html lang=en><title>Stand-in</title><h1>The outside world,"
            " simulated</h1><h2>Card terminal</h2><form method=post"
            f" action=/terminal/mode>{buttons}</form><h2>Claim files"
            f" received</h2><ul>{rows or '<li>none yet'}</ul><p><a href=/phones>Patients’"
            f" phones</a> ({len(keep.all('texts'))} texts)</p><p><a href=/mailboxes>Patients’ mail</a>"
            f" ({len(keep.all('mail'))} mails)</p></html>"
        )

"""The text gateway, and the phones of patients behind it: a page where one reads what came and answers as the
patient.

The gateway keeps each key once. A reply waits until the clinic says that it has it, so none is lost when the
clinic is away.
"""

from __future__ import annotations

import html
import time
from collections import defaultdict
from urllib.parse import parse_qs

from fastapi import FastAPI, Header, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel

from zax.standin.keep import Json, Keep

AT_ONCE = 200
MOST_PHONES = 60


class TextOrder(BaseModel):
    """A text for a phone of ten digits."""

    to: str
    words: str


def texting(app: FastAPI, keep: Keep) -> None:
    """The gateway's own doors and the page of the phones; a number that isn't ten digits takes no text."""

    @app.post("/texts")
    def text(order: TextOrder, idempotency_key: str = Header()) -> dict[str, str]:
        if len(order.to) != 10 or not order.to.isdecimal():
            raise HTTPException(422, "no such number")
        with keep.lock:
            if keep.get("texts", idempotency_key) is None:
                order_at = {"id": idempotency_key, "at": time.time_ns(), **order.model_dump()}
                keep.put("texts", idempotency_key, order_at)
        return {"state": "taken"}

    @app.get("/texts")
    def texts() -> list[Json]:
        return keep.all("texts")

    @app.get("/texts/replies")
    def replies() -> list[Json]:
        waiting = [each for each in keep.all("replies") if not each["taken"]]
        return sorted(waiting, key=lambda each: int(each["number"]))[:AT_ONCE]

    @app.post("/texts/replies/{number}/taken")
    def taken(number: int) -> dict[str, str]:
        with keep.lock:
            found = keep.get("replies", str(number))
            if found is None:
                raise HTTPException(404, "no such reply")
            keep.put("replies", str(number), found | {"taken": True})
        return {"state": "taken"}

    @app.get("/phones")
    def phones() -> HTMLResponse:
        return HTMLResponse(_page(keep))

    @app.post("/phones/{phone}")
    async def answer(phone: str, request: Request) -> Response:
        sent = parse_qs((await request.body()).decode())
        words = sent.get("words", [""])[0].strip()
        if words:
            add_reply(keep, phone, words)
        return RedirectResponse(f"/phones#p{phone}", 303)


def add_reply(keep: Keep, phone: str, words: str) -> int:
    """A text from this phone; its number."""
    with keep.lock:
        number = 1 + max((int(each["number"]) for each in keep.all("replies")), default=0)
        said = {"number": number, "from": phone, "words": words, "taken": False, "at": time.time_ns()}
        keep.put("replies", str(number), said)
    return number


def _page(keep: Keep) -> str:
    """Every phone with its talk, the one that heard last on top."""
    talk: dict[str, list[tuple[str, str]]] = defaultdict(list)
    spoken = [
        *((each, "to") for each in keep.all("texts")),
        *((each, "from") for each in keep.all("replies")),
    ]
    for each, side in sorted(spoken, key=lambda pair: int(pair[0].get("at", 0))):
        talk.setdefault(each[side], talk.pop(each[side], []))
        talk[each[side]].append((side, each["words"]))
    phones = list(reversed(talk.items()))[:MOST_PHONES]
    found = "".join(_phone(phone, lines) for phone, lines in phones)
    return (
        "<!doctype html><html lang=en><meta name=viewport content='width=device-width'><title>Patients’"
        " phones</title><style>body{font:16px sans-serif;max-width:46rem;margin:1rem auto;padding:0 1rem}"
        "section{border-top:1px solid #999;padding:.5rem 0}.to{margin:.2rem 4rem .2rem 0}.from{margin:.2rem 0"
        " .2rem 4rem;font-weight:bold;text-align:right}</style><h1>Patients’ phones, simulated</h1>"
        f"{found or '<p>No texts yet.</p>'}</html>"
    )


def _phone(phone: str, lines: list[tuple[str, str]]) -> str:
    said = "".join(f"<p class={side}>{html.escape(words)}</p>" for side, words in lines)
    name = html.escape(phone)
    return (
        f"<section id=p{name}><h2>{name}</h2>{said}<form method=post action=/phones/{name}><input name=words"
        f" aria-label='Answer from {name}' size=40 autocomplete=off><button>Send</button> <button name=words"
        " value=YES>YES</button> <button name=words value=NO>NO</button> <button name=words"
        " value=STOP>STOP</button></form></section>"
    )

"""The text and voice gateways, and the phones of patients behind them: a page where one reads what came,
answers as the patient, picks up or lets it ring, and says how a phone behaves.

A gateway keeps each key once, and a reply until the clinic says that it has it, so none is lost when the
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

from zax.standin.callbacks import tell
from zax.standin.keep import Json, Keep

AT_ONCE = 200
MOST_PHONES = 60
SLOW_SECONDS, RING_SECONDS = 20.0, 45.0
MODES = {
    "normal": "takes everything at once",
    "slow": "is slow",
    "dead": "is dead",
    "landline": "is a landline",
    "twice": "reports everything twice",
}
OUTCOMES = {
    "1": "Pick up, press 1",
    "2": "Pick up, press 2",
    "machine": "Answering machine",
    "out": "Let it ring out",
}


class TextOrder(BaseModel):
    """A text for a phone of ten digits."""

    to: str
    words: str


class CallOrder(BaseModel):
    """A call to a phone of ten digits, with what is read out."""

    to: str
    words: str
    language: str = "en"


def texting(app: FastAPI, keep: Keep) -> None:
    """The gateways' own doors and the page of the phones; a number that isn't ten digits takes nothing."""

    @app.post("/texts")
    def text(order: TextOrder, idempotency_key: str = Header()) -> dict[str, str]:
        _check_number(order.to)
        with keep.lock:
            if keep.get("texts", idempotency_key) is None:
                order_at = {"id": idempotency_key, "at": time.time_ns(), **order.model_dump()}
                keep.put("texts", idempotency_key, order_at)
                _report(keep, order.to, _outcome_of_text(keep, idempotency_key, order.to))
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

    @app.get("/texts/{key}")
    def known_text(key: str) -> dict[str, str]:
        return _known(keep, "texts", key)

    @app.post("/calls")
    def call(order: CallOrder, idempotency_key: str = Header()) -> dict[str, str]:
        _check_number(order.to)
        with keep.lock:
            if keep.get("calls", idempotency_key) is None:
                made = {"id": idempotency_key, "at": time.time_ns(), "state": "ringing", **order.model_dump()}
                keep.put("calls", idempotency_key, made)
                if _mode(keep, order.to) == "dead":
                    _end_call(keep, idempotency_key, "failed")
        return {"state": "taken"}

    @app.get("/calls")
    def calls() -> list[Json]:
        return keep.all("calls")

    @app.get("/calls/{key}")
    def known_call(key: str) -> dict[str, str]:
        return _known(keep, "calls", key)

    @app.get("/events")
    def events() -> list[Json]:
        return [each["event"] for each in keep.all("events")]

    @app.get("/phones")
    def phones() -> HTMLResponse:
        ring_out(keep)
        return HTMLResponse(_page(keep))

    @app.post("/phones/{phone}")
    async def answer(phone: str, request: Request) -> Response:
        sent = parse_qs((await request.body()).decode())
        words = sent.get("words", [""])[0].strip()
        mode = sent.get("mode", [""])[0]
        if mode in MODES:
            keep.put("phones", phone, {"phone": phone, "mode": mode})
        elif words:
            add_reply(keep, phone, words)
        return RedirectResponse(f"/phones#p{phone}", 303)

    @app.post("/phones/calls/{key}")
    async def pick_up(key: str, request: Request) -> Response:
        outcome = parse_qs((await request.body()).decode()).get("outcome", [""])[0]
        if outcome in OUTCOMES:
            _end_call(keep, key, outcome)
        return RedirectResponse("/phones", 303)


def _check_number(number: str) -> None:
    if len(number) != 10 or not number.isdecimal():
        raise HTTPException(422, "no such number")


def _known(keep: Keep, kind: str, key: str) -> dict[str, str]:
    if keep.get(kind, key) is None:
        raise HTTPException(404, "never heard of it")
    return {"state": "taken"}


def _mode(keep: Keep, phone: str) -> str:
    return str((keep.get("phones", phone) or {"mode": "normal"})["mode"])


def _outcome_of_text(keep: Keep, key: str, phone: str) -> Json:
    what = {"dead": "failed", "landline": "landline"}.get(_mode(keep, phone), "delivered")
    words = "the network doesn’t know this number" if what == "failed" else ""
    return {"what": what, "key": key, "words": words}


def _report(keep: Keep, phone: str, event: Json) -> None:
    mode = _mode(keep, phone)
    for _ in range(2 if mode == "twice" else 1):
        tell(keep, event, SLOW_SECONDS if mode == "slow" else 0.0)


def _end_call(keep: Keep, key: str, outcome: str) -> None:
    """The first outcome counts."""
    with keep.lock:
        made = keep.get("calls", key)
        if made is None or made["state"] != "ringing":
            return
        keep.put("calls", key, made | {"state": outcome})
    what = {"machine": "machine", "out": "no_answer", "failed": "failed"}.get(outcome, "pressed")
    pressed = outcome if what == "pressed" else ""
    _report(keep, made["to"], {"what": what, "key": key, "words": "", "pressed": pressed})


def ring_out(keep: Keep) -> None:
    """Nobody rings forever."""
    for each in keep.all("calls"):
        if each["state"] == "ringing" and time.time_ns() - int(each["at"]) > RING_SECONDS * 1e9:
            _end_call(keep, each["id"], "out")


def add_reply(keep: Keep, phone: str, words: str) -> int:
    """A text from this phone; its number."""
    with keep.lock:
        number = 1 + max((int(each["number"]) for each in keep.all("replies")), default=0)
        said = {"number": number, "from": phone, "words": words, "taken": False, "at": time.time_ns()}
        keep.put("replies", str(number), said)
    _report(keep, phone, {"what": "reply", "number": number, "from": phone, "words": words})
    return number


def _page(keep: Keep) -> str:
    """Every phone with its talk, the one that heard last on top."""
    talk: dict[str, list[tuple[str, str]]] = defaultdict(list)
    spoken = [
        *((each, "to") for each in keep.all("texts")),
        *((each, "call") for each in keep.all("calls")),
        *((each, "from") for each in keep.all("replies")),
    ]
    for each, side in sorted(spoken, key=lambda pair: int(pair[0].get("at", 0))):
        phone = each["from"] if side == "from" else each["to"]
        talk.setdefault(phone, talk.pop(phone, []))
        ringing = side == "call" and each["state"] == "ringing"
        words = html.escape(each["words"])
        talk[phone].append((side, words + (_buttons(each["id"]) if ringing else "")))
    phones = list(reversed(talk.items()))[:MOST_PHONES]
    found = "".join(_phone(keep, phone, lines) for phone, lines in phones)
    return (
        "<!doctype html><html lang=en><meta name=viewport content='width=device-width'><title>Patients’"
        " phones</title><style>body{font:16px sans-serif;max-width:46rem;margin:1rem auto;padding:0 1rem}"
        "section{border-top:1px solid #999;padding:.5rem 0}.to,.call{margin:.2rem 4rem .2rem 0}"
        ".call{font-style:"
        "italic}.from{margin:.2rem 0 .2rem 4rem;font-weight:bold;text-align:right}form{display:inline}"
        "</style><h1>Patients’ phones, simulated</h1>"
        f"{found or '<p>No texts or calls yet.</p>'}</html>"
    )


def _buttons(key: str) -> str:
    choices = "".join(
        f"<button name=outcome value={name}>{words}</button> " for name, words in OUTCOMES.items()
    )
    return f"<br><form method=post action='/phones/calls/{html.escape(key)}'>{choices}</form>"


def _phone(keep: Keep, phone: str, lines: list[tuple[str, str]]) -> str:
    said = "".join(f"<p class={side}>{'☎ ' if side == 'call' else ''}{words}</p>" for side, words in lines)
    name, mode = html.escape(phone), _mode(keep, phone)
    modes = "".join(
        f"<option value={each}{' selected' if each == mode else ''}>{words}</option>"
        for each, words in MODES.items()
    )
    return (
        f"<section id=p{name}><h2>{name}</h2>{said}<form method=post action=/phones/{name}><input name=words"
        f" aria-label='Answer from {name}' size=40 autocomplete=off><button>Send</button> <button name=words"
        " value=YES>YES</button> <button name=words value=NO>NO</button> <button name=words"
        f" value=STOP>STOP</button></form> <form method=post action=/phones/{name}><select name=mode"
        f" aria-label='How {name} behaves'>{modes}</select><button>This phone</button></form></section>"
    )

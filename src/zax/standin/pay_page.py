"""The card door's own page: the clinic asks for an address to send somebody to, the card is typed there and
nowhere else, and the browser comes back. What became of it is told by the key, as for a sale at the terminal.
A bank may take a payment back later.

Cards for trying out: any number that passes the check digit is approved; one that ends in 0002 is declined.
"""

from __future__ import annotations

import html
import re
import secrets
import time
import uuid

from fastapi import FastAPI, Form, Header, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel

from zax.standin.keep import Json, Keep

OPEN_SECONDS = 20 * 60
DECLINED_ENDING = "0002"
_STYLE = (
    "<style>body{font:17px/1.5 system-ui,sans-serif;max-width:440px;margin:24px auto;padding:0 16px;"
    "background:#f2f4f7;color:#1b2733}label{display:block;margin-top:12px}input{font:inherit;width:100%;"
    "box-sizing:border-box;padding:10px;border:1px solid #7b8794}button,a{font:inherit;display:block;"
    "width:100%;box-sizing:border-box;margin-top:18px;padding:13px;text-align:center}button{background:"
    "#1b2733;color:#fff;border:0}.bad{color:#a3211b}</style>"
)


class PageOrder(BaseModel):
    """What is to be paid (cents), for what in words, and where the browser goes afterwards."""

    cents: int
    words: str
    back: str


def pay_pages(app: FastAPI, keep: Keep) -> None:
    """The clinic's side under /pay-pages, the payer's page under /pay."""

    @app.post("/pay-pages")
    def open_page(order: PageOrder, request: Request, idempotency_key: str = Header()) -> dict[str, str]:
        with keep.lock:
            known = keep.get("pay_keys", idempotency_key)
            if known is None:
                known = {"token": secrets.token_urlsafe(16)}
                page = order.model_dump() | {"key": idempotency_key, "until": time.time() + OPEN_SECONDS}
                keep.put("pay_pages", known["token"], page)
                keep.put("pay_keys", idempotency_key, known)
        return {"url": f"{str(request.base_url).rstrip('/')}/pay/{known['token']}"}

    @app.get("/pay-pages/taken-back")
    def taken_back() -> list[Json]:
        return keep.all("taken_back")

    @app.delete("/pay-pages/taken-back/{number}", status_code=204)
    def noted(number: str) -> Response:
        keep.remove("taken_back", number)
        return Response(status_code=204)

    @app.get("/pay-pages/{key}")
    def look_up(key: str) -> Json:
        """What became of it; open while the page can still be paid on."""
        sale = keep.get("sales", key)
        if sale is not None:
            return sale
        known = keep.get("pay_keys", key)
        page = keep.get("pay_pages", known["token"]) if known else None
        if page is None or page["until"] < time.time():
            raise HTTPException(404, "nothing was paid")
        return {"key": key, "state": "open"}

    @app.delete("/pay-pages/{key}", status_code=204)
    def shut(key: str) -> Response:
        """Nobody can pay on it anymore."""
        with keep.lock:
            known = keep.get("pay_keys", key)
            page = keep.get("pay_pages", known["token"]) if known else None
            if known and page:
                keep.put("pay_pages", known["token"], page | {"until": 0})
        return Response(status_code=204)

    @app.get("/pay/{token}")
    def show(token: str, wrong: str = "") -> HTMLResponse:
        return HTMLResponse(_page(token, _open(keep, token), wrong))

    @app.post("/pay/{token}")
    def pay(token: str, number: str = Form(""), expires: str = Form(""), code: str = Form("")) -> Response:
        page = _open(keep, token)
        digits = re.sub(r"\D", "", number)
        if (
            not _passes(digits)
            or not re.fullmatch(r"\d\d ?/ ?\d\d", expires.strip())
            or not code.strip().isdecimal()
        ):
            return HTMLResponse(_page(token, page, "Please check the number, the date and the code."), 422)
        with keep.lock:
            _open(keep, token)
            keep.put("sales", page["key"], _sale(page, digits))
        return RedirectResponse(page["back"], 303)

    @app.post("/sales/{key}/take-back")
    def take_back(key: str, why: str = Form("the cardholder disputes it")) -> RedirectResponse:
        """The bank takes a payment back, as somebody at the stand-in's own page says."""
        if keep.get("sales", key) is None:
            raise HTTPException(404, "no such sale")
        number = f"{time.time_ns()}"
        keep.put("taken_back", number, {"number": number, "key": key, "why": why[:120]})
        return RedirectResponse("/", 303)


def _open(keep: Keep, token: str) -> Json:
    page = keep.get("pay_pages", token)
    if page is None or page["until"] < time.time() or keep.get("sales", page["key"]) is not None:
        raise HTTPException(410, "This page is over. Nothing more can be paid here.")
    return page


def _passes(digits: str) -> bool:
    """Luhn's check (ISO/IEC 7812-1)."""
    if not 13 <= len(digits) <= 19:
        return False
    odd = [int(d) for d in digits[-1::-2]]
    even = [sum(divmod(2 * int(d), 10)) for d in digits[-2::-2]]
    return (sum(odd) + sum(even)) % 10 == 0


def _sale(page: Json, digits: str) -> Json:
    """The bank's answer; the number is kept nowhere."""
    if digits.endswith(DECLINED_ENDING):
        return {
            "key": page["key"],
            "cents": page["cents"],
            "state": "declined",
            "words": "the bank refuses this card",
        }
    return {
        "key": page["key"],
        "cents": page["cents"],
        "state": "approved",
        "card_ending": digits[-4:],
        "reference": f"W{uuid.uuid5(uuid.NAMESPACE_OID, page['key']).int % 10**8:08d}",
    }


def _page(token: str, page: Json, wrong: str) -> str:
    amount = f"${page['cents'] // 100:,}.{page['cents'] % 100:02d}"
    bad = f"<p class=bad role=alert>{html.escape(wrong)}</p>" if wrong else ""
    return (
        "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width,"
        f" initial-scale=1'><title>Card payment, simulated</title>{_STYLE}<h1>Pay {amount}</h1>"
        f"<p>{html.escape(page['words'])}</p><p>A simulated card service. No real card, please: try 4242 4242"
        f" 4242 4242.</p>{bad}<form method=post action='/pay/{token}'><label>Card number<input name=number"
        " inputmode=numeric autocomplete=cc-number autofocus></label><label>Valid until, month / year<input"
        " name=expires"
        " placeholder='08/29' autocomplete=cc-exp></label><label>Code on the back<input name=code"
        " inputmode=numeric"
        f" autocomplete=cc-csc></label><button>Pay {amount}</button></form><a"
        f" href='{html.escape(page['back'])}'>Don’t"
        " pay now</a>"
    )

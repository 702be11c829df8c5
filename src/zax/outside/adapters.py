"""The real adapters over HTTP for terminal, pay page and clearinghouse, and the doors put together. Time
limits are set on every call.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

import httpx

from zax.core.json import Json
from zax.outside.doors import (
    DoorRefused,
    Incoming,
    Mailbox,
    NoMailbox,
    Outside,
    OutsideTrouble,
    PayerPage,
    Sale,
    TakenBack,
)
from zax.outside.gateways import HttpCalls, HttpTexts
from zax.outside.http import client
from zax.outside.sftp import SftpClearinghouse, SftpPlace
from zax.outside.smtp import SmtpMail
from zax.outside.trouble import returned_an_error, trouble_at

_STATES = {"approved", "declined"}


def _sale(answer: object) -> Sale:
    if not isinstance(answer, dict) or answer.get("state") not in _STATES:
        return Sale(state="unknown", words="the terminal is still working on it")
    return Sale(
        state=answer["state"],
        words=str(answer.get("words", "")),
        card_ending=str(answer.get("card_ending", ""))[:4],
        reference=str(answer.get("reference", ""))[:40],
        cents=answer["cents"] if isinstance(answer.get("cents"), int) else None,
        token=str(answer.get("token", ""))[:64],
        expires=str(answer.get("expires", ""))[:5],
    )


class HttpTerminal:
    def __init__(self, url: str, seconds: float, token: str = "") -> None:
        self.client = client(url, seconds, token)

    def sell(self, key: str, cents: int, token: str = "", keep: bool = False) -> Sale:
        return self._ask(key, {"cents": cents, "token": token, "keep": keep})

    def give_back(self, key: str, cents: int, reference: str) -> Sale:
        return self._ask(key, {"cents": -cents, "reference": reference})

    def _ask(self, key: str, order: Json) -> Sale:
        try:
            answer = self.client.post("/terminal/sales", json=order, headers={"Idempotency-Key": key})
            return _sale(answer.raise_for_status().json())
        except (httpx.HTTPError, ValueError) as error:
            return Sale(state="unknown", words=f"no answer from the terminal ({type(error).__name__})")

    def look_up(self, key: str) -> Sale:
        try:
            answer = self.client.get(f"/terminal/sales/{key}")
            if answer.status_code == 404:
                return Sale(state="absent", words="the terminal never received it")
            return _sale(answer.raise_for_status().json())
        except (httpx.HTTPError, ValueError) as error:
            raise trouble_at("terminal", error) from error


class HttpPayPage:
    def __init__(self, url: str, seconds: float = 10, token: str = "") -> None:
        self.client = client(url, seconds, token)

    def open(self, key: str, cents: int, words: str, back: str) -> str:
        order = {"cents": cents, "words": words, "back": back}
        answer = self._call("POST", "/pay-pages", json=order, headers={"Idempotency-Key": key})
        return str(answer.json()["url"])

    def look_up(self, key: str) -> Sale:
        try:
            answer = self.client.get(f"/pay-pages/{quote(key)}")
            if answer.status_code == 404:
                return Sale(state="absent", words="nothing was paid on the page")
            told = answer.raise_for_status().json()
            return Sale(state="unknown", words="not paid yet") if told["state"] == "open" else _sale(told)
        except (httpx.HTTPError, ValueError, KeyError) as error:
            raise trouble_at("pay page", error) from error

    def shut(self, key: str) -> Sale:
        self._call("DELETE", f"/pay-pages/{quote(key)}")
        return self.look_up(key)

    def taken_back(self) -> list[TakenBack]:
        try:
            told = self._call("GET", "/pay-pages/taken-back").json()
            return [TakenBack(str(each["number"]), str(each["key"]), str(each["why"])) for each in told]
        except (ValueError, KeyError, TypeError) as error:
            raise trouble_at("pay page", error) from error

    def noted(self, number: str) -> None:
        self._call("DELETE", f"/pay-pages/taken-back/{quote(number)}")

    def _call(self, method: str, path: str, **more: Any) -> httpx.Response:
        try:
            return self.client.request(method, path, **more).raise_for_status()
        except httpx.HTTPError as error:
            raise trouble_at("pay page", error) from error


class HttpClearinghouse:
    def __init__(self, url: str, seconds: float = 20, token: str = "") -> None:
        self.client = client(url, seconds, token)

    def deliver(self, key: str, name: str, text: str) -> None:
        self._call(
            "POST",
            "/clearinghouse/files",
            content=text.encode(),
            headers={"Idempotency-Key": key, "X-File-Name": name},
        )

    def collect(self) -> list[Incoming]:
        listed = self._call("GET", "/clearinghouse/mailbox").json()
        return [
            Incoming(
                str(each["id"]),
                str(each["name"]),
                self._call("GET", f"/clearinghouse/mailbox/{each['id']}").text,
            )
            for each in listed
        ]

    def ask(self, text: str) -> str:
        return self._call("POST", "/clearinghouse/eligibility", content=text.encode()).text

    def ask_status(self, text: str) -> str:
        return self._call("POST", "/clearinghouse/status", content=text.encode()).text

    def payers(self, after: str) -> PayerPage:
        asked = self._call("GET", f"/clearinghouse/payers?after={quote(after)}")
        total = asked.headers.get("X-Total", "")
        return PayerPage(asked.text, int(total) if total.isascii() and total.isdecimal() else 0)

    def confirm(self, file_id: str) -> None:
        self._call("DELETE", f"/clearinghouse/mailbox/{file_id}")

    def _call(
        self,
        method: str,
        path: str,
        content: bytes | None = None,
        headers: Mapping[str, str] | None = None,
    ) -> httpx.Response:
        try:
            asked = self.client.request(method, path, content=content, headers=headers)
            return asked.raise_for_status()
        except httpx.HTTPStatusError as error:
            raise _refused(error.response.status_code) from error
        except httpx.HTTPError as error:
            raise trouble_at("clearinghouse", error) from error


def _refused(status: int) -> OutsideTrouble:
    """What an error of the clearinghouse means: sign-in and load pass, a file it does not want does not."""
    if status in {401, 403}:
        return OutsideTrouble(f"The clearinghouse didn’t accept our sign-in ({status}).")
    if status == 413:
        return DoorRefused("The file is too large for the clearinghouse (413).")
    if status in {400, 415, 422}:
        return DoorRefused(f"The clearinghouse doesn’t take the file as it is ({status}).")
    return returned_an_error("clearinghouse", status)


def real_outside(
    url: str,
    smtp_port: int,
    terminal_seconds: float,
    folders: SftpPlace | None = None,
    mailbox: Mailbox | None = None,
) -> Outside:
    """The doors as the product uses them; in the demo the stand-in is behind each. With `folders` claim files
    go by SFTP.
    """
    online = HttpClearinghouse(url)
    house = SftpClearinghouse(folders, online) if folders else online
    return Outside(
        HttpTerminal(url, terminal_seconds),
        house,
        SmtpMail("127.0.0.1", smtp_port),
        HttpTexts(url),
        HttpCalls(url),
        mailbox or NoMailbox(),
        HttpPayPage(url),
    )

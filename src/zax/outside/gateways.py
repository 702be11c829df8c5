"""Texts and calls over HTTP. A message's key makes it go out once however often it is handed over, and the
gateway can be asked by it. What becomes of a message it tells by callbacks, each signed with a secret that
both sides have (zax.core.messages.signature).
"""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

import httpx

from zax.outside.doors import DoorRefused, OutsideTrouble, TextReply
from zax.outside.http import client
from zax.outside.trouble import returned_an_error, trouble_at


class _Gateway:
    """What both have in common. `name` is its word for people."""

    name = "gateway"
    path = "/"

    def __init__(self, url: str, seconds: float = 20, token: str = "") -> None:
        self.client = client(url, seconds, token)

    def knows(self, key: str) -> bool:
        answer = self._ask("GET", f"{self.path}/{quote(key, safe='')}")
        if answer.status_code == 404:
            return False
        self._check(answer)
        return True

    def _hand_over(self, key: str, to: str, order: dict[str, str]) -> None:
        answer = self._ask("POST", self.path, json={"to": to, **order}, headers={"Idempotency-Key": key})
        if answer.status_code == 422:
            raise DoorRefused(f"The {self.name} doesn’t take {to}.")
        self._check(answer)

    def _ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        try:
            return self.client.request(method, path, **more)
        except httpx.HTTPError as error:
            raise trouble_at(self.name, error) from error

    def _check(self, answer: httpx.Response) -> None:
        if answer.is_error:
            raise returned_an_error(self.name, answer.status_code)


class HttpTexts(_Gateway):
    name = "text gateway"
    path = "/texts"

    def send(self, key: str, to: str, words: str) -> None:
        self._hand_over(key, to, {"words": words})

    def replies(self) -> list[TextReply]:
        answer = self._ask("GET", "/texts/replies")
        self._check(answer)
        try:
            return [
                TextReply(int(each["number"]), str(each["from"]), str(each["words"]))
                for each in answer.json()
            ]
        except (ValueError, KeyError, TypeError) as error:
            raise OutsideTrouble("The text gateway answered something that isn’t a list of texts.") from error

    def taken(self, number: int) -> None:
        self._check(self._ask("POST", f"/texts/replies/{number}/taken"))


class HttpCalls(_Gateway):
    name = "voice gateway"
    path = "/calls"

    def place(self, key: str, to: str, words: str, language: str) -> None:
        self._hand_over(key, to, {"words": words, "language": language})

"""A desk as the clinic's people are: it books, takes payments, posts charges and imports payment files
through the pages, by HTTP alone, and presses again with the same form whenever it was not told how it ended.

What it was told is what is held against Zax afterwards (`judge`). An answer of 500, or a 503 that says
nothing, is held against it at once.
"""

from __future__ import annotations

import random
import re
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

import httpx

from zax.core.wording import money_words
from zax.demo.torture.ground import MINUTES, Ground, Slot, type_id
from zax.demo.world import PASSWORD

# What a page says that could not be made for want of the database or of room on the disk.
TOLD: Final = ("isn’t answering", "Either all of it went through or none of it did", "disk is full")
# What says that the first press had gone through.
ALREADY: Final = "already"
BEFORE: Final = "was imported before"
GIVE_UP_SECONDS = 120.0
CARD_SHARE, MAIL_SHARE, CHECKED_SHARE = 0.25, 0.4, 0.5
DEPOSITS = (100, 25_000)  # cents


@dataclass(frozen=True, slots=True)
class Done:
    """What a desk was told is done: a visit booked, a payment taken, charges posted, a file imported.
    `key` is the form's, the visit's number or the file's name.
    """

    kind: str
    key: str
    patient_id: int = 0
    slot: Slot | None = None
    cents: int = 0
    mailed: bool = False
    claims: tuple[str, ...] = ()


@dataclass(slots=True)
class Told:
    """What all desks were told so far; any thread may add to it."""

    done: list[Done] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, done: Done) -> None:
        with self._lock:
            self.done.append(done)

    def count(self, what: str) -> None:
        with self._lock:
            self.counts[what] = self.counts.get(what, 0) + 1

    def complain(self, what: str) -> None:
        with self._lock:
            self.wrong.append(what)


class Stopped(Exception):
    """The day is over."""


@dataclass(slots=True)
class FrontDesk:
    """One person at one browser."""

    number: int
    user: str
    url: str
    ground: Ground
    told: Told
    stop: threading.Event
    rng: random.Random
    imports: bool = True  # whether their role lets them
    token: str = ""
    at: int = 0
    client: httpx.Client = field(init=False)

    def __post_init__(self) -> None:
        self.client = httpx.Client(base_url=self.url, trust_env=False, timeout=30)

    def work(self) -> None:
        """Until told to stop; whatever it has begun it sees through."""
        try:
            self._sign_in()
            while not self.stop.is_set():
                act = self.rng.choices((self._book, self._pay, self._post, self._import), (50, 40, 6, 4))[0]
                act()
        except Stopped:
            pass  # was waiting for an answer that nobody is going to give
        finally:
            self.client.close()

    # --- what it does
    def _book(self) -> None:
        slot = self.ground.slot()
        if slot is None:
            return self._pay()
        key, patient = self._key(), self.rng.choice(self.ground.people)
        form = {
            "day": str(slot.day),
            "provider_id": str(slot.provider_id),
            "at": f"{slot.start // 60}:{slot.start % 60:02d}",
            "type_id": str(type_id()),
            "minutes": str(MINUTES),
            "patient_id": str(patient),
            "key": key,
        }
        answer = self._send("/book", form)
        if answer.status_code == 303:
            self.told.add(Done("booked", key, patient, slot))
        elif answer.status_code not in (409, 422):
            self.told.complain(f"booking answered {answer.status_code}")
        else:
            self.told.count("bookings refused, the time being gone")
        return None

    def _pay(self) -> None:
        key, patient = self._key(), self.rng.choice(self.ground.people)
        cents = self.rng.randint(*DEPOSITS)
        mailed = patient in self.ground.with_mail and self.rng.random() < MAIL_SHARE
        form = {
            "pick": "deposit",
            "for-deposit": money_words(cents),
            "tender": "card" if self.rng.random() < CARD_SHARE else "cash",
            "amount": money_words(cents),
            "receipt": "email" if mailed else "none",
            "key": key,
            "do": "pay",
        }
        answer = self._send(f"/pay/{patient}", form, key)
        if answer.status_code == 303 and "/receipts/" in answer.headers["location"]:
            self.told.add(Done("paid", key, patient, cents=cents, mailed=mailed))
        else:
            self.told.complain(f"payment of {cents} answered {answer.status_code}: {_gist(answer)}")

    def _post(self) -> None:
        visit = self.ground.visit()
        if visit is None:
            return self._pay()
        answer = self._send(f"/visits/{visit}/act/finish", {"back": "/day"})
        # Pressed again after a lost answer, the visit may be at checkout already: that is said, too.
        if answer.status_code == 303 or ALREADY in answer.text:
            self.told.add(Done("posted", str(visit)))
        else:
            self.told.complain(f"posting answered {answer.status_code}: {_gist(answer)}")
        return None

    def _import(self) -> None:
        file = self.ground.file() if self.imports else None
        if file is None:
            return self._book()
        answer = self._send("/claims/import", {"file_name": file.name, "file": file.content})
        if answer.status_code == 303 or BEFORE in answer.text:
            self.told.add(Done("imported", file.name, claims=file.claims))
        else:
            self.told.complain(f"import answered {answer.status_code}: {_gist(answer)}")
        return None

    # --- how it talks
    def _key(self) -> str:
        self.at += 1
        return f"storm-{self.number}-{self.at}"

    def _send(self, path: str, form: Mapping[str, str], money: str = "") -> httpx.Response:
        """The answer at last. With `money`, its key, a desk that was left in the dark sometimes looks at what
        became of it first, as the page offers.
        """
        dark, deadline = False, time.monotonic() + GIVE_UP_SECONDS
        while True:
            if dark and money and self.rng.random() < CHECKED_SHARE:
                found = self._try("GET", f"/pay/check/{money}?back={path}", {})
                if found is not None and "/receipts/" in found.headers.get("location", ""):
                    return found
            answer = self._try("POST", path, form)
            if answer is not None:
                return answer
            dark = True
            if time.monotonic() > deadline:
                self.told.complain(f"{path}: no answer in {GIVE_UP_SECONDS:.0f} s")
                raise Stopped
            time.sleep(self.rng.uniform(0.1, 0.5))

    def _try(self, method: str, path: str, form: Mapping[str, str]) -> httpx.Response | None:
        """None where it has to be tried again."""
        try:
            answer = self.client.request(method, path, data={"csrf": self.token, **form} if form else None)
        except httpx.TransportError:
            self.told.count("no answer: the desk presses again")
            return None
        if answer.status_code == 503:
            self.told.count("told to press again")
            if not any(each in answer.text for each in TOLD):
                self.told.complain(f"{path} answered 503 without a word: {_gist(answer)}")
            return None
        if answer.status_code >= 500:
            self.told.complain(f"{path} answered {answer.status_code}: {_gist(answer)}")
            return None
        if _asks_to_sign_in(answer):
            self.told.count("signed in again")
            self._sign_in()
            return None
        return answer

    def _sign_in(self) -> None:
        """Whatever happens meanwhile."""
        deadline = time.monotonic() + GIVE_UP_SECONDS
        while time.monotonic() < deadline:
            try:
                self.client.cookies.clear()
                page = self.client.get("/sign-in")
                if page.status_code == 200:
                    form = {"csrf": _token(page), "name": self.user, "password": PASSWORD, "to": "/day"}
                    answer = self.client.post("/sign-in", data=form)
                    if answer.status_code == 303:
                        self.token = _token(self.client.get("/keys"))
                        return
            except (httpx.TransportError, LookupError):
                pass  # struck in the middle: again
            time.sleep(0.3)
        raise Stopped


def _asks_to_sign_in(answer: httpx.Response) -> bool:
    if answer.status_code == 303:
        return answer.headers["location"].startswith("/sign-in")
    return answer.status_code in (200, 401, 403) and 'action="/sign-in' in answer.text


def _token(page: httpx.Response) -> str:
    found = re.search(r'name="csrf" value="([^"]+)"', page.text)
    if found is None:
        raise LookupError("no token")
    return found[1]


def _gist(answer: httpx.Response) -> str:
    """The words of a page, without its tags; of a problem on it, those."""
    said = re.findall(r'class="[^"]*\berr\b[^"]*"[^>]*>(.*?)</', answer.text, flags=re.S)
    words = " ".join(said) or answer.text.partition("<main")[2]
    return " ".join(re.sub(r"<[^>]+>", " ", words).split())[:300]

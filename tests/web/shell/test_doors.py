"""The doors: tries and sessions, form tokens, hosts, sizes."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.conftest import add_patient, scalar
from tests.web.conftest import Browser, hidden
from zax import processes
from zax.core.errors import Refused
from zax.core.people.roles import SHIPPED
from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.desk.people import sessions, sign_in
from zax.desk.people.sessions import LONGEST, open_session, who_is
from zax.desk.people.tries import LIMITS
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.web.app import create_app
from zax.web.shell.body_limit import MOST_FORM, MOST_UPLOAD
from zax.web.shell.form_token import NO_SESSION, FormKey


# --- tries
class SlowHasher:
    """Counts how many are checked, and how many at once."""

    def __init__(self) -> None:
        self.checked = self.now = self.most = 0
        self.turn = threading.Lock()

    def verify(self, stored: str, password: str) -> bool:
        with self.turn:
            self.checked, self.now = self.checked + 1, self.now + 1
            self.most = max(self.most, self.now)
        threading.Event().wait(0.02)
        with self.turn:
            self.now -= 1
        return password == PASSWORD

    def hash(self, password: str) -> str:
        return "x"


@pytest.fixture
def hasher(monkeypatch: pytest.MonkeyPatch) -> Iterator[SlowHasher]:
    made = SlowHasher()
    monkeypatch.setattr(sign_in, "hasher", made)
    yield made
    sign_in.nobody.cache_clear()  # it may hold what this one made


def test_tries_are_counted_before_they_are_judged_and_two_are_checked_at_once(
    desk: Desk, hasher: SlowHasher
) -> None:
    """Kills: judging forty passwords that were all sent before the first was counted."""

    def guess(number: int) -> str:
        try:
            sign_in.authenticate(desk, "juno", f"guess {number}", "1.2.3.4")
        except Refused as error:
            return error.message
        raise AssertionError("guessed")

    with ThreadPoolExecutor(20) as pool:
        said = list(pool.map(guess, range(40)))
    assert hasher.checked == LIMITS.pair == sum("don’t match" in each for each in said)
    assert hasher.most <= 2


def test_a_name_an_address_and_all_together_have_limits_of_their_own(desk: Desk, hasher: SlowHasher) -> None:
    def tries(name: str, address: str, most: int) -> int:
        for number in range(most):
            with pytest.raises(Refused) as refused:
                sign_in.authenticate(desk, name.format(number), "x", address.format(number))
            if "Too many" in refused.value.message:
                return number
        return most

    assert tries("juno", "1.1.1.{}", 99) == LIMITS.name
    assert tries("nobody{}", "9.9.9.9", 99) == LIMITS.address
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE sign_in_try SET sign_in = id, address = id"))
    before = scalar(desk, "SELECT COUNT(*) FROM sign_in_try")
    assert tries("somebody{}", "8.8.{}.8", 999) == LIMITS.altogether - before


# --- sessions
def copy_of(web: Browser) -> dict[str, str]:
    """The cookies as somebody else may have taken them."""
    return dict(web.client.cookies)


def test_signing_out_ends_the_session_for_whoever_has_its_cookie(juno: Browser) -> None:
    taken = copy_of(juno)
    assert juno.get("/day").status_code == 200
    juno.post("/sign-out")
    juno.client.cookies.update(taken)
    assert juno.get("/day").headers["location"].startswith("/sign-in")


def test_a_manager_signs_somebody_out_everywhere(
    juno: Browser, desk: Desk, tmp_path: Path, outside: Outside
) -> None:
    with TestClient(create_app(desk, outside, Settings(var=tmp_path)), base_url="http://127.0.0.1") as client:
        sam = Browser(client).sign_in("sam")
        assert "Juno Park" in sam.get("/setup/signed-in").text
        assert sam.post("/setup/signed-in/1").status_code == 303
        assert "Juno Park" not in sam.get("/setup/signed-in").text
        assert "isn’t signed in anywhere" in sam.get(sam.post("/setup/signed-in/1").headers["location"]).text
        assert sam.get("/day").status_code == 200
    assert juno.get("/day").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'sessions.ended'") == 1


def test_a_new_password_and_twelve_hours_end_a_session(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    one, two = open_session(desk, 1), open_session(desk, 2)

    def name(secret: str) -> str:
        with desk.engine.connect() as connection:
            actor = who_is(connection, secret, SHIPPED)
        return actor.name if actor else ""

    assert (name(one), name(two), name("guess")) == ("Juno Park", "Ravi Teller", "")
    assert scalar(desk, "SELECT COUNT(*) FROM session WHERE token_hash = :t", t=one) == 0  # a hash is kept
    kept = scalar(desk, "SELECT password_hash FROM user WHERE id = 2")
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE user SET password_hash = CONCAT(password_hash, 'x') WHERE id = 2"))
    try:
        assert (name(one), name(two)) == ("Juno Park", "")
    finally:
        with desk.engine.begin() as connection:
            connection.execute(text("UPDATE user SET password_hash = :kept WHERE id = 2"), {"kept": kept})
    real = sessions.system_now
    monkeypatch.setattr(sessions, "system_now", lambda: real() + LONGEST - timedelta(minutes=1))
    assert name(one) == "Juno Park"
    monkeypatch.setattr(sessions, "system_now", lambda: real() + LONGEST + timedelta(seconds=1))
    assert name(one) == ""


def test_a_stream_ends_with_its_session(juno: Browser, desk: Desk) -> None:
    import asyncio

    from zax.web.shell.live import Feed, stream

    async def heard() -> list[str]:
        feed = Feed(desk.engine, desk)
        good = [True, False]

        async def still() -> bool:
            return good.pop(0)

        told = stream(feed, still)
        found = [await anext(told)]
        for listener in feed.listeners:
            listener.put_nowait({"day": "a"})
            listener.put_nowait({"day": "b"})
        found += [each async for each in told]
        return found

    hello, change = asyncio.run(heard())
    assert "hello" in hello and '"a"' in change


def test_over_tls_cookies_are_for_tls_and_this_host_alone(
    desk: Desk, outside: Outside, tmp_path: Path
) -> None:
    app = create_app(desk, outside, Settings(var=tmp_path, tls=True))
    with TestClient(app, base_url="https://127.0.0.1") as client:
        always = client.get("/sign-in").headers["strict-transport-security"]
        assert always == "max-age=31536000"
        page = client.get("/sign-in").text
        form = {"csrf": hidden(page, "csrf"), "name": "juno", "password": PASSWORD, "to": "/day"}
        answer = client.post("/sign-in", data=form, follow_redirects=False)
        kept = " ".join(answer.headers.get_list("set-cookie"))
        assert answer.status_code == 303 and "__Host-zax_session=" in kept and "secure" in kept.lower()
        assert "__Host-zax_form" in client.cookies
        assert client.get("/day", follow_redirects=False).status_code == 200


# --- form tokens
def test_a_form_is_good_for_its_person_only_and_outlives_their_session(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    page = juno.get(f"/patients/{patient}").text
    old = hidden(page, "csrf")

    def note(token: str) -> Any:
        data = {"csrf": token, "note": "hello"}
        return juno.client.post(f"/patients/{patient}/act/note", data=data, follow_redirects=False)

    assert note(old).status_code == 303
    changed = old[:-1] + ("1" if old.endswith("0") else "0")
    for bad in ("", "x", changed, NO_SESSION + old[old.index(".") :], "é.ü"):
        assert note(bad).status_code == 403
    juno.post("/sign-out")
    assert note(old).status_code == 401  # kept, to be sent once they are back
    juno.sign_in("sam")
    assert note(old).status_code == 403  # not in somebody else's name
    juno.post("/sign-out")
    juno.sign_in("juno")
    assert note(old).status_code == 303


def test_a_token_of_another_browser_or_secret_is_none() -> None:
    key = FormKey((b"secret",), "browser")
    token = key.token("abc")
    assert key.mark_in(token) == "abc"
    assert FormKey((b"secret",), "other").mark_in(token) is None
    assert FormKey((b"other",), "browser").mark_in(token) is None
    assert FormKey((b"secret",), "").mark_in(FormKey((b"secret",), "").token("abc")) is None


# --- hosts, proxies, sizes
def test_only_our_own_names_are_answered(web: Browser) -> None:
    assert web.get("/sign-in").status_code == 200
    assert web.get("/sign-in", headers={"host": "evil.example"}).status_code == 400


@pytest.mark.parametrize(("proxy", "trusted"), [("", False), ("10.0.0.7", True)])
def test_a_forwarded_address_counts_only_from_the_named_proxy(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, proxy: str, trusted: bool
) -> None:
    asked: dict[str, Any] = {}
    monkeypatch.setenv("ZAX_PROXY", proxy)
    monkeypatch.setattr(processes, "desk_of", lambda settings: None)
    monkeypatch.setattr(processes, "create_app", lambda *_: None)
    monkeypatch.setattr(uvicorn, "run", lambda app, **more: asked.update(more))
    processes.serve_web()
    assert (asked["proxy_headers"], asked["forwarded_allow_ips"]) == (trusted, proxy or None)


def test_what_is_too_large_is_refused_before_it_is_read(web: Browser, juno: Browser) -> None:
    def send(size: int, kind: str, cookies: bool = True) -> int:
        client = juno.client if cookies else TestClient(juno.client.app, base_url="http://127.0.0.1")
        headers = {"content-type": kind, "content-length": str(size)}
        return int(client.post("/sign-in", content=b"x", headers=headers).status_code)

    form, upload = "application/x-www-form-urlencoded", "multipart/form-data; boundary=b"
    assert send(MOST_FORM + 1, form) == 413 and send(10**30, form) == 413
    assert send(MOST_UPLOAD + 1, upload) == 413
    assert send(MOST_FORM + 1, upload, cookies=False) == 413
    assert send(MOST_FORM + 1, upload) != 413


def test_what_does_not_say_its_size_is_cut_off_while_it_is_read(juno: Browser) -> None:
    sent = 0

    def endless() -> Iterator[bytes]:
        nonlocal sent
        for _ in range(200):
            sent += 64 * 1024
            yield b"x" * 64 * 1024

    answer = juno.client.post(
        "/book", content=endless(), headers={"content-type": "application/x-www-form-urlencoded"}
    )
    assert answer.status_code == 413 and "25 MB" in answer.text
    assert sent > 0

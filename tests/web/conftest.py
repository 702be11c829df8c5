"""A signed-in browser without a browser: the real application on the test database, with the outside
faked.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from zax.demo.world import PASSWORD
from zax.desk.acts.transaction import Desk
from zax.outside.doors import Outside
from zax.settings import Settings
from zax.store.vault import Vault
from zax.web.app import create_app


class Browser:
    """GET and POST with the form token filled in, as pages do it."""

    def __init__(self, client: TestClient) -> None:
        self.client = client
        self.tokens: dict[str, str] = {}

    @property
    def vault(self) -> Vault:
        """That of the application behind it."""
        found: Vault = self.client.app.state.shared.vault  # type: ignore[attr-defined]
        return found

    @property
    def token(self) -> str:
        """That of a page of this session, as a page carries it."""
        session = self.client.cookies.get("zax_session", "")
        if session not in self.tokens:
            page = "/keys" if session else "/sign-in"
            found = hidden(self.client.get(page, follow_redirects=True).text, "csrf")
            self.tokens = {session: found, self.client.cookies.get("zax_session", ""): found}
        return self.tokens[self.client.cookies.get("zax_session", "")]

    def sign_in(self, name: str) -> Browser:
        answer = self.post("/sign-in", name=name, password=PASSWORD, to="/day")
        assert answer.status_code == 303, answer.text
        return self

    def get(self, path: str, **more: Any) -> Any:
        return self.client.get(path, follow_redirects=False, **more)

    def post(self, path: str, **fields: Any) -> Any:
        """A form as a browser sends it; a list is a field that comes several times."""
        sent = {k: [str(each) for each in v] if isinstance(v, list) else str(v) for k, v in fields.items()}
        return self.client.post(path, data={"csrf": self.token} | sent, follow_redirects=False)


def hidden(page: str, name: str) -> str:
    """The value of a hidden field on a page."""
    found = re.search(rf'name="{name}" value="([^"]*)"', page)
    assert found, f"no field {name}"
    return found[1]


@pytest.fixture
def web(desk: Desk, outside: Outside, tmp_path: Path) -> Iterator[Browser]:
    app = create_app(desk, outside, Settings(var=tmp_path))
    with TestClient(app, base_url="http://127.0.0.1") as client:
        yield Browser(client)


@pytest.fixture
def juno(web: Browser) -> Browser:
    return web.sign_in("juno")


@pytest.fixture
def sam(web: Browser) -> Browser:
    return web.sign_in("sam")


@pytest.fixture
def odile(web: Browser) -> Browser:
    return web.sign_in("odile")


@pytest.fixture
def ines(web: Browser) -> Browser:
    return web.sign_in("ines")

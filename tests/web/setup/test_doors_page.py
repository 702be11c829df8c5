"""The doors on their page: what is wrong stands beside its door, secrets are never shown again, a try
tells.
"""

from __future__ import annotations

from tests.conftest import free_port, scalar
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk

TOKEN = "a token of the gateway"


def test_the_page_keeps_what_was_typed_and_shows_no_secret(sam: Browser, desk: Desk) -> None:
    fields = {"address-texts": "http://elsewhere.example.com", "address-mail": "smtps://mail.example.com"}
    page = sam.post("/setup/doors", **fields)
    assert page.status_code == 422 and "Only https:// is safe" in page.text and "smtps://mail" in page.text
    assert scalar(desk, "SELECT COUNT(*) FROM setting WHERE name = 'doors'") == 0
    fields = {"address-texts": f"http://127.0.0.1:{free_port()}", "secret-texts": TOKEN}
    assert sam.post("/setup/doors", **fields).status_code == 303
    page = sam.get("/setup/doors").text
    assert TOKEN not in page and 'placeholder="kept"' in page and page.count("not set up") == 7


def test_a_try_answers_on_the_page_and_changes_nothing(sam: Browser, desk: Desk) -> None:
    sam.post("/setup/doors", **{"address-texts": "https://texts.example.com"})
    before = scalar(desk, "SELECT COUNT(*) FROM setup_change")
    page = sam.post("/setup/doors", **{"try": "all"})
    assert page.status_code == 200 and page.text.count('class="dr-') > 8
    assert scalar(desk, "SELECT COUNT(*) FROM setup_change") == before

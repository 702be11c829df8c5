"""The letter about a payer's contract: what is ticked is in it, what is wrong keeps what was typed."""

from __future__ import annotations

import io

import pikepdf
import pytest

from tests.desk.remits.test_below_contract import listed, payer_of, underpaid
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk


def test_from_the_list_to_one_letter_and_its_answers(odile: Browser, desk: Desk) -> None:
    (_, one), (_, two) = underpaid(desk, "1", 3_000), underpaid(desk, "2", 1_250)
    base = f"/claims/denied/payer/{payer_of(desk)}"
    sums = odile.get("/claims/denied").text
    assert base in sums and "all 2 services" in " ".join(sums.split()) and "42.50" in sums
    page = odile.get(base).text
    assert page.count(" checked") == 2 and "120.00" in page and "150.00" in page and "{payer}" in page
    content = odile.post(f"{base}/letter.pdf", text="Pay {amount}.", line=[one.id, two.id]).content
    assert len(pikepdf.open(io.BytesIO(content)).pages) == 1
    sent = odile.post(f"{base}/send", text="Pay {amount}.", line=[one.id])
    assert sent.status_code == 303 and [each.id for each in listed(desk, payer_of(desk))] == [two.id]
    assert odile.get(f"/claims/denied/{one.id}/sent.pdf").content.startswith(b"%PDF-")
    assert "its service" in odile.get("/claims/denied").text


@pytest.mark.parametrize(
    ("text", "says"),
    [(" ", "The letter is empty"), ("Dear {doctor}", "isn’t a place"), ("Pay it.", "Tick the")],
)
def test_what_is_wrong_is_said_and_what_was_typed_stays(
    odile: Browser, desk: Desk, text: str, says: str
) -> None:
    _, short = underpaid(desk, "1")
    base = f"/claims/denied/payer/{payer_of(desk)}"
    for act in ("send", "letter.pdf"):
        answer = odile.post(f"{base}/{act}", text=text, line=[] if says.startswith("Tick") else [short.id])
        assert answer.status_code == 422 and says in answer.text and text.strip() in answer.text
    assert len(listed(desk, payer_of(desk))) == 1


def test_a_payer_who_keeps_to_its_contract_or_isnt_there(odile: Browser, desk: Desk) -> None:
    assert "keeps to its contract" in odile.get(f"/claims/denied/payer/{payer_of(desk)}").text
    assert odile.get("/claims/denied/payer/999999").status_code == 404
    assert odile.post("/claims/denied/payer/999999/send", text="x").status_code == 404

"""Denied and underpaid lines on their page: listed by what to do, one open with its letter, each decision."""

from __future__ import annotations

from sqlalchemy import insert

from tests.conftest import scalar
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import waiting_claims
from tests.desk.remits.test_denials import denied
from tests.desk.remits.test_taking_back import parts, state, take
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.store import schema


def test_they_stand_under_what_to_do_and_are_narrowed_by_the_address(odile: Browser, desk: Desk) -> None:
    assert "Nothing is denied or short" in odile.get("/claims/denied").text
    denied(desk, "50"), denied(desk, "16", 12_345)
    (paid,) = waiting_claims(desk, 1, [(10_000, 0)])
    take(desk, "U", paid.said((8_000, [("CO", "97", 2_000)])))
    page = odile.get("/claims/denied").text
    assert "3 lines" in page and "$343.45" in page and page.index("123.45") != page.index("200.00")
    only = odile.get("/claims/denied?reason=CO+16").text
    assert "1 line<" in only and "123.45" in only and "200.00" not in only
    assert "1 line<" in odile.get("/claims/denied?from=150").text
    assert "3 lines" in odile.get("/claims/denied?work=nonsense&age=7&payer=x&from=-1").text


def test_the_letter_is_drafted_printed_changed_and_sent(odile: Browser, desk: Desk) -> None:
    claim, short = denied(desk, "197")
    at = f"/claims/denied/{short.id}"
    opened = odile.get(f"/claims/denied?open={short.id}").text
    assert claim.number in opened and "We ask you to decide again." in opened
    assert odile.get(f"{at}/sent.pdf").status_code == 404
    assert odile.post(f"{at}/letter.pdf", text="Pay it.").content.startswith(b"%PDF-")
    empty = odile.post(f"{at}/appeal", text="  ")
    assert empty.status_code == 422 and "The letter is empty" in empty.text
    assert "We ask you to decide again." not in empty.text
    long = odile.post(f"{at}/appeal", text="mine " * 900)
    assert long.status_code == 422 and "mine mine" in long.text
    assert odile.post(f"{at}/appeal", text="Pay it.").headers["location"] == f"/claims/denied?open={short.id}"
    assert "Answer by" in odile.get(f"/claims/denied?open={short.id}").text
    assert odile.get(f"{at}/sent.pdf").content.startswith(b"%PDF-")
    odile.post(f"{at}/answered", won="no", why="no new facts")
    assert "Appeal turned down: no new facts." in odile.get(f"/claims/denied?open={short.id}").text
    assert parts(desk, claim) == (0, 20_000) and state(desk, claim) == "denied"


def test_it_is_billed_written_off_or_left_only_with_a_reason(odile: Browser, desk: Desk) -> None:
    (first, a), (second, b), (third, c) = denied(desk, "27"), denied(desk), denied(desk)
    wrong = odile.post(f"/claims/denied/{b.id}/decide", how="writeoff", why="")
    assert wrong.status_code == 422 and 'id="err-why"' in wrong.text and parts(desk, second) == (0, 20_000)
    assert odile.post(f"/claims/denied/{b.id}/decide", how="leave", why=" ").status_code == 422
    assert odile.post(f"/claims/denied/{b.id}/decide", how="sing", why="la").status_code == 422
    odile.post(f"/claims/denied/{a.id}/decide", how="patient", why="the plan ended")
    odile.post(f"/claims/denied/{b.id}/decide", how="writeoff", why="filed late by us")
    odile.post(f"/claims/denied/{c.id}/decide", how="leave", why="settled by phone")
    assert [parts(desk, each) for each in (first, second, third)] == [(20_000, 0), (0, 0), (0, 20_000)]
    assert "Nothing is denied or short" in odile.get("/claims/denied").text and agrees(desk)
    assert "<b>Decided:</b> written off" in odile.get(f"/claims/denied?open={b.id}").text


def test_a_write_off_beyond_the_limit_keeps_its_words_and_posts_nothing(odile: Browser, desk: Desk) -> None:
    claim, short = denied(desk, "50", 40_000)
    answer = odile.post(f"/claims/denied/{short.id}/decide", how="writeoff", why="too much trouble")
    assert answer.status_code == 403 and "Ask manager" in answer.text and "too much trouble" in answer.text
    assert parts(desk, claim) == (0, 40_000)


def test_a_corrected_claim_opens_and_takes_the_line_off(odile: Browser, desk: Desk) -> None:
    claim, short = denied(desk, "16")
    made = odile.post(f"/claims/denied/{short.id}/correct").headers["location"]
    newest = scalar(desk, "SELECT MAX(id) FROM claim")
    assert made == f"/claims/{newest}" and newest != claim.claim_id
    assert odile.post("/claims/denied/999999/correct").status_code == 404
    assert odile.post("/claims/denied/999999/decide", how="patient", why="x").status_code == 404


def test_papers_that_were_ticked_stay_ticked_when_the_letter_is_refused(odile: Browser, desk: Desk) -> None:
    claim, short = denied(desk, "50")
    with desk.engine.begin() as connection:
        kept = {
            "patient_id": claim.patient_id,
            "name": "x-ray.pdf",
            "digest": "0" * 64,
            "at": desk.clock.now(),
        }
        connection.execute(insert(schema.patient_file).values(kind="other", media="pdf", bytes=9, **kept))
    number = scalar(desk, "SELECT MAX(id) FROM patient_file")
    again = odile.post(f"/claims/denied/{short.id}/appeal", text=" ", file=[number])
    assert again.status_code == 422 and f'value="{number}" checked> x-ray.pdf' in " ".join(again.text.split())

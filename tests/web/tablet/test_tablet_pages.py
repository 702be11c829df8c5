"""The tablet's pages as they answer: set up once by one link, one thing at a time, parts only of what is on
file, and bad input is asked for again.
"""

from __future__ import annotations

import re

import pytest

from tests.conftest import JUNO, SAM, add_patient, order, scalar
from tests.web.conftest import Browser
from zax.demo.records import card_of
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.arrivals.forms import save_template
from zax.desk.book.booking import book_visit
from zax.desk.tablet.tablets import make_tablet

BIRTH = "5/3/1984"


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(add_patient(desk, 3), 5, "11:00"))


@pytest.fixture
def tablet(web: Browser, desk: Desk) -> Browser:
    """A browser that is a tablet."""
    answer = web.get(f"/tablet/set-up/{make_tablet(desk, SAM, 'Front door', 1)}")
    assert answer.headers["location"] == "/tablet"
    return web


def finds(tablet: Browser) -> None:
    assert tablet.post("/tablet", birth=BIRTH, letters="vas").headers["location"] == "/tablet/next"


def test_the_manager_s_link_makes_one_tablet_once(sam: Browser, desk: Desk) -> None:
    assert "Give it a name" in sam.post("/setup/tablets", name=" ", site="1").text
    page = sam.post("/setup/tablets", name="Front door", site="1").text
    link = re.search(r"/tablet/set-up/[\w-]+", page)
    assert link is not None and "<svg" in page
    assert link[0] not in sam.get("/setup/tablets").text
    assert sam.get("/tablet").status_code == 404
    cookie = sam.get(link[0]).headers["set-cookie"]
    assert "HttpOnly" in cookie and "SameSite=strict" in cookie and "Path=/tablet" in cookie
    assert sam.get("/tablet").status_code == 200 and sam.get(link[0]).status_code == 404
    sam.post("/setup/tablets", end=str(scalar(desk, "SELECT id FROM tablet")))
    assert sam.get("/tablet").status_code == 404
    assert sam.post("/tablet", birth=BIRTH, letters="vas").status_code == 404


def test_one_thing_at_a_time_until_checked_in(tablet: Browser, desk: Desk, visit: int) -> None:
    number = save_template(desk, SAM, 0, "Policy", [("text", "We keep it.", "", False)], "0", True, 0)
    for kind, words in (("details", "Confirm details"), ("coverage", "Card")):
        save_step(desk, SAM, 0, StepForm(kind=kind, words=words, required=True))
    save_step(desk, SAM, 0, StepForm(kind="form", words="Sign it", template_id=number, required=True))
    finds(tablet)
    page = tablet.get("/tablet/next").text
    assert "Is this still right, Helen?" in page and "Vasquez" not in page and "0148" not in page
    assert "Type only what changed." in tablet.get("/tablet/next?change=1").text
    wrong = tablet.post("/tablet/next", stop="details", do="change", phone="12")
    assert wrong.status_code == 422 and 'value="12"' in wrong.text and "err-phone" in wrong.text
    tablet.post("/tablet/next", stop="details", do="right")
    assert "A photo of your insurance card" in tablet.get("/tablet/next").text
    sent = {"csrf": tablet.token, "stop": "cards", "do": "photos"}
    bad = tablet.client.post("/tablet/next", data=sent, files={"front": ("card.png", b"<html>", "image/png")})
    assert bad.status_code == 422, bad.text
    card = ("card.png", card_of("Northmoor", "N-1"), "image/png")
    tablet.client.post("/tablet/next", data=sent, files={"front": card})
    assert "We keep it." in tablet.get("/tablet/next").text
    unsigned = tablet.post("/tablet/next", stop=f"form-{number}", do="sign", signer="Helen Vasquez")
    assert unsigned.status_code == 409 and "We keep it." in unsigned.text
    tablet.post("/tablet/next", stop=f"form-{number}", do="later")
    done = tablet.get("/tablet/next").text
    assert "Sign it" in done and "http-equiv" in done
    assert tablet.get("/tablet/next").headers["location"] == "/tablet"


def test_a_stop_of_the_back_button_and_no_one_there_lead_on(tablet: Browser, desk: Desk, visit: int) -> None:
    assert tablet.get("/tablet/next").headers["location"] == "/tablet"
    assert tablet.post("/tablet/next", stop="details", do="right").headers["location"] == "/tablet"
    assert tablet.post("/tablet/touch").status_code == 410
    save_step(desk, SAM, 0, StepForm(kind="details", words="Confirm details", required=True))
    finds(tablet)
    assert tablet.post("/tablet/touch").status_code == 204
    for stop in ("copay", "form-999999", "form-x", "", "details\x00"):
        answer = tablet.post("/tablet/next", stop=stop, do="right")
        assert answer.headers["location"] == "/tablet/next", stop
    assert tablet.get("/tablet").status_code == 200
    assert tablet.get("/tablet/next").headers["location"] == "/tablet"


def test_who_isn_t_found_keeps_what_they_typed_and_learns_nothing(tablet: Browser, visit: int) -> None:
    answers = [tablet.post("/tablet", birth=birth, letters="ber") for birth in (BIRTH, "1/1/1990")]
    assert all(each.status_code in {409, 422} for each in answers)
    said = [re.findall(r'id="err-letters"[^>]*>([^<]+)', each.text) for each in answers]
    assert said[0] == said[1] and said[0]
    assert 'value="ber"' in answers[0].text
    assert tablet.post("/tablet", birth="yesterday", letters="").status_code == 422

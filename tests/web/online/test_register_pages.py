"""Registering as somebody does on a phone without script, and comparing at the desk."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date

import pytest
from fastapi.testclient import TestClient

from tests.conftest import SAM, add_patient, rows_of, scalar
from tests.desk.online.test_asking import code
from tests.desk.online.test_registering import BIRTH, a_form
from tests.web.conftest import Browser
from zax.demo.records import card_of
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.notices.fill_in import registration_for
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.online.habits import OnlineHabits, keep_online_habits

WHO = {"first": "Tamsin", "last": "Ellery", "birth": BIRTH, "phone": "360 555 0137"}


@pytest.fixture(autouse=True)
def runs(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


def begins(web: Browser, desk: Desk) -> str:
    """To the first page, without having been asked; its address."""
    at = web.post("/register", **WHO).headers["location"]
    link = web.post(at, code=code(desk)).headers["location"]
    return str(web.get(link).headers["location"])


def invited(desk: Desk) -> str:
    """The address of a link that was sent to somebody on file."""
    number = add_patient(
        desk, 2, first="Tamsin", last="Ellery", birth=date(1988, 3, 14), street="3 Pier Lane"
    )
    row = in_transaction(desk, WORKER, lambda tx: registration_for(tx, number, None))
    return f"/register/{row.link}"


def send_all(web: Browser, page: str, **typed: dict[str, str]) -> str:
    """Every page to the end; what the last one says."""
    for _ in range(12):
        text = web.get(page).text
        if "<form" not in text:
            return str(text)
        key = page.rsplit("/", 1)[-1]
        sent = dict(typed.get(key, {}))
        if key.startswith("form-"):
            (version,) = re.findall(r'name="version" value="(\d+)"', text)
            sent |= {
                "typed_name": "Tamsin Ellery",
                "signer": "Tamsin Ellery",
                "relation": "self",
                "version": version,
            }
        answer = web.post(page, **sent)
        assert answer.status_code == 303, answer.text
        page = answer.headers["location"]
    raise AssertionError("it never ends")


def test_somebody_new_all_the_way_without_script(web: Browser, desk: Desk) -> None:
    a_form(desk)
    page = begins(web, desk)
    first = web.get(page).text
    assert "About you" in first and "1 / 7" in first and "We save what you type." in first
    answer = web.post(page, used_name="Tam")
    assert answer.headers["location"].endswith("/reach")
    wrong = web.post(answer.headers["location"], zip="9820", street="41 Lantern Row")
    assert wrong.status_code == 422 and 'value="9820"' in wrong.text and "A ZIP code has 5" in wrong.text
    done = send_all(
        web, page, you={"used_name": "Tam"}, dental={"has": "yes", "payer": "harbor guild dental"}
    )
    assert "Thank you, Tam" in done and "We have everything." in done
    assert scalar(desk, "SELECT state FROM registration") == "sent"
    assert scalar(desk, "SELECT COUNT(*) FROM signed_form") == 1


def test_in_spanish_all_the_way(web: Browser, desk: Desk) -> None:
    web.get("/register?lang=es")
    page = begins(web, desk)
    assert "Sobre usted" in web.get(page).text
    wrong = web.post(page.replace("/you", "/reach"), zip="9820")
    assert "Por favor revise este dato." in wrong.text and "ZIP" not in wrong.text
    assert "Gracias, Tamsin" in send_all(web, page)


def test_nothing_on_file_is_shown_before_the_birth_date(web: Browser, desk: Desk) -> None:
    page = invited(desk)
    closed = web.get(page).text
    assert "Tamsin" not in closed and "3 Pier Lane" not in closed and "Ellery" not in closed
    for path in (f"{page}/you", f"{page}/reach", f"{page}/photo/dental-front"):
        assert web.get(path).headers["location"] == page
    assert web.post(f"{page}/reach", zip="98201").headers["location"] == page
    assert web.post(page, birth="4/1/1988").status_code == 422
    web.post(page, birth=BIRTH)
    assert "3 Pier Lane" in web.get(f"{page}/reach").text
    with TestClient(web.client.app, base_url="http://127.0.0.1") as client:
        other = Browser(client)
        assert other.get(f"{page}/reach").headers["location"] == page
        other.post(page, birth=BIRTH)
        assert "3 Pier Lane" in other.get(f"{page}/reach").text


def test_a_link_that_never_was_and_one_that_is_over_look_alike(web: Browser, desk: Desk) -> None:
    page = invited(desk)
    for _ in range(5):
        web.post(page, birth="4/1/1988")
    over, never = web.get(page), web.get("/register/abcdefghijklmnopqrst")
    assert over.status_code == never.status_code == 404
    strip = re.compile(r'href="[^"]*lang=es"')
    assert strip.sub("", over.text) == strip.sub("", never.text)
    assert web.post(page, birth=BIRTH).status_code == 404


def test_a_draft_saves_and_says_so_and_a_photo_is_shown_back(web: Browser, desk: Desk) -> None:
    page = begins(web, desk).replace("/you", "/dental")
    answer = web.client.post(
        page,
        data={"csrf": web.token, "do": "draft", "payer": "harbor"},
        files={"front": ("card.png", card_of("Harbor Guild", "HG-1"), "image/png")},
        headers={"x-part": "1"},
        follow_redirects=False,
    )
    assert answer.status_code == 200 and "Saved 10:42 am." in answer.text and "<html" not in answer.text
    (shown,) = re.findall(r'src="([^"]+photo/dental-front)"', answer.text)
    picture = web.get(shown)
    assert picture.headers["content-type"] == "image/png" and picture.content.startswith(b"\x89PNG")
    bad = web.client.post(
        page,
        data={"csrf": web.token, "do": "draft"},
        files={"back": ("card.png", b"<html>", "image/png")},
        headers={"x-part": "1"},
        follow_redirects=False,
    )
    assert "Only PDF, JPEG, PNG and TIFF" in bad.text
    web.post(page, do="drop-front")
    assert web.get(shown).status_code == 404
    assert 'value="harbor"' not in web.get(page).text  # the form that dropped it was sent without


def test_every_page_stands_a_wrong_form_and_a_wrong_address(web: Browser, desk: Desk) -> None:
    page = begins(web, desk)
    link = page.rsplit("/", 1)[0]
    for path in (f"{link}/nothing", f"{link}/form-99", "/register/code/99", "/register/code/999999999"):
        assert web.get(path).status_code in {404, 422}, path
    assert web.client.post(page, data={"used_name": "x"}, follow_redirects=False).status_code in {
        403,
        409,
        419,
    }
    assert web.post(page, used_name="x" * 5000, do="draft").status_code == 303
    assert web.post(f"{link}/dental", has="maybe", whose="<b>").status_code == 422


def test_the_desk_invites_compares_accepts_and_undoes(web: Browser, desk: Desk) -> None:
    page = invited(desk)
    web.post(page, birth=BIRTH)
    send_all(web, web.get(page).headers["location"], you={"used_name": "Tam"}, reach={"street": "9 New Row"})
    web.sign_in("juno")
    shown = web.get("/compare")
    number = int(shown.headers["location"].rsplit("/", 1)[-1])
    text = web.get(f"/compare/{number}").text
    assert "9 New Row" in text and "3 Pier Lane" in text and "fills a blank" in text
    answer = web.post(f"/compare/{number}", version=1, **{"take-street": "keep"})
    assert answer.headers["location"] == f"/compare?done={number}"
    after = web.get(answer.headers["location"]).text
    assert "is taken over" in after and "No one waits." in after
    assert rows_of(desk, "SELECT used_name, street FROM patient")[0] == {
        "used_name": "Tam",
        "street": "3 Pier Lane",
    }
    assert "taken over" in web.get(f"/compare/{number}").text
    web.post(f"/compare/{number}/undo")
    assert scalar(desk, "SELECT used_name FROM patient") == ""
    assert web.post(f"/compare/{number}", version=1).status_code == 409
    web.post(f"/compare/{number}", version=scalar(desk, "SELECT version FROM registration"), do="refuse")
    assert "turned down" in web.get(f"/compare/{number}").text
    assert web.get("/compare/99").status_code == 404


def test_the_record_s_registration_page(web: Browser, desk: Desk) -> None:
    page = invited(desk)
    number = scalar(desk, "SELECT patient_id FROM registration")
    web.sign_in("juno")
    here = f"/patients/{number}/registration"
    assert "not opened yet" in web.get(here).text
    assert web.post(here, channel="text").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM message") == 1
    assert web.post(here, channel="pigeon").status_code == 422
    web.post(here, stop=scalar(desk, "SELECT id FROM registration"))
    assert web.get(page).status_code == 404 and "stopped" in web.get(here).text


def test_doctors_elsewhere_are_kept_in_setup(web: Browser, desk: Desk) -> None:
    web.sign_in("sam")
    assert "None yet." in web.get("/setup/doctors").text
    wrong = web.post("/setup/doctors", first="Rosa", last="Ibarra", npi="12", active="yes")
    assert wrong.status_code == 422 and 'value="Ibarra"' in wrong.text
    web.post("/setup/doctors", number=0, first="Rosa", last="Ibarra", degree="MD", active="yes")
    assert "Rosa Ibarra, MD" in web.get("/setup/doctors").text
    number = scalar(desk, "SELECT id FROM outside_doctor")
    assert "Change Rosa Ibarra" in web.get(f"/setup/doctors?edit={number}").text
    web.post("/setup/doctors", number=number, version=1, first="Rose", last="Ibarra", active="")
    assert rows_of(desk, "SELECT first, active FROM outside_doctor") == [{"first": "Rose", "active": 0}]
    assert web.post("/setup/doctors", number=number, version=1, first="R", last="I").status_code == 409


def test_the_sheet_to_print_leads_where_it_says(web: Browser, desk: Desk) -> None:
    web.sign_in("sam")
    for query in ("", "?type=register", "?type=9&provider=5", "?provider=5"):
        paper = web.get(f"/setup/online/sheet.pdf{query}")
        assert paper.status_code == 200 and paper.content.startswith(b"%PDF"), query

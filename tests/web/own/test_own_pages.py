"""A patient's own pages as they use them on a phone without script; and nobody finds anything of somebody
else.
"""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date, timedelta
from statistics import median
from time import perf_counter

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient

from tests.conftest import (
    JUNO,
    SAM,
    TODAY,
    add_patient,
    known_patient,
    order,
    rows_of,
    scalar,
    visit_at_checkout,
)
from tests.desk.online.test_asking import code
from tests.desk.online.test_registering import a_form
from tests.desk.paying import relative
from tests.fakes import FakePayPage
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.online.habits import OnlineHabits, keep_online_habits
from zax.desk.own.allowing import allow
from zax.outside.doors import Outside
from zax.web.app import ROOMS

PHONE, BIRTH = "360 555 0148", "5/3/1984"


@pytest.fixture(autouse=True)
def runs(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


@pytest.fixture
def helen(desk: Desk) -> int:
    return known_patient(desk)


@pytest.fixture
def page(outside: Outside) -> FakePayPage:
    assert isinstance(outside.pay_page, FakePayPage)
    return outside.pay_page


def sign_in(web: Browser, desk: Desk, phone: str = PHONE, birth: str = BIRTH) -> None:
    at = web.post("/my/sign-in", phone=phone, birth=birth).headers["location"]
    answer = web.post(at, code=code(desk))
    assert answer.headers["location"] == "/my", answer.text


def test_nobody_signed_in_is_asked_to(web: Browser) -> None:
    for path in ("/my", "/my/account", "/my/records.json", "/my/statements/1"):
        assert web.get(path).headers["location"] == "/my/sign-in", path
    assert "Your visits, forms and bills" in web.get("/my/sign-in").text


def test_home_visits_and_signing_out(web: Browser, desk: Desk, helen: int) -> None:
    day = TODAY + timedelta(days=7)
    visit = book_visit(desk, JUNO, order(helen, 5, "14:00", day=day))
    a_form(desk)
    sign_in(web, desk)
    home = web.get("/my").text
    assert "Hello, Helen" in home and "Tue, Dec 1" in home and "Policy" in home and "You owe nothing." in home
    web.post(f"/my/visits/{visit}", do="confirm")
    assert "Confirmed" in web.get("/my").text
    times = web.get(f"/my/visits/{visit}/move?first={day}").text
    assert f'action="/my/visits/{visit}/move"' in times
    assert web.post(f"/my/visits/{visit}/move").status_code == 422
    assert web.post(f"/my/visits/{visit}/move", time=f"1|{TODAY}|600|5").status_code == 422
    web.post(f"/my/visits/{visit}/move", time=f"1|{day}|960|5")
    assert "4:00 pm" in web.get(f"/my/visits/{visit}").text
    assert b"BEGIN:VCALENDAR" in web.get(f"/my/visits/{visit}/visit.ics").content
    web.post(f"/my/visits/{visit}", do="cancel")
    assert "Canceled" in web.get(f"/my/visits/{visit}").text and "4:00 pm" not in web.get("/my/visits").text
    web.post("/my/sign-out")
    assert web.get("/my").headers["location"] == "/my/sign-in"


def test_forms_are_filled_in_without_giving_the_birth_date_again(
    web: Browser, desk: Desk, helen: int
) -> None:
    a_form(desk)
    sign_in(web, desk)
    link = web.post("/my/fill-in", visit="").headers["location"]
    assert "/you" in web.get(link).headers["location"]


def test_owing_explained_paid_and_receipted(web: Browser, desk: Desk, helen: int, page: FakePayPage) -> None:
    visit_at_checkout(desk, helen)
    sign_in(web, desk)
    shown = web.get("/my/account").text
    (key,) = re.findall(r'name="pay_key" value="([\w-]+)">\s*<button name="about" value="balance"', shown)
    assert "Not covered by a plan." in shown and "Your part" in shown
    wrong = web.post("/my/pay", pay_key=key + "p", about="part", amount="lots")
    assert wrong.status_code == 422 and 'value="lots"' in wrong.text
    at = web.post("/my/pay", pay_key=key, about="balance").headers["location"]
    going = web.get(at).text
    assert f"https://cards.example.org/{key}-1" in going and "We never see the number." in going
    assert "Not paid yet" in web.get(f"/my/pay/{key}").text
    page.pays(f"{key}-1")
    paid = web.get(f"/my/pay/{key}").text
    assert "paid" in paid and "Card ending 4242" in paid and "$0.00" in paid
    (receipt,) = re.findall(r"/my/receipts/\d+\.pdf", paid)
    assert web.get(receipt).content.startswith(b"%PDF")
    web.post("/my/settings", **{"from": "paid", "money": "text"})
    assert "text" in scalar(desk, "SELECT reach FROM patient WHERE id = :id", id=helen)
    assert web.post("/my/pay", pay_key="another", about="balance").status_code == 422
    assert web.post("/my/pay", pay_key="x" * 60, about="balance").status_code == 422
    assert web.post("/my/pay", pay_key="y", about="everything").status_code == 422


def test_giving_up_leads_back_and_charges_nothing(
    web: Browser, desk: Desk, helen: int, page: FakePayPage
) -> None:
    visit_at_checkout(desk, helen)
    sign_in(web, desk)
    web.post("/my/pay", pay_key="k", about="balance")
    page.away = True
    assert web.post("/my/pay/k").status_code == 422
    page.away = False
    assert web.post("/my/pay/k").headers["location"] == "/my/account"
    assert "Nothing was charged" in web.get("/my/pay/k").text


def test_messages_settings_password_and_records(web: Browser, desk: Desk, helen: int) -> None:
    sign_in(web, desk)
    assert web.post("/my/messages", words=" ").status_code == 422
    for _ in range(2):
        web.post("/my/messages", words="Can I bring my son?", once="one-form")
    assert scalar(desk, "SELECT COUNT(*) FROM text_reply") == 1
    assert "Can I bring my son?" in web.get("/my/messages").text
    assert web.post("/my/settings", reminders="pigeon").status_code == 422
    web.post("/my/settings", reminders="email")
    assert web.post("/my/password", new_password="short").status_code == 422
    web.post("/my/password", new_password="ferry at seven bells")
    web.post("/my/elsewhere")
    assert "Settings" in web.get("/my/settings").text
    assert web.get("/my/records.pdf").content.startswith(b"%PDF")
    assert '"resourceType": "Patient"' in web.get("/my/records.json").text.replace('":"', '": "')
    assert "No one in the last 90 days." in web.get("/my/records").text
    web.post("/my/sign-out")
    wrong = web.post("/my/sign-in", by="password", email="helen@example.org", password="wrong words here")
    assert wrong.status_code == 422 and "wrong words here" not in wrong.text
    at = web.post("/my/sign-in", by="password", email="helen@example.org", password="ferry at seven bells")
    assert web.post(at.headers["location"], code=code(desk)).headers["location"] == "/my"


def test_a_parent_looks_for_a_child_they_were_allowed_and_for_no_other(
    web: Browser, desk: Desk, helen: int
) -> None:
    mateo = relative(desk, helen, first="Mateo", birth=date(2015, 7, 20), phone="")
    rafael = relative(desk, helen, first="Rafael", birth=date(2012, 7, 20), phone="")
    book_visit(desk, JUNO, order(mateo, 5, "14:00", day=TODAY + timedelta(days=7)))
    allow(desk, JUNO, helen, mateo, "birth certificate")
    sign_in(web, desk)
    assert "Rafael" not in web.get("/my").text
    web.post("/my/for", person=mateo)
    assert "Mateo’s next visit" in web.get("/my").text
    assert web.post("/my/for", person=rafael).status_code == 404
    assert "Mateo’s next visit" in web.get("/my").text


def test_in_spanish(web: Browser, desk: Desk, helen: int) -> None:
    web.get("/my/sign-in?lang=es")
    sign_in(web, desk)
    for path, words in (
        ("/my", "Hola, Helen"),
        ("/my/account", "Usted debe"),
        ("/my/visits", "Citas"),
        ("/my/messages", "Escríbanos"),
        ("/my/settings", "Cómo le escribimos"),
        ("/my/records", "Llevarme mi expediente"),
    ):
        assert words in web.get(path).text, path


def test_no_patient_s_address_shows_anything_of_somebody_else(
    web: Browser, desk: Desk, helen: int, page: FakePayPage
) -> None:
    """The walk: every address under /my and /ask/deposit with what is Helen's in it, by Otto and by
    nobody.
    """
    visit = book_visit(desk, JUNO, order(helen, 5, "14:00", day=TODAY + timedelta(days=7)))
    visit_at_checkout(desk, helen)
    sign_in(web, desk)
    web.post("/my/pay", pay_key="helens", about="balance")
    page.pays("helens-1")
    web.get("/my/pay/helens")
    receipt = scalar(desk, "SELECT receipt_id FROM own_payment")
    web.post("/my/sign-out")
    add_patient(
        desk,
        first="Otto",
        last="Berg",
        birth=date(1970, 1, 2),
        phone="3605550177",
        street="1 Other Row",
        email="o@example.org",
    )
    theirs = {
        "visit_id": visit,
        "number": 1,
        "key": "helens",
        "receipt_id": receipt,
        "signed_id": 1,
        "link": "nothing",
    }
    paths = [
        (method, re.sub(r"\{(\w+)\}", lambda found: str(theirs[found[1]]), route.path))
        for room in ROOMS
        for route in room.router.routes
        if isinstance(route, APIRoute) and route.path.startswith(("/my", "/ask/deposit"))
        for method in route.methods
    ]
    assert len(paths) > 30
    with TestClient(web.client.app, base_url="http://127.0.0.1") as client:
        nobody, otto = Browser(client), web
        sign_in(otto, desk, "360 555 0177", "1/2/1970")
        before = rows_of(desk, "SELECT state, start_min, version FROM visit ORDER BY id")
        for who in (otto, nobody):
            for method, path in paths:
                if path in {"/my/sign-out", "/my/sign-in"}:
                    continue
                answer = (
                    who.get(path) if method == "GET" else who.post(path, do="cancel", person=helen, link="x")
                )
                assert answer.status_code < 500, (method, path)
                for secret in ("Vasquez", "Helen", "12 Tide", "4242", "helen@"):
                    assert secret not in answer.text, (method, path, secret)
        assert rows_of(desk, "SELECT state, start_min, version FROM visit ORDER BY id") == before


def test_known_and_unknown_get_the_same_answer_in_the_same_time(web: Browser, desk: Desk, helen: int) -> None:
    """Sizes are the same to the byte; times lie within each other's spread, measured in turns."""
    typed = {
        "known": {"phone": PHONE, "birth": BIRTH},
        "unknown": {"phone": "360 555 0191", "birth": "1/2/1990"},
    }
    pages: dict[str, str] = {}
    took: dict[str, list[float]] = {"known": [], "unknown": []}
    for turn in range(24):
        for who, form in typed.items():
            with desk.engine.begin() as connection:
                connection.exec_driver_sql("DELETE FROM online_try")
            begun = perf_counter()
            answer = web.post("/my/sign-in", **form)
            took[who].append(perf_counter() - begun)
            assert answer.status_code == 303
            if turn == 0:
                text = web.get(answer.headers["location"]).text
                pages[who] = re.sub(r'(value="[^"]*"|/my/code/\d+)', "", text)
    assert pages["known"] == pages["unknown"]
    one, other = (sorted(times[4:]) for times in took.values())
    assert abs(median(one) - median(other)) < max(one[-3] - one[2], other[-3] - other[2])


def test_headers_and_sizes_of_the_patients_pages(web: Browser, desk: Desk, helen: int) -> None:
    sign_in(web, desk)
    for path in ("/my", "/my/account", "/my/sign-in", "/ask", "/register", "/my/settings"):
        answer = web.get(path)
        assert answer.headers["cache-control"] == "no-store", path
        assert (
            answer.headers["x-frame-options"] == "DENY" and answer.headers["referrer-policy"] == "same-origin"
        )
        own = len(answer.content)
        for found in re.findall(r'(?:href|src)="(/static/[^"]+)"', answer.text):
            own += len(web.get(found).content)
        assert own < 150_000, (path, own)

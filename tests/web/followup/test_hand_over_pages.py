"""Hand-overs over HTTP: given from a visit, counted on the rail, taken at the checkout, done."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import insert

from tests.conftest import (
    JUNO,
    add_patient,
    order,
    scalar,
    visit_at_checkout,
)
from tests.fakes import FakeTexts
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.inbox.replies import take_replies
from zax.store import schema


def test_a_clinician_asks_the_desk_to_take_a_deposit(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    ines = juno.sign_in("ines")
    form = ines.get(f"/hand-overs/new?about=visit-{visit}&back=/visits/{visit}").text
    assert "Helen Vasquez, Nov 24, 2026" in form and "Front desk" in form
    sent = {"about": f"visit-{visit}", "back": f"/visits/{visit}", "words": "before we order"}
    wrong = ines.post("/hand-overs", **sent, to="", by="soonish", amount="400")
    assert wrong.status_code == 422 and 'value="soonish"' in wrong.text and 'value="400"' in wrong.text
    given = ines.post("/hand-overs", **sent, to="role-receptionist", by="", amount="400")
    assert given.headers["location"] == f"/visits/{visit}"
    juno.sign_in("juno")
    assert 'id="rail-handed" data-live>1</b>' in juno.get("/day").text
    part = juno.get(f"/patients/{patient}/handed?back=/visits/{visit}/checkout").text
    assert "before we order" in part and "$400.00" in part and f"/pay/{patient}?deposit=400.00" in part
    page = juno.get(f"/pay/{patient}?deposit=400.00").text
    assert 'name="for-deposit"' in page and 'value="400.00"' in page
    assert f"/patients/{patient}/handed" in juno.get(f"/visits/{visit}/checkout").text
    number = scalar(desk, "SELECT id FROM hand_over")
    assert "before we order" in juno.get("/hand-overs").text
    back = f"/visits/{visit}/checkout"
    assert juno.post(f"/hand-overs/{number}/done", back=back).headers["location"] == back
    assert 'id="rail-handed" data-live hidden>0</b>' in juno.get("/day").text
    ines.sign_in("ines")
    listed = ines.get("/hand-overs").text
    assert "Juno Park" in listed and "Seen" in listed
    ines.post(f"/hand-overs/{number}/seen")
    assert ">Seen<" not in ines.get("/hand-overs").text


def test_addresses_that_lead_away_are_not_followed(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    for back in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example"):
        sent = {"about": f"patient-{patient}", "to": "user-3", "words": "look", "back": back}
        assert juno.post("/hand-overs", **sent).headers["location"] == "/hand-overs"
    assert juno.get("/hand-overs/new?about=ship-3").status_code == 404
    assert juno.post("/hand-overs/999/done").status_code == 404


def test_accounts_requests_files_and_texts_are_handed_over_too(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, first="Milo", phone="3605550123")
    held = book_visit(
        desk, JUNO, order(patient, 1, "15:00", "Filling", held_until=desk.clock.now() + timedelta(hours=3))
    )
    gateway = FakeTexts()
    gateway.reply("3605550123", "are you open saturdays?")
    take_replies(desk, gateway)
    text = scalar(desk, "SELECT id FROM text_reply")
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.patient_file).values(
                patient_id=patient,
                kind="other",
                name="old x-ray",
                digest="0" * 64,
                media="image/png",
                bytes=1,
                at=desk.clock.now(),
            )
        )
    paper = scalar(desk, "SELECT id FROM patient_file")
    pages = {
        f"balance-{patient}": (f"/accounts/{patient}", "Milo Vasquez, account"),
        f"request-{held}": ("/requests", "Milo Vasquez, Nov 24, 2026"),
        f"file-{paper}": (f"/patients/{patient}/files", "Milo Vasquez, old x-ray"),
        f"answer-{text}": (f"/inbox?open=text-{text}", "Milo Vasquez, are you open saturdays?"),
    }
    for about, (page, title) in pages.items():
        assert f"/hand-overs/new?about={about}" in juno.get(page).text.replace("&amp;", "&")
        assert title in juno.get(f"/hand-overs/new?about={about}").text
        sent = juno.post("/hand-overs", about=about, to="role-receptionist", words="please look")
        assert sent.status_code == 303
    listed = juno.get("/hand-overs").text
    assert all(title in listed for _, title in pages.values())
    assert f'href="/papers/{paper}"' in listed and f'href="/inbox?open=text-{text}"' in listed
    assert juno.get("/hand-overs/new?about=file-99999").status_code == 404


def test_somebody_elses_is_refused_with_words(juno: Browser, desk: Desk) -> None:
    juno.post("/hand-overs", about=f"patient-{add_patient(desk)}", to="user-3", words="look")
    number = scalar(desk, "SELECT id FROM hand_over")
    ines = juno.sign_in("ines")
    refused = ines.post(f"/hand-overs/{number}/done")
    assert refused.status_code == 403 and "handed to someone else" in refused.text

"""Hand-overs over HTTP: given from a visit, counted on the rail, taken at the checkout, done."""

from __future__ import annotations

from tests.conftest import add_patient, scalar, visit_at_checkout
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk


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
    assert '<b class="railn">1</b>' in juno.get("/day").text
    part = juno.get(f"/patients/{patient}/handed?back=/visits/{visit}/checkout").text
    assert "before we order" in part and "$400.00" in part and f"/pay/{patient}?deposit=400.00" in part
    page = juno.get(f"/pay/{patient}?deposit=400.00").text
    assert 'name="for-deposit"' in page and 'value="400.00"' in page
    assert f"/patients/{patient}/handed" in juno.get(f"/visits/{visit}/checkout").text
    number = scalar(desk, "SELECT id FROM hand_over")
    assert "before we order" in juno.get("/hand-overs").text
    back = f"/visits/{visit}/checkout"
    assert juno.post(f"/hand-overs/{number}/done", back=back).headers["location"] == back
    assert "railn" not in juno.get("/day").text
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


def test_somebody_elses_is_refused_with_words(juno: Browser, desk: Desk) -> None:
    juno.post("/hand-overs", about=f"patient-{add_patient(desk)}", to="user-3", words="look")
    number = scalar(desk, "SELECT id FROM hand_over")
    ines = juno.sign_in("ines")
    refused = ines.post(f"/hand-overs/{number}/done")
    assert refused.status_code == 403 and "handed to someone else" in refused.text

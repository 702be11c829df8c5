"""The biller's pages: the list to work, fixing in place, batches, one claim, payers' rules."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, SAM, add_patient, scalar, visit_at_checkout
from tests.desk.claims.test_working_claims import finished, spoil, state
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.claims.habits import ClaimHabitsForm, save_claim_habits
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout


def test_the_list_says_what_each_claim_needs(odile: Browser, desk: Desk) -> None:
    assert "no claim needs anything" in odile.get("/claims").text
    held = finished(desk, first="Iris", sex="")
    finished(desk, start="15:00", first="Otis")
    page = odile.get("/claims").text
    assert "Fix first" in page and "No sex on file for the patient" in page and "Send 1 claim" in page
    opened = odile.get(f"/claims?open={held}").text
    assert f'action="/claims/{held}/fix"' in opened and "Check the card or ask." in opened
    assert "Iris" in odile.get("/claims?need=fix").text
    assert odile.get("/claims?need=nonsense").status_code == 404


def test_a_stop_is_fixed_beside_it_and_what_is_wrong_is_said_there(odile: Browser, desk: Desk) -> None:
    claim = finished(desk, birth=None)
    wrong = odile.post(f"/claims/{claim}/fix", about="patient.birth", birth="someday", back="list")
    assert wrong.status_code == 422 and 'value="someday"' in wrong.text and 'role="alert"' in wrong.text
    answer = odile.post(f"/claims/{claim}/fix", about="patient.birth", birth="3/4/1990", back="list")
    assert answer.status_code == 303 and answer.headers["location"].startswith("/claims")
    assert state(desk, claim) == "ready"


def test_what_looks_odd_is_kept_with_a_reason(odile: Browser, desk: Desk) -> None:
    rule = {
        "payer_id": "1",
        "codes": "D23*",
        "field": "note",
        "condition": "given",
        "strength": "odd",
        "sentence": "Guild wants a note.",
        "active": "yes",
    }
    tried = odile.post("/claims/rules/0", **rule, do="try", claim="C0")
    assert tried.status_code == 422 and "no claim of that number" in tried.text
    assert odile.post("/claims/rules/0", **rule, do="save").status_code == 303
    assert "Guild wants a note." in odile.get("/claims/payers").text
    claim = finished(desk)
    assert "Looks odd: Guild wants a note." in odile.get(f"/claims?open={claim}").text
    number = scalar(desk, "SELECT number FROM claim")
    assert "it would be said of" in odile.post("/claims/rules/0", **rule, do="try", claim=number).text
    said = {"rule": "payer-asks-about", "about": "note", "reason": "checked, it’s right", "own": ""}
    assert odile.post(f"/claims/{claim}/keep", **said, back="claim").headers["location"] == f"/claims/{claim}"
    assert state(desk, claim) == "ready"


def test_the_batch_is_sent_listed_and_printed(odile: Browser, desk: Desk) -> None:
    finished(desk)
    finished(desk, start="15:00", first="Iris", sex="")
    before = odile.get("/claims/batches").text
    assert (
        "Harbor Guild Dental" in before and "No sex on file" in before and "No batch has gone out" in before
    )
    answer = odile.post("/claims/send", payer="")
    assert answer.headers["location"] == "/claims/batches"
    after = odile.get("/claims/batches").text
    assert "waits for the clearinghouse" in after and "286.00" in after
    file_id = scalar(desk, "SELECT id FROM x12_file WHERE direction = 'out'")
    pdf = odile.get(f"/claims/batches/{file_id}.pdf")
    assert pdf.content[:5] == b"%PDF-"
    assert odile.get("/claims/batches/999999.pdf").status_code == 404


def test_a_question_to_a_payer_is_no_batch(odile: Browser, desk: Desk) -> None:
    finished(desk)
    spoil(
        desk,
        "INSERT INTO x12_file (direction, kind, name, control, digest, text, at, outcome)"
        " VALUES ('out', '276', 'asked-7.276', '7', 'd7', 'ISA', NOW(), '')",
    )
    assert "No batch has gone out" in odile.get("/claims/batches").text
    file_id = scalar(desk, "SELECT id FROM x12_file WHERE kind = '276'")
    assert odile.get(f"/claims/batches/{file_id}.pdf").status_code == 404


@pytest.mark.parametrize(
    "part", ["authorization", "accident", "papers", "note", "hospital", "braces", "teeth"]
)
def test_every_subject_of_a_claim_has_its_boxes(odile: Browser, desk: Desk, part: str) -> None:
    claim = finished(desk)
    page = odile.get(f"/claims/{claim}?part={part}").text
    assert f'name="part" value="{part}"' in page and f'action="/claims/{claim}/carry"' in page


def test_a_claim_carries_what_is_typed_and_keeps_what_is_wrong(odile: Browser, desk: Desk) -> None:
    claim = finished(desk)
    long = "x" * 81
    wrong = odile.post(f"/claims/{claim}/carry", part="note", note=long)
    assert wrong.status_code == 422 and long in wrong.text and "Keep it to 80" in wrong.text
    assert odile.post(f"/claims/{claim}/carry", part="note", note="Fractured cusp").status_code == 303
    assert "Fractured cusp" in odile.get(f"/claims/{claim}").text


def test_a_claim_is_followed_up_on_its_page(odile: Browser, desk: Desk) -> None:
    claim = finished(desk)
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', sent_at = NOW() - INTERVAL 60 DAY")
    page = odile.get(f"/claims/{claim}").text
    assert "Ask the payer" in page and "Correct it" in page and "This case" in page
    assert odile.post(f"/claims/{claim}/note", words="They call back").status_code == 303
    assert odile.post(f"/claims/{claim}/note", words=" ").status_code == 422
    assert odile.post(f"/claims/{claim}/again", again_on="never").status_code == 422
    assert odile.post(f"/claims/{claim}/ask").status_code == 303
    assert odile.post(f"/claims/{claim}/hand", user_id="4").status_code == 303
    made = odile.post(f"/claims/{claim}/correct").headers["location"]
    assert "corrected" in odile.get(made).text
    with desk.engine.connect() as connection:
        life = [each for (each,) in connection.execute(text("SELECT words FROM claim_event"))]
    assert "Note: They call back" in life and "Asked the payer how it stands" in life
    assert odile.get("/claims/999999").status_code == 404


def test_a_payers_norm_is_set_and_what_is_no_number_is_said(odile: Browser, desk: Desk) -> None:
    assert odile.post("/claims/payers/1/norm", days="45").status_code == 303
    assert 'value="45"' in odile.get("/claims/payers").text
    wrong = odile.post("/claims/payers/1/norm", days="soon")
    assert wrong.status_code == 422 and 'value="soon"' in wrong.text
    assert odile.post("/claims/payers/999/norm", days="5").status_code == 404


def test_the_front_desk_does_not_work_claims(juno: Browser, desk: Desk) -> None:
    claim = finished(desk)
    assert juno.get("/claims").status_code == 403
    assert juno.post(f"/claims/{claim}/close", reason="made by mistake").status_code == 403
    assert state(desk, claim) == "ready"


def test_many_are_worked_at_once_and_one_that_cannot_be_leaves_the_others_alone(
    odile: Browser, desk: Desk
) -> None:
    one, two = finished(desk, first="Iris", sex=""), finished(desk, start="15:00", first="Otis", sex="")
    assert 'name="claim"' in odile.get("/claims?need=fix").text
    assert "Tick" in odile.get(odile.post("/claims/many", need="fix", do="recheck").headers["location"]).text
    spoil(desk, "UPDATE patient SET sex = 'F' WHERE first = 'Iris'")
    odile.post("/claims/many", need="fix", do="recheck", claim=str(one))
    assert (state(desk, one), state(desk, two)) == ("ready", "held_back")
    odile.post("/claims/many", need="send", do="send", claim=str(one))
    assert state(desk, one) == "going"
    answer = odile.post("/claims/many", need="fix", do="close", claim=str(two), reason="made by mistake")
    assert state(desk, two) == "closed" and answer.headers["location"] == "/claims?need=fix"
    odile.post("/claims/many", need="fix", do="close", claim=str(one), reason="made by mistake")
    assert state(desk, one) == "going"


def test_a_decision_on_paper_is_typed_in_and_kept_when_it_does_not_add_up(odile: Browser, desk: Desk) -> None:
    claim = finished(desk)
    spoil(
        desk,
        "INSERT INTO coverage (patient_id, plan_id, subscriber_id, member_id, group_number, `rank`) SELECT"
        " patient_id, 2, subscriber_id, 'BD-9', 'G2', 2 FROM coverage",
    )
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', sent_at = NOW()")
    assert "It answered on paper" in odile.get(f"/claims/{claim}").text
    assert 'name="deductible-1"' in odile.get(f"/claims/{claim}?part=paper").text
    typed = {"decided": "2026-11-20", "paid-1": "199.99", "payer_claim": "GD-3"}
    wrong = odile.post(f"/claims/{claim}/next-plan/paper", **typed)
    assert wrong.status_code == 422 and 'value="199.99"' in wrong.text and "$86.01 is missing" in wrong.text
    answer = odile.post(f"/claims/{claim}/next-plan/paper", **typed | {"contract-1": "86.01"})
    assert answer.status_code == 303
    second = odile.get(answer.headers["location"]).text
    assert "First plan decided" in second and "199.99" in second


def test_what_was_billed_is_changed_from_the_claim(odile: Browser, desk: Desk) -> None:
    claim = finished(desk)
    assert "Change what was billed" not in odile.get(f"/claims/{claim}").text
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', sent_at = NOW()")
    assert "Changed since it went out" not in odile.get(f"/claims/{claim}").text
    spoil(desk, "UPDATE charge_line SET surfaces = 'OD'")
    page = odile.get(f"/claims/{claim}").text
    assert "Changed since it went out" in page and "Change what was billed" in page
    visit = scalar(desk, "SELECT visit_id FROM claim")
    answer = odile.post(f"/claims/{claim}/charges")
    assert answer.headers["location"] == f"/visits/{visit}/charges"
    assert "a corrected claim replaces" in odile.get(f"/visits/{visit}/charges").text
    assert odile.post("/claims/999999/charges").status_code == 404


@pytest.mark.parametrize(
    ("asked", "there"),
    [
        ("", True),
        ("payer={payer}", True),
        ("payer=999", False),
        ("at={site}", True),
        ("at=999", False),
        ("provider={provider}", True),
        ("provider=999", False),
        ("rank=P", True),
        ("rank=S", False),
        ("rank=nonsense", True),
        ("days=30", True),
        ("days=60", False),
        ("days=99999999999999999999", True),
        ("from=250", True),
        ("from=500", False),
        ("owner={owner}", True),
        ("owner=999", False),
        ("payer={payer}&rank=P&days=30&from=250&at={site}&provider={provider}&owner={owner}", True),
        ("payer={payer}&rank=S", False),
    ],
)
def test_a_group_is_narrowed_by_what_the_address_says(
    odile: Browser, desk: Desk, asked: str, there: bool
) -> None:
    finished(desk)
    spoil(
        desk,
        "UPDATE claim SET state = 'accepted', sent_at = :at, owner_id = :owner",
        at=desk.clock.now() - timedelta(days=40),
        owner=ODILE.id,
    )
    with desk.engine.connect() as connection:
        query = text(
            "SELECT p.payer_id AS payer, v.site_id AS site, v.provider_id AS provider, c.owner_id AS owner"
            " FROM claim c JOIN visit v ON v.id = c.visit_id JOIN coverage w ON w.id = c.coverage_id"
            " JOIN plan p ON p.id = w.plan_id"
        )
        facts = connection.execute(query).one()._mapping
    page = odile.get(f"/claims?need=overdue&{asked.format(**facts)}").text
    assert ("Helen" in page) == there
    assert ("None at the moment." in page) != there
    assert ("all of them" in page) == bool(asked)


def test_a_claim_prints(odile: Browser, desk: Desk) -> None:
    claim = finished(desk)
    assert odile.get(f"/claims/{claim}/paper.pdf").content[:5] == b"%PDF-"
    assert odile.get("/claims/999999/paper.pdf").status_code == 404


def test_how_claims_go_out_is_the_managers(web: Browser, desk: Desk) -> None:
    assert "How claims go out" not in web.sign_in("odile").get("/claims/payers").text
    sam = web.sign_in("sam")
    assert "How claims go out" in sam.get("/claims/payers").text
    wrong = sam.post("/claims/habits", made="checkout", sent="key", hour="99", clia="", mode="production")
    assert wrong.status_code == 422 and 'value="99"' in wrong.text
    saved = sam.post("/claims/habits", made="checkout", sent="key", hour="18", clia="", mode="production")
    assert saved.status_code == 303


def test_by_one_key_visits_that_wait_for_the_evening_get_their_claims(odile: Browser, setup: Desk) -> None:
    save_claim_habits(setup, SAM, ClaimHabitsForm(made="evening"))
    visit = visit_at_checkout(setup, add_patient(setup, 1), dental=True)
    assert "Make 1 claim" not in odile.get("/claims/batches").text
    finish_checkout(setup, JUNO, visit)
    assert scalar(setup, "SELECT COUNT(*) FROM claim") == 0
    assert "Make 1 claim" in odile.get("/claims/batches").text
    assert odile.post("/claims/make").status_code == 303
    assert state(setup, scalar(setup, "SELECT id FROM claim WHERE visit_id = :id", id=visit)) == "ready"
    assert "Make 1 claim" not in odile.get("/claims/batches").text

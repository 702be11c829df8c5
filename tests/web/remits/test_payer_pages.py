"""What payers did as a whole: their own accounts and refunds, the pictures, and the rules of adjustments."""

from __future__ import annotations

from tests.conftest import SAM, scalar
from tests.desk.paying import agrees
from tests.desk.remits.payment_files import Said, waiting_claims
from tests.desk.remits.test_denials import denied
from tests.desk.remits.test_taking_back import parts, take
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.money.corrections import OffForm, write_off

RULE = {
    "group": "CO",
    "reason": "97",
    "remark": "",
    "payer_id": "",
    "modifier": "",
    "does": "writeoff",
    "version": "0",
}


def test_a_payers_account_shows_interest_and_what_nothing_explains(odile: Browser, desk: Desk) -> None:
    assert "No payer has added or taken anything" in odile.get("/claims/payer-accounts").text
    (claim,) = waiting_claims(desk, 1)
    take(desk, "1", claim.as_expected(), plb=[("L6:INT", -125), ("WO:C999", 2_000)])
    page = odile.get("/claims/payer-accounts").text
    assert "taken, not explained" in page and "20.00" in page and "1.25" in page
    payer = scalar(desk, "SELECT payer FROM payer_entry LIMIT 1")
    one = odile.get(f"/claims/payer-accounts?payer={payer.replace(' ', '+')}").text
    assert "L6: interest" in one and "WO: overpayment taken back" in one


def test_an_overpayment_is_refunded_by_a_check_of_ours_with_its_number(odile: Browser, desk: Desk) -> None:
    (claim,) = waiting_claims(desk, 1, [(10_000, 2_000)])
    ((line, _, _),) = claim.lines
    write_off(desk, SAM, OffForm(line_id=line, amount="20.00", reason_id=1, why="courtesy"))
    take(desk, "1", Said(claim.number, [(line, 10_000, 10_000, [])]))
    credit = scalar(desk, "SELECT MAX(id) FROM journal WHERE visit_id IS NULL AND of_id IS NOT NULL")
    wrong = odile.post("/claims/payer-accounts/refund", entry_id=credit, number=" ")
    assert wrong.status_code == 422 and "number of the check" in wrong.text
    assert odile.post("/claims/payer-accounts/refund", entry_id=credit, number="88").status_code == 303
    assert "No payer has overpaid" in odile.get("/claims/payer-accounts").text and agrees(desk)
    assert odile.post("/claims/payer-accounts/refund", entry_id=1, number="88").status_code == 404


def test_the_pictures_say_what_came_and_correct_a_plan(odile: Browser, setup: Desk) -> None:
    assert "No payer has answered" in odile.get("/claims/pictures").text
    claims = waiting_claims(setup, 6, [(10_000, 2_000)])
    for at, claim in enumerate(claims):
        take(setup, f"L{at}", claim.said((5_000, [("PR", "2", 5_000)])))
    denied(setup, "50")
    page = odile.get("/claims/pictures").text
    assert "expected 680.00, received 300.00" in page and "CO 50" in page
    assert "The plan on file says 80, it paid" in page and "50 in 6 of 6" in " ".join(page.split())
    plan, version = (
        scalar(setup, "SELECT plan_id FROM coverage LIMIT 1"),
        scalar(setup, "SELECT version FROM plan WHERE id = (SELECT plan_id FROM coverage LIMIT 1)"),
    )
    told = odile.post("/claims/pictures/lesson", plan_id=plan, code="D2392", version=version)
    assert told.status_code == 303 and setup.clinic.plans[plan].benefits.code_percents == {"D2392": 50}
    assert "agree with what they paid" in odile.get("/claims/pictures").text
    assert odile.post("/claims/pictures/lesson", plan_id=plan, code="D2392", version=9).status_code == 409


def test_a_rule_is_tried_on_the_past_kept_and_ended(sam: Browser, setup: Desk) -> None:
    (first,) = waiting_claims(setup, 1, [(10_000, 0)])
    take(setup, "1", first.said((8_000, [("CO", "97", 2_000)])))
    tried = sam.post("/setup/adjustments/0", **RULE, do="try")
    assert "1 of 1 would have differed" in tried.text and "$20.00 written off" in tried.text
    assert parts(setup, first) == (0, 2_000)
    wrong = sam.post("/setup/adjustments/0", **(RULE | {"reason": "much too long"}), do="save")
    assert wrong.status_code == 422 and 'id="err-reason"' in wrong.text and "much too long" in wrong.text
    assert sam.post("/setup/adjustments/0", **RULE, do="save").status_code == 303
    rule = scalar(setup, "SELECT MAX(id) FROM adjustment_rule")
    assert "Change a rule" in sam.get(f"/setup/adjustments?rule={rule}").text
    (second,) = waiting_claims(setup, 1, [(10_000, 0)])
    take(setup, "2", second.said((8_000, [("CO", "97", 2_000)])))
    assert parts(setup, second) == (0, 0)
    sam.post(f"/setup/adjustments/{rule}", **(RULE | {"version": "1"}), do="end")
    assert "None: what ships counts." in sam.get("/setup/adjustments").text
    assert sam.get("/setup/adjustments?rule=999").status_code == 404


def test_the_clinics_letter_names_only_places_we_fill(sam: Browser, setup: Desk) -> None:
    wrong = sam.post("/setup/letters/appeal_letter", text="Dear {doctor}")
    assert wrong.status_code == 422 and "isn’t a place we can fill" in wrong.text
    assert "Dear {doctor}" in wrong.text
    assert sam.post("/setup/letters/appeal_letter", text="Pay {amount}. {why}").status_code == 303
    assert "Pay {amount}. {why}" in sam.get("/setup/adjustments").text

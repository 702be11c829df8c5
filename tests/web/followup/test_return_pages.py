"""Returns on their pages: asked for from the charges and the record, listed however old, tried, hung on a
visit, closed; what is wrong is said where it was typed.
"""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import JUNO, TODAY, add_patient, scalar, visit_at_checkout
from tests.desk.followup.test_returns import AHEAD, asked, booked, make_old, one
from tests.web.conftest import Browser
from zax.core.followup.due import Stand
from zax.desk.acts.transaction import Desk


def test_a_clinician_asks_back_from_the_charges_page_and_the_desk_sees_it(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    ines = juno.sign_in("ines")
    page = ines.get(f"/visits/{visit}/charges").text
    assert "Come back" in page and "Blood pressure check, 4 weeks" in " ".join(page.split())
    reason = scalar(desk, "SELECT id FROM return_reason WHERE words = 'Look at the sutures'")
    sent = ines.post(f"/patients/{patient}/returns", visit_id=visit, reason_id=reason)
    assert sent.headers["location"] == f"/visits/{visit}/charges"
    assert "Look at the sutures</a>, by" in " ".join(ines.get(f"/visits/{visit}/charges").text.split())
    number = scalar(desk, "SELECT MAX(id) FROM patient_return")
    juno.sign_in("juno")
    listed = juno.get("/followup/returns").text
    assert "Look at the sutures" in listed and "1 to book" in listed and "not tried yet" in listed
    assert f"/followup/returns?open={number}" in juno.get(f"/patients/{patient}").text


@pytest.mark.parametrize(
    ("words", "by", "says"),
    [("", "4 weeks", "Say what they should"), ("x", "", "Say by when"), ("y", "soon", "")],
)
def test_what_is_wrong_is_said_where_it_was_typed(
    sam: Browser, desk: Desk, words: str, by: str, says: str
) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient)
    for more in ({"visit_id": visit}, {}):
        answer = sam.post(f"/patients/{patient}/returns", words=words, by_when=by, **more)
        assert answer.status_code == 422 and says in answer.text and f'value="{by}"' in answer.text
    assert scalar(desk, "SELECT COUNT(*) FROM patient_return") == 0
    assert sam.post("/patients/999999/returns", words="x", by_when="3w").status_code == 404


def test_one_of_ten_years_ago_stands_on_top(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    new, old = asked(desk, patient), asked(desk, patient)
    make_old(desk, old, 3650)
    page = juno.get("/followup/returns").text
    assert page.index(f'id="r{old}"') < page.index(f'id="r{new}"')
    assert "3650 days over" in " ".join(page.split())


def test_it_is_tried_taken_back_hung_on_a_visit_and_left(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    number, visit = asked(desk, patient), booked(desk, patient)
    base, opened = f"/followup/returns/{number}", f"/followup/returns?open={number}"
    assert juno.post(f"{base}/tried", outcome="message", note="with her son").headers["location"] == opened
    page = juno.get(opened).text
    assert "left a message" in page and "with her son" in page and "Do it at this visit" in page
    number_of_try = scalar(desk, "SELECT id FROM contact_try")
    juno.post(f"{base}/tries/{number_of_try}/undo")
    assert "(taken back)" in juno.get(opened).text
    wrong = juno.post(f"{base}/pause", until=str(AHEAD), why="")
    assert wrong.status_code == 422 and "Say why" in wrong.text and str(AHEAD) in wrong.text
    juno.post(f"{base}/pause", until=str(AHEAD), why="travels")
    assert "left until" in juno.get(opened).text
    juno.post(f"{base}/visit", visit_id=visit)
    assert one(desk, number).stand(TODAY) is Stand.BOOKED
    assert "Not at that visit" in juno.get(opened).text and "0 to book" in juno.get("/followup/returns").text
    assert "look at it again" in juno.get("/followup/returns?show=booked").text
    juno.post(f"{base}/visit", visit_id="")
    assert one(desk, number).stand(TODAY) is Stand.DUE
    other = booked(desk, add_patient(desk, first="Iris"), start="16:00")
    assert juno.post(f"{base}/visit", visit_id=other).status_code == 409


def test_only_a_clinician_or_a_manager_closes_it_and_all_of_it_is_a_paper(juno: Browser, desk: Desk) -> None:
    number = asked(desk, add_patient(desk))
    base = f"/followup/returns/{number}"
    assert "or a manager closes it" in juno.get(f"/followup/returns?open={number}").text
    assert juno.post(f"{base}/end", why="no need").status_code == 403
    ines = juno.sign_in("ines")
    assert ines.post(f"{base}/end", why=" ").status_code == 422
    assert ines.post(f"{base}/due", by="yesterday", why="x").status_code == 422
    ines.post(f"{base}/due", by="6w", why="heals slowly")
    assert one(desk, number).due_day == TODAY + timedelta(days=42)
    ines.post(f"{base}/end", why="seen elsewhere")
    assert "<b>Closed:</b> seen elsewhere" in ines.get(f"/followup/returns?open={number}").text
    assert ines.get(f"{base}/evidence.pdf").content.startswith(b"%PDF-")
    ines.post(f"{base}/again")
    assert one(desk, number).ended_at is None
    for path in ("?open=999999", "?show=all", "/9999999/evidence.pdf"):
        assert ines.get(f"/followup/returns{path}").status_code == 404
    assert ines.post("/followup/returns/999999/end", why="x").status_code == 404


def test_reasons_and_the_rule_are_set_up(sam: Browser, setup: Desk) -> None:
    assert "Blood pressure check" in sam.get("/setup/returns").text
    made = {"words": "Ear check", "by_when": "soon", "for_whom": "nurse", "active": "yes", "version": 1}
    wrong = sam.post("/setup/returns/reasons/0", **made)
    assert wrong.status_code == 422 and 'value="Ear check"' in wrong.text and 'id="err-by"' in wrong.text
    assert sam.post("/setup/returns/reasons/0", **(made | {"by_when": "2 weeks"})).status_code == 303
    number = scalar(setup, "SELECT id FROM return_reason WHERE words = 'Ear check'")
    assert "Change a reason" in sam.get(f"/setup/returns?reason={number}").text
    stale = sam.post(f"/setup/returns/reasons/{number}", **(made | {"by_when": "", "version": 9}))
    assert stale.status_code == 409
    days = {"days-person": 2, "days-clinician": 2, "days-letter": 9}
    wrong = sam.post("/setup/returns/rule", person_id="", **days)
    assert wrong.status_code == 422 and "later than the one above" in wrong.text
    sam.post("/setup/returns/rule", person_id=JUNO.id, **(days | {"days-clinician": 4}))
    assert 'value="9"' in sam.get("/setup/returns").text
    assert sam.get("/setup/returns?reason=999").status_code == 404


def test_the_last_step_is_a_letter_that_is_noted_once_it_is_mailed(juno: Browser, desk: Desk) -> None:
    number = asked(desk, add_patient(desk))
    base = f"/followup/returns/{number}"
    assert "Print a letter" in juno.get(f"/followup/returns?open={number}").text
    assert juno.get(f"{base}/letter.pdf").content.startswith(b"%PDF-")
    assert "Wrote a letter" not in juno.get(f"/followup/returns?open={number}").text
    juno.post(f"{base}/tried", how="letter", outcome="sent", note="")
    assert "Wrote a letter: sent" in juno.get(f"/followup/returns?open={number}").text
    assert juno.get("/followup/returns/9999999/letter.pdf").status_code == 404

"""The call sheet over HTTP: the list, the one who is called beside it, outcomes that go on to the next, a
booking in place, a colleague's lock, and the weights.
"""

from __future__ import annotations

import re
from datetime import timedelta

import pytest

from tests.conftest import INES, JUNO, TODAY, add_patient, order, scalar
from tests.desk.followup.made import recall, recall_type
from tests.desk.followup.test_calls import RAVI
from tests.web.conftest import Browser, hidden
from zax.core.followup.call_sheet import SHIPPED_WEIGHTS
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.followup.calls import begin_call
from zax.desk.followup.returns import ReturnForm, ask_return


def three(desk: Desk) -> list[int]:
    """Three people to call, the first one first."""
    kind = recall_type(desk)
    people = [add_patient(desk, first=first) for first in ("Aster", "Birch", "Cedar")]
    for place, each in enumerate(people):
        recall(desk, each, kind, TODAY - timedelta(days=90 - 14 * place))
    return people


def test_the_list_says_why_and_in_which_order(juno: Browser, desk: Desk) -> None:
    aster, birch, cedar = three(desk)
    ask_return(desk, INES, cedar, ReturnForm(words="sutures", by_when="1d"))
    with desk.engine.begin() as connection:
        connection.exec_driver_sql(f"UPDATE patient_return SET due_day = '{TODAY - timedelta(days=4)}'")
    page = juno.get("/followup/calls").text
    assert page.index("Cedar") < page.index("Aster") < page.index("Birch")
    assert "3 people" in page and "all 4 reasons" in page and "4 days over" in page
    assert "Aster" not in juno.get("/followup/calls?of=asked").text
    assert juno.get("/followup/calls?of=nothing").status_code == 404
    assert juno.get("/followup/calls?open=999999").status_code == 404
    opened = juno.get(f"/followup/calls?open={cedar}").text
    assert "We’d like to see you again: sutures." in opened and "stands above any score" in opened


def test_an_outcome_is_noted_and_the_next_one_is_open(juno: Browser, desk: Desk) -> None:
    aster, birch, cedar = three(desk)
    page = juno.get(f"/followup/calls?open={aster}").text
    assert hidden(page, "next") == str(birch)
    sent = {"about": re.findall(r'name="about"\s+value="([^"]+)"', page)[:1], "next": birch, "of": "all"}
    done = juno.post(f"/followup/calls/{aster}/went", outcome="none", **sent)
    assert done.headers["location"] == f"/followup/calls?of=all&open={birch}#p{birch}"
    assert (
        "Aster" not in juno.get("/followup/calls").text
        and "Aster" in juno.get("/followup/calls?of=later").text
    )
    wrong = juno.post(
        f"/followup/calls/{birch}/went", outcome="again", again="whenever", next=cedar, of="all"
    )
    assert wrong.status_code == 422 and 'value="whenever"' in wrong.text and "isn’t a day" in wrong.text
    wrong = juno.post(f"/followup/calls/{birch}/went", outcome="no", why="", next=cedar, of="all")
    assert wrong.status_code == 422 and "Say why." in wrong.text
    last = juno.post(f"/followup/calls/{cedar}/went", outcome="message", next="0", of="all")
    assert last.headers["location"] == "/followup/calls?of=all&"


def test_a_time_is_booked_in_place_and_its_reason_is_settled(juno: Browser, desk: Desk) -> None:
    aster, *_ = three(desk)
    page = juno.get(f"/followup/calls?open={aster}").text
    opening = re.search(r'name="opening" value="([^"]+)"', page)
    assert opening is not None
    sent = {"key": hidden(page, "key"), "settles": hidden(page, "settles"), "next": "0", "of": "all"}
    wrong = juno.post(f"/followup/calls/{aster}/book", opening="1|nonsense", **sent)
    assert wrong.status_code == 422 and "Choose one of the times again." in wrong.text
    done = juno.post(f"/followup/calls/{aster}/book", opening=opening[1], **sent)
    assert done.status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM visit WHERE patient_id = :p", p=aster) == 1
    assert scalar(desk, "SELECT outcome FROM contact_try WHERE patient_id = :p", p=aster) == "booked"
    assert "Aster" not in juno.get("/followup/calls").text
    assert "settled" in juno.get(f"/followup/calls?open={aster}").text


def test_a_return_hangs_on_the_visit_that_was_booked_for_it(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    reason = scalar(desk, "SELECT id FROM return_reason WHERE type_id IS NOT NULL ORDER BY id LIMIT 1")
    number = ask_return(desk, INES, patient, ReturnForm(reason_id=reason, by_when="3 days"))
    page = juno.get(f"/followup/calls?open={patient}").text
    opening = re.search(r'name="opening" value="([^"]+)"', page)
    assert opening is not None and hidden(page, "settles") == f"return-{number}"
    sent = {"key": hidden(page, "key"), "settles": hidden(page, "settles"), "opening": opening[1]}
    assert juno.post(f"/followup/calls/{patient}/book", **sent).status_code == 303
    assert scalar(desk, "SELECT booked_visit_id FROM patient_return WHERE id = :id", id=number)


def test_they_confirm_and_the_call_is_noted(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk)
    tomorrow = order(patient, 1, "14:00", "Filling", day=TODAY + timedelta(days=1))
    visit = book_visit(desk, JUNO, tomorrow)
    page = juno.get(f"/followup/calls?open={patient}").text
    assert "They’ll come: confirm" in page
    juno.post(f"/followup/calls/{patient}/confirm", about=[f"visit-{visit}"], of="all", next="0")
    assert scalar(desk, "SELECT state FROM visit WHERE id = :id", id=visit) == "confirmed"


def test_a_colleague_who_has_them_is_named(juno: Browser, desk: Desk) -> None:
    aster, birch, _ = three(desk)
    begin_call(desk, RAVI, aster)
    assert "Ravi Teller has them on the phone" in juno.get("/followup/calls").text
    assert "Ravi Teller has them on the phone" in juno.post(f"/followup/calls/{aster}/begin").text
    opened = juno.get(f"/followup/calls?open={aster}").text
    assert "look only" in opened and "No answer" not in opened
    refused = juno.post(f"/followup/calls/{aster}/went", outcome="none")
    assert refused.status_code == 409 and "Ravi Teller" in refused.text
    assert "yours for 10 minutes" in juno.post(f"/followup/calls/{birch}/begin").text
    assert juno.post(f"/followup/calls/{birch}/let-go", of="recall").status_code == 303
    assert scalar(desk, "SELECT COUNT(*) FROM call_lock") == 1


def test_weights_are_tried_on_todays_list_before_they_are_kept(sam: Browser, desk: Desk) -> None:
    three(desk)
    usual = {f"weight-{why}": points for why, points in SHIPPED_WEIGHTS.items()}
    tried = sam.post("/setup/calls", **(usual | {"weight-recall": 90}), do="try").text
    assert "Today’s list as it would be" in tried and "recall 102" in tried
    assert scalar(desk, "SELECT COUNT(*) FROM setting WHERE name = 'call_weights'") == 0
    wrong = sam.post("/setup/calls", **(usual | {"weight-recall": "lots"}), do="save")
    assert wrong.status_code == 422 and 'value="lots"' in wrong.text
    assert sam.post("/setup/calls", **(usual | {"weight-recall": 90}), do="save").status_code == 303
    assert "recall 102" in sam.get("/setup/calls").text


@pytest.mark.parametrize("path", ["/setup/calls", "/setup/recalls"])
def test_only_the_manager_sets_it_up(juno: Browser, path: str) -> None:
    assert juno.get(path).status_code == 403

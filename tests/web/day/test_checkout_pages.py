"""The checkout over HTTP: one press for money, the next visit and the recall; what is refused stays typed."""

from datetime import timedelta

import pytest

from tests.conftest import JUNO, TODAY, add_patient, order, scalar, state_of, visit_at_checkout
from tests.desk.followup.made import recall_type
from tests.web.conftest import Browser, hidden
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.track import take_to_room
from zax.desk.day.checkout import finish_checkout


# --- checkout
def test_one_press_pays_today_and_earlier_books_the_next_visit_and_sets_the_recall(
    juno: Browser, desk: Desk
) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    visit_id = book_visit(desk, JUNO, order(patient, 2, "14:15", "Hygiene"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    assert (
        juno.post(f"/visits/{visit_id}/act/finish", back="/day", version="3", patient_id=patient).status_code
        == 303
    )
    cleaning = recall_type(desk)
    page = juno.get(f"/visits/{visit_id}/checkout").text
    opening = page.split('name="opening" value="')[1].split('"')[0]
    assert (
        "Also pay" in page and "every 6 months, from May 24, 2027" in page and opening.startswith("2027-05-2")
    )
    amount = page.split('name="amount" value="')[1].split('"')[0]
    fields = {
        "key": hidden(page, "key"),
        "version": hidden(page, "version"),
        "tender": "cash",
        "offered": earlier,
        "also": earlier,
        "opening": opening,
        f"recall-{cleaning}": "6 months",
        "receipt": "none",
    }
    odd = fields | {f"recall-{cleaning}": "now and then"}
    refused = juno.post(f"/visits/{visit_id}/checkout", **odd, do="pay-finish", amount=amount)
    assert refused.status_code == 422 and "Say how long, such as 6 months" in refused.text
    wrong = juno.post(f"/visits/{visit_id}/checkout", **fields, do="pay-finish", amount="9999")
    assert wrong.status_code == 422 and "more than" in wrong.text
    done = juno.post(f"/visits/{visit_id}/checkout", **fields, do="pay-finish", amount=amount)
    assert done.headers["location"] == "/day" and state_of(desk, visit_id) == "left"
    assert (
        scalar(
            desk,
            "SELECT COUNT(*) FROM visit WHERE patient_id = :p AND day > :t AND state = 'booked'",
            p=patient,
            t=TODAY,
        )
        == 1
    )
    assert scalar(desk, "SELECT due_day FROM recall WHERE ended_at IS NULL").isoformat() == "2027-05-24"
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=earlier) == 0


def test_the_next_visit_is_offered_until_that_need_is_booked(juno: Browser, desk: Desk) -> None:
    """Kills: a filling that is booked ahead hides that the recall has nobody to do it."""
    patient = add_patient(desk, 1)
    visit_id = book_visit(desk, JUNO, order(patient, 2, "14:15", "Hygiene"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    juno.post(f"/visits/{visit_id}/act/finish", back="/day", version="3", patient_id=patient)
    recall_type(desk)
    ahead = TODAY + timedelta(days=14)
    book_visit(desk, JUNO, order(patient, 1, "14:00", "Filling", day=ahead))
    page = juno.get(f"/visits/{visit_id}/checkout").text
    assert "Tuesday, December 8, 2:00 pm" in page and 'name="opening" value="20' in page
    book_visit(desk, JUNO, order(patient, 2, "15:00", "Hygiene", day=ahead + timedelta(days=1)))
    assert 'name="opening" value="20' not in juno.get(f"/visits/{visit_id}/checkout").text


def test_a_next_visit_that_is_taken_meanwhile_stops_nothing_else_from_being_kept(
    juno: Browser, desk: Desk
) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    taken = f"{TODAY}|{15 * 60}|5|5|{TYPE_ID['Sick visit']}"
    book_visit(desk, JUNO, order(add_patient(desk, first="Iris"), start="15:00"))
    page = juno.get(f"/visits/{visit_id}/checkout").text
    answer = juno.post(
        f"/visits/{visit_id}/checkout",
        do="pay-finish",
        key=hidden(page, "key"),
        version=hidden(page, "version"),
        tender="cash",
        amount="128",
        opening=taken,
        receipt="none",
    )
    assert answer.status_code == 422 and "couldn’t be booked" in answer.text and 'value="128"' in answer.text
    assert state_of(desk, visit_id) == "checkout" and scalar(desk, "SELECT COUNT(*) FROM payment") == 0
    assert "Follow-up" in juno.get(f"/visits/{visit_id}/checkout?next={TYPE_ID['Follow-up']}&after=1m").text


@pytest.mark.parametrize("opening", ["x", "x|y|z|a|b", "2026-02-30|900|5|5|9", "2026-11-24|900|5", "||||"])
def test_a_next_visit_that_no_page_offered_is_refused_beside_the_times(
    juno: Browser, desk: Desk, opening: str
) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    page = juno.get(f"/visits/{visit_id}/checkout").text
    answer = juno.post(
        f"/visits/{visit_id}/checkout",
        do="pay-finish",
        key=hidden(page, "key"),
        version=hidden(page, "version"),
        tender="cash",
        amount="128",
        opening=opening,
        receipt="none",
    )
    assert answer.status_code == 422 and "Choose one of the times again" in answer.text
    assert 'value="128"' in answer.text and state_of(desk, visit_id) == "checkout"


def test_credits_papers_and_walking_out_over_http(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    for paper in ("itemized", "summary", "attendance"):
        assert juno.get(f"/visits/{visit_id}/{paper}.pdf").headers["content-type"] == "application/pdf"
    assert juno.get(f"/visits/{visit_id}/poem.pdf").status_code == 404
    assert juno.post(f"/visits/{visit_id}/walked-out", version="", back="/day").status_code == 303
    assert "left before the checkout" in juno.get("/day").text
    assert juno.post(f"/visits/{visit_id}/credit", **{"from": 10**8}).status_code == 404


def test_a_claim_is_promised_only_where_finishing_sends_it(juno: Browser, desk: Desk) -> None:
    whole = visit_at_checkout(desk, add_patient(desk, 4))
    page = juno.get(f"/visits/{whole}/checkout").text
    assert "ready to bill" in page and "ready to send when you finish" in page
    lacking = visit_at_checkout(desk, add_patient(desk, 4, first="Iris", zip=""), start="15:00")
    page = juno.get(f"/visits/{lacking}/checkout").text
    assert "stays here until" in page and "No full address for the patient." in page
    assert "the claim waits until that’s fixed" in page and "ready to bill" not in page

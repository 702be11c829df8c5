"""A visit from step to step over HTTP: what is refused, what was done, paid, taken back."""

import re

import pytest

from tests.conftest import JUNO, TODAY, add_patient, order, scalar, state_of, visit_at_checkout
from tests.web.conftest import Browser, hidden
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit


def test_a_refused_step_shows_on_the_page_it_was_pressed_on(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    answer = juno.post(f"/visits/{visit_id}/act/check-in", version=7, back="/day")
    assert answer.status_code == 409
    assert "You’re seeing the latest now" in answer.text and re.search(r"<h1>\s*Tuesday", answer.text)
    canceled = juno.post(
        f"/visits/{visit_id}/act/cancel", reason="", back=f"/book?day={TODAY}&visit={visit_id}"
    )
    assert canceled.status_code == 422 and "Choose why the visit is canceled" in canceled.text
    assert juno.post(f"/visits/{visit_id}/act/dance", back="/day").status_code == 404
    outside = juno.post(f"/visits/{visit_id}/act/check-in", back="https://evil.example/x")
    assert outside.headers["location"] == "/day"


def test_finishing_a_visit_without_charges_asks_for_the_reason(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    for act in ("check-in", "to-room"):
        assert juno.post(f"/visits/{visit_id}/act/{act}", back="/day").status_code == 303
    line_id = scalar(desk, "SELECT id FROM charge_line")
    assert juno.post(f"/visits/{visit_id}/charges/remove", line_id=line_id).status_code == 303
    answer = juno.post(f"/visits/{visit_id}/act/finish", back=f"/visits/{visit_id}/charges", reason="")
    assert answer.status_code == 422
    assert 'id="err-reason"' in answer.text
    assert state_of(desk, visit_id) == "room"


def test_charges_are_added_changed_and_removed(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    base = f"/visits/{visit_id}/charges"
    assert (
        "White filling, back, one surface" in juno.get(f"/visits/{visit_id}/services?what=fillng%20one").text
    )
    assert "D2740" in juno.get(f"/visits/{visit_id}/services?what=d274").text
    assert juno.post(f"{base}/add", choice="", what="crown").status_code == 422
    assert juno.post(f"{base}/add", choice="service:12").status_code == 303
    line_id = scalar(desk, "SELECT MAX(id) FROM charge_line")
    wrong = juno.post(f"{base}/change", line_id=line_id, tooth="44", surfaces="", units="1", billed="yes")
    assert wrong.status_code == 422 and "There is no tooth “44”" in wrong.text and 'value="44"' in wrong.text
    assert (
        juno.post(
            f"{base}/change", line_id=line_id, tooth="14", surfaces="", units="1", billed=""
        ).status_code
        == 303
    )
    assert juno.post(f"{base}/remove", line_id=line_id).status_code == 303
    assert "Put it back" in juno.get(base).text
    assert juno.post(f"{base}/put-back", line_id=line_id).status_code == 303


def test_diagnoses_are_searched_and_kept(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    hits = juno.get(f"/visits/{visit_id}/diagnoses?diagnosis=cough").text
    assert "R05.1" in hits and "R05.2" in hits
    assert juno.post(f"/visits/{visit_id}/charges/add-diagnosis", code="J02").status_code == 422
    assert juno.post(f"/visits/{visit_id}/charges/add-diagnosis", code="R05.1").status_code == 303
    assert juno.post(f"/visits/{visit_id}/charges/remove-diagnosis", code="R05.1").status_code == 303


def test_favorite_diagnoses_are_offered_before_anything_is_typed(web: Browser, desk: Desk) -> None:
    ines = web.sign_in("ines")
    visit_id = visit_at_checkout(desk, add_patient(desk))
    offered = f"/visits/{visit_id}/diagnoses?diagnosis="
    assert "J02.9" not in ines.get(offered).text
    ines.post(f"/visits/{visit_id}/charges/add-diagnosis", code="J02.9")
    assert ines.post(f"/visits/{visit_id}/charges/favorite", code="J02.9", kept="yes").status_code == 303
    assert "J02.9" in ines.get(offered).text
    page = ines.get(f"/visits/{visit_id}/charges").text
    assert 'aria-pressed="true"' in page.split("J02.9", 1)[1]
    assert "J02.9" not in web.sign_in("juno").get(offered).text
    ines = web.sign_in("ines")
    ines.post(f"/visits/{visit_id}/charges/favorite", code="J02.9", kept="")
    assert "J02.9" not in ines.get(offered).text
    assert ines.post(f"/visits/{visit_id}/charges/favorite", code="Q99", kept="yes").status_code == 422


def test_paying_and_finishing_in_one_press(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    page = juno.get(f"/visits/{visit_id}/checkout").text
    assert "80 percent of $236.00 after $50.00 deductible" in page and "$97.20" in page
    form = {
        "tender": "check",
        "amount": "97.20",
        "key": hidden(page, "key"),
        "version": hidden(page, "version"),
        "receipt": "none",
        "do": "pay-finish",
    }
    wrong = juno.post(f"/visits/{visit_id}/checkout", **form, number="")
    assert wrong.status_code == 422 and "printed on the check" in wrong.text and 'value="97.20"' in wrong.text
    done = juno.post(f"/visits/{visit_id}/checkout", **form, number="1184")
    assert (done.status_code, done.headers["location"]) == (303, "/day")
    again = juno.post(f"/visits/{visit_id}/checkout", **(form | {"receipt": "print"}), number="1184")
    assert "Print the receipt" in juno.get(again.headers["location"]).text
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 1
    assert state_of(desk, visit_id) == "left"
    pdf = juno.get(f"/visits/{visit_id}/receipt.pdf")
    assert pdf.headers["content-type"] == "application/pdf" and pdf.content[:5] == b"%PDF-"


@pytest.mark.parametrize("amount", ["0", "-1", "10000000", "abc", ""])
def test_amounts_that_cannot_be(juno: Browser, desk: Desk, amount: str) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    answer = juno.post(f"/visits/{visit_id}/checkout", tender="cash", amount=amount, key="k", do="pay")
    assert answer.status_code == 422
    assert 'id="err-amount-1"' in answer.text
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_steps_back_through_the_whole_visit(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    for state, back_to in (("checkout", "room"), ("room", "here"), ("here", "booked")):
        assert state_of(desk, visit_id) == state
        assert juno.post(f"/visits/{visit_id}/act/undo", reason="", back="/day").status_code == 422
        assert (
            juno.post(f"/visits/{visit_id}/act/undo", reason="wrong patient", back="/day").status_code == 303
        )
        assert state_of(desk, visit_id) == back_to
    assert scalar(desk, "SELECT COALESCE(SUM(patient_cents), 0) FROM journal") == 0


def test_leaving_with_an_open_rest_and_paying_it_later(juno: Browser, desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    assert juno.post(f"/visits/{visit_id}/checkout", do="finish", receipt="none").status_code == 303
    assert state_of(desk, visit_id) == "left"
    assert "Collect $286.00" in juno.get("/money").text and "Collect $286.00" in juno.get("/day").text
    page = juno.get(f"/visits/{visit_id}/checkout").text
    paid = juno.post(
        f"/visits/{visit_id}/checkout", do="pay", tender="cash", amount="286", key=hidden(page, "key")
    )
    assert paid.status_code == 303
    assert state_of(desk, visit_id) == "settled"
    number = scalar(desk, "SELECT id FROM receipt")
    assert f"receipt {number}" in juno.get(f"/visits/{visit_id}/checkout").text
    assert juno.get(f"/receipts/{number}.pdf").content[:5] == b"%PDF-"
    assert juno.get("/payments/999999/receipt.pdf").status_code == 404


def test_the_sheet_comes_alone_or_over_its_page(juno: Browser, desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, street="", alert="Latex allergy")))
    alone = juno.get(f"/visits/{visit_id}/sheet?on=day").text
    assert alone.strip().startswith("<aside") and "<html" not in alone
    assert (
        'href="/day"' in alone and "Latex allergy" in alone and "No address, so no claim can go out" in alone
    )
    for path in (f"/day?visit={visit_id}", f"/book?visit={visit_id}"):
        assert "Latex allergy" in juno.get(path).text
    assert juno.get(f"/visits/{visit_id}").headers["location"] == f"/book?day={TODAY}&visit={visit_id}"
    assert scalar(desk, "SELECT COUNT(*) FROM look WHERE screen = 'visit'") == 3

"""Sending a paper from where one looks at it, and the page behind its link."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.conftest import JUNO, SAM, add_patient, pay_visit, rows_of, scalar, visit_at_checkout
from tests.desk.notices.made import log
from tests.web.conftest import Browser
from tests.web.followup.test_offer_pages import after
from tests.web.record.test_record_pages import jpeg, upload
from zax.desk.acts.transaction import Desk
from zax.desk.day.checkout import finish_checkout
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside


@pytest.fixture
def paid(desk: Desk) -> int:
    """A visit of Helen's with something paid, and patients who reach our pages."""
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))
    visit = visit_at_checkout(desk, add_patient(desk, first="Helen", last="Vasquez"), dental=True)
    pay_visit(desk, visit, "cash", "97.20", "k")
    return visit


def link(desk: Desk) -> str:
    return str(log(desk)[-1]["link"])


def test_every_paper_of_a_visit_is_one_step_from_the_others(juno: Browser, paid: int) -> None:
    page = juno.get(f"/visits/{paid}/checkout").text
    assert f"/send/visit-receipt/{paid}?back=/visits/{paid}/checkout" in page
    page = juno.get(f"/send/itemized/{paid}?back=/visits/{paid}/checkout").text
    assert "Send: Itemized bill" in page and "helen@example.org" in page and "(360) 555-0148" in page
    for other in ("visit-receipt", "summary", "attendance"):
        assert f"/send/{other}/{paid}?back=/visits/{paid}/checkout" in page


def test_it_goes_and_the_patients_messages_say_so(
    juno: Browser, web: Browser, desk: Desk, paid: int, outside: Outside
) -> None:
    back = f"/visits/{paid}/checkout"
    page = after(juno, f"/send/itemized/{paid}", channel="text", back=back)
    assert "Itemized bill is on its way to 3605550148." in page
    run_once(desk, outside, None)  # type: ignore[arg-type]
    patient = log(desk)[0]["patient_id"]
    page = " ".join(juno.get(f"/patients/{patient}/messages").text.split())
    assert "Paper shared" in page and "sent · Itemized bill" in page and "shut its link" in page
    opened = web.post(f"/p/{link(desk)}", birth="5/3/1984")
    assert opened.status_code == 200 and opened.content.startswith(b"%PDF")
    assert opened.headers["content-disposition"] == 'inline; filename="itemized-bill.pdf"'
    assert "sent, opened · Itemized bill" in " ".join(juno.get(f"/patients/{patient}/messages").text.split())
    page = after(juno, f"/messages/{log(desk)[0]['id']}/stop-link", back=f"/patients/{patient}/messages")
    assert "opens nothing anymore" in page and "its link is shut" in page
    assert web.get("/p/None").status_code == 404


def test_a_receipt_a_plan_and_a_statement_have_the_way_beside_them(
    juno: Browser, desk: Desk, paid: int
) -> None:
    receipt = scalar(desk, "SELECT MAX(id) FROM receipt")
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=paid)
    assert f"/send/receipt/{receipt}?back=/receipts/{receipt}" in juno.get(f"/receipts/{receipt}").text
    finish_checkout(desk, JUNO, paid)
    made = juno.post(f"/accounts/{patient}/statement", who="all").headers["location"]
    number = made.removeprefix("/statements/").removesuffix(".pdf")
    assert f"/send/statement/{number}" in juno.get(f"/accounts/{patient}").text
    page = juno.get(f"/send/statement/{number}").text
    assert "a link to it" in page and "attached to the email" not in page
    after(juno, f"/send/statement/{number}", channel="email", back=f"/accounts/{patient}")
    assert [row["paper_name"] for row in log(desk)] == ["Statement"]


def test_agreeing_on_the_record_lets_it_be_attached(juno: Browser, desk: Desk, paid: int) -> None:
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=paid)
    assert "not asked" in juno.get(f"/patients/{patient}").text
    version = scalar(desk, "SELECT version FROM patient WHERE id = :id", id=patient)
    page = after(juno, f"/patients/{patient}/act/messages", care="yes", version=version)
    assert "Care named in emails" in page and "agreed," in page
    assert "attached to the email" in juno.get(f"/send/itemized/{paid}").text
    detail = rows_of(desk, "SELECT detail FROM audit WHERE act = 'patient.reach'")[0]["detail"]
    assert "Care named in emails" in detail and "agreed" in detail


@pytest.mark.parametrize(
    ("form", "status"),
    [({"channel": "pigeon"}, 404), ({"channel": "call"}, 422), ({}, 404), ({"channel": "letter"}, 422)],
)
def test_a_way_that_there_is_not_sends_nothing(
    juno: Browser, desk: Desk, paid: int, form: dict[str, str], status: int
) -> None:
    assert juno.post(f"/send/itemized/{paid}", back="//evil.example", **form).status_code == status
    assert log(desk) == []


@pytest.mark.parametrize(
    "address", ["/send/poem/1", "/send/itemized/999999", "/send/file/0", "/send/receipt/-1", "/send/signed/9"]
)
def test_a_paper_that_isnt_there(juno: Browser, paid: int, address: str) -> None:
    assert juno.get(address).status_code in {404, 422}
    assert juno.post(address, channel="email").status_code in {404, 422}


def test_where_it_goes_back_to_is_ours(juno: Browser, paid: int) -> None:
    page = juno.get(f"/send/itemized/{paid}?back=//evil.example").text
    assert 'href="//evil' not in page and 'value="//evil' not in page


def test_who_may_not_see_money_sends_no_receipt(ines: Browser, paid: int) -> None:
    assert ines.get(f"/send/itemized/{paid}").status_code == 403


def test_a_file_of_the_record_goes_as_a_paper(
    juno: Browser, web: Browser, desk: Desk, paid: int, outside: Outside
) -> None:
    patient = scalar(desk, "SELECT patient_id FROM visit WHERE id = :id", id=paid)
    upload(juno, f"/patients/{patient}/files", "file", jpeg(), "x.jpg", kind="scan")
    number = scalar(desk, "SELECT MAX(id) FROM patient_file")
    assert f"/send/file/{number}" in juno.get(f"/patients/{patient}/files").text
    after(juno, f"/send/file/{number}", channel="email", back=f"/patients/{patient}/files")
    assert web.post(f"/p/{link(desk)}", birth="5/3/1984").content.startswith(b"%PDF")


def test_the_page_asks_in_their_language_and_says_what_is_wrong(
    web: Browser, juno: Browser, desk: Desk, paid: int
) -> None:
    with desk.engine.begin() as connection:
        from sqlalchemy import text

        connection.execute(text("UPDATE patient SET language = 'Spanish'"))
    after(juno, f"/send/itemized/{paid}", channel="text", back="/day")
    page = web.get(f"/p/{link(desk)}").text
    assert "Fecha de nacimiento de Helen" in page and "Vasquez" not in page and "Itemized" not in page
    page = web.post(f"/p/{link(desk)}", birth="1/1/1990")
    assert page.status_code == 422 and "Esa no es la fecha" in page.text and 'value="1/1/1990"' in page.text
    for _ in range(4):
        web.post(f"/p/{link(desk)}", birth="1/1/1990")
    page = web.post(f"/p/{link(desk)}", birth="5/3/1984")
    assert page.status_code == 404 and "doesn’t work anymore" in page.text and "Helen" not in page.text

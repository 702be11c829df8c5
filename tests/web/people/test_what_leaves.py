"""What leaves the clinic, and who looked at what: lists go out by a right of their own, on record and with no
cell that a spreadsheet would run; papers and files about patients are looks.
"""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    order,
    pay_visit,
    scalar,
    visit_at_checkout,
)
from tests.web.conftest import Browser
from tests.web.record.test_record_pages import upload
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.charges.finishing import back_to_room
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.statements import make_statement
from zax.store.files import FileStore
from zax.web.money.documents import statement_pdfs

RUNS = "=HYPERLINK(1)"


def looks(desk: Desk, patient: int) -> int:
    return int(scalar(desk, "SELECT COUNT(*) FROM look WHERE patient_id = :id", id=patient))


def cells(text: str) -> list[str]:
    return [cell for row in csv.reader(io.StringIO(text)) for cell in row]


@pytest.fixture
def lists(desk: Desk, odile: Browser) -> dict[str, str]:
    """The path of each of the four tables, with a text in each that a spreadsheet would run."""
    patient = add_patient(desk, last=RUNS, first="@Ana", email="")
    back_to_room(desk, SAM, visit_at_checkout(desk, patient), "+1 more")
    made = upload(odile, "/import", "file", f"given,last\n,{RUNS}\n".encode(), "x.csv")
    path = made.headers["location"]
    odile.post(path, **{"column-0": "first", "column-1": "last", "do": "dry"})
    return {
        "patients": "/export/patients.csv",
        "one patient": f"/patients/{patient}/export.csv",
        "journal": f"/journal.csv?first={TODAY}&last={TODAY}",
        "refused rows": f"{path}/refused.csv",
    }


@pytest.mark.parametrize("name", ["patients", "one patient", "journal", "refused rows"])
def test_a_list_goes_out_guarded_on_record_and_by_its_own_right(
    web: Browser, desk: Desk, lists: dict[str, str], name: str
) -> None:
    before = scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'exported'")
    looked = scalar(desk, "SELECT COUNT(*) FROM look")
    answer = web.get(lists[name])
    assert answer.status_code == 200, answer.text
    found = cells(answer.text)
    assert any(RUNS in cell for cell in found) or name == "refused rows"
    for cell in found:
        assert cell[:1] not in {"=", "+", "@"}, cell
        assert cell[:1] != "-" or cell.replace(".", "").lstrip("-").isdigit(), cell
    on_record = (
        scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'exported'") - before
        or scalar(desk, "SELECT COUNT(*) FROM look") - looked
    )
    assert on_record == 1
    for name_without, path in (("juno", lists[name]), ("ines", lists[name])):
        web.sign_in(name_without)
        assert web.get(path).status_code == 403


@pytest.mark.parametrize("kind", ["csv", "vcf", "json"])
def test_everybody_in_every_form_is_one_line_on_record(odile: Browser, desk: Desk, kind: str) -> None:
    add_patient(desk)
    assert odile.get(f"/export/patients.{kind}").status_code == 200
    assert scalar(desk, "SELECT COUNT(*) FROM audit WHERE act = 'exported'") == 1


def test_papers_claims_and_files_are_looks(odile: Browser, desk: Desk, outside: Any) -> None:
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True)
    pay_visit(desk, visit, "cash", "5.00", "k")
    finish_checkout(desk, JUNO, visit)
    send_ready(desk, ODILE)
    receipt = scalar(desk, "SELECT MAX(id) FROM receipt")
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=patient)
    store: FileStore = odile.client.app.state.shared.files  # type: ignore[attr-defined]
    statement = make_statement(desk, SAM, statement_pdfs, store, household, None)
    for number, path in enumerate(
        (
            f"/receipts/{receipt}",
            f"/receipts/{receipt}.pdf",
            f"/statements/{statement}.pdf",
            f"/claims/{scalar(desk, 'SELECT MAX(id) FROM claim')}",
            f"/files/{scalar(desk, 'SELECT MAX(id) FROM x12_file')}",
        ),
        1,
    ):
        answer = odile.get(path)
        assert answer.status_code == 200, (path, answer.text)
        assert looks(desk, patient) == number, path


def test_a_payers_answer_as_it_came_is_a_look(odile: Browser, desk: Desk, outside: Any) -> None:
    patient = add_patient(desk, 2)
    cover = scalar(desk, "SELECT id FROM coverage")
    odile.post(f"/coverage/{cover}/ask", back="/day")
    check = scalar(desk, "SELECT MAX(id) FROM eligibility_check")
    before = looks(desk, patient)
    assert odile.get(f"/eligibility/{check}/raw.txt").status_code == 200
    assert looks(desk, patient) == before + 1


def test_a_clinician_asks_no_payers_in_bulk(web: Browser, desk: Desk) -> None:
    book_visit(desk, JUNO, order(add_patient(desk, 2), 1, kind="Filling"))
    web.sign_in("ines")
    assert web.post("/eligibility", days="3").status_code == 403
    assert 'action="/eligibility"' not in web.get("/eligibility").text
    assert scalar(desk, "SELECT COUNT(*) FROM eligibility_batch") == 0
    web.sign_in("juno")
    assert web.post("/eligibility", days="3").status_code == 303

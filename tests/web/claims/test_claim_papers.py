"""Files of the record that go with a claim: chosen, numbered by it, and printed behind a cover sheet."""

from __future__ import annotations

import io
from pathlib import Path

import pikepdf
import pytest

from tests.conftest import JUNO, scalar
from tests.desk.claims.test_working_claims import finished
from tests.desk.patients.test_two_records import pdf, picture
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.patients.files import end_file, keep_file
from zax.store.files import FileStore


@pytest.fixture
def filed(desk: Desk, tmp_path: Path) -> tuple[int, int, list[int]]:
    """(claim, patient, two files of the patient's record)."""
    claim = finished(desk)
    patient = scalar(desk, "SELECT patient_id FROM claim WHERE id = :id", id=claim)
    store = FileStore(tmp_path)
    files = [
        keep_file(desk, JUNO, store, patient, "scan", "x-ray.jpg", picture((400, 900))),
        keep_file(desk, JUNO, store, patient, "scan", "chart.pdf", pdf()),
    ]
    return claim, patient, files


def paper(at: int, file: int, **more: str) -> dict[str, str]:
    typed = {"kind": "RB", "how": "BM", "number": ""} | more
    return {f"attachments-{at}-{name}": value for name, value in typed.items()} | {f"files-{at}": str(file)}


def test_files_are_chosen_get_the_claims_numbers_and_print_behind_a_cover(
    odile: Browser, desk: Desk, filed: tuple[int, int, list[int]]
) -> None:
    claim, _, files = filed
    page = odile.get(f"/claims/{claim}?part=papers").text
    assert "x-ray.jpg" in page and "chart.pdf" in page
    typed = paper(0, files[0]) | paper(1, files[1], kind="P6", number="N-77")
    answer = odile.post(f"/claims/{claim}/carry", part="papers", **typed)
    assert answer.status_code == 303
    page = odile.get(f"/claims/{claim}").text
    assert f"C{claim:06d}-1" in page and "N-77" in page and "Attachments, PDF" in page
    printed = odile.get(f"/claims/{claim}/papers.pdf")
    assert printed.headers["content-type"] == "application/pdf"
    with pikepdf.open(io.BytesIO(printed.content)) as together:
        assert len(together.pages) == 3
        # A picture stands upright on a letter page.
        assert [round(float(n)) for n in together.pages[1].mediabox] == [0, 0, 612, 792]


def test_a_file_that_is_not_said_to_be_anything_is_asked_about_and_kept_in_its_box(
    odile: Browser, filed: tuple[int, int, list[int]]
) -> None:
    claim, _, files = filed
    answer = odile.post(f"/claims/{claim}/carry", part="papers", **{"files-0": str(files[0])})
    assert answer.status_code == 422 and "Say what it is." in answer.text
    assert f'<option value="{files[0]}" selected>' in answer.text.replace("\n", " ")


def test_another_patients_file_is_never_taken(
    odile: Browser, desk: Desk, tmp_path: Path, filed: tuple[int, int, list[int]]
) -> None:
    claim, _, _ = filed
    other = scalar(desk, "SELECT patient_id FROM claim WHERE id = :id", id=finished(desk, start="15:30"))
    file = keep_file(desk, JUNO, FileStore(tmp_path), other, "scan", "theirs.pdf", pdf())
    answer = odile.post(f"/claims/{claim}/carry", part="papers", **paper(0, file))
    assert answer.status_code == 422 and "one of the list" in answer.text
    assert odile.get(f"/claims/{claim}/papers.pdf").status_code == 404


def test_a_file_that_was_taken_out_of_the_record_goes_no_longer(
    odile: Browser, desk: Desk, filed: tuple[int, int, list[int]]
) -> None:
    claim, patient, files = filed
    odile.post(f"/claims/{claim}/carry", part="papers", **paper(0, files[0]))
    end_file(desk, JUNO, patient, files[0])
    assert odile.get(f"/claims/{claim}/papers.pdf").status_code == 404
    assert odile.get(f"/claims/{claim}").status_code == 200

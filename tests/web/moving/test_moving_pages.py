"""Lists and archives on their pages: who may bring and take what, and what a press leads to, up to the
worker.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import SAM, add_patient, scalar
from tests.web.conftest import Browser
from tests.web.record.test_record_pages import upload
from zax.clock import ShiftedClock
from zax.core.errors import Conflict
from zax.core.moving.manifest import NAME, read_manifest
from zax.desk.acts.transaction import Desk
from zax.desk.moving.archives import ask_for_archive, path_of
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore

FEES = b"code,words,category,fee\nD0120,,,70\nD2790,Crown,major care,1250\nX,,,\n"
Work = Callable[[], int]


@pytest.fixture
def work(desk: Desk, outside: Outside, tmp_path: Path) -> Work:
    return lambda: run_once(desk, outside, None, FileStore(tmp_path))  # type: ignore[arg-type]


def test_import_and_export_over_the_wire(web: Browser, desk: Desk) -> None:
    number = add_patient(desk, 1)
    web.sign_in("juno")
    assert web.get("/import").status_code == 403 and web.get("/export/patients.csv").status_code == 403
    assert web.get(f"/patients/{number}/export.vcf").status_code == 403
    web.sign_in("odile")
    assert "No imports yet" in web.get("/import").text
    assert "is empty" in upload(web, "/import", "file", b"", "x.csv").text
    made = upload(web, "/import", "file", b"given,last\nAna,Ruiz\n", "x.csv")
    path = made.headers["location"]
    assert "1 rows, 2 columns" in web.get(path).text
    assert (
        "chosen for two columns"
        in web.post(path, **{"column-0": "first", "column-1": "first", "do": "dry"}).text
    )
    assert "Say which column is" in web.post(path, **{"column-0": "first", "do": "dry"}).text
    assert web.post(path, **{"column-0": "first", "column-1": "last", "do": "dry"}).status_code == 303
    assert "Stop" in web.get(path).text and web.post(path, do="stop").status_code == 303
    assert web.get(f"{path}/refused.csv").text.startswith("line,reason")
    assert (
        "Helen,Vasquez" in web.get("/export/patients.csv").text
        and '"resourceType":"Bundle"' in web.get("/export/patients.json").text
    )
    assert web.get(f"/patients/{number}/export.vcf").text.startswith("BEGIN:VCARD")
    assert web.get("/export/patients.xls").status_code == 404 and web.get("/import/999999").status_code == 404


def test_a_list_goes_from_the_page_through_the_worker_and_back(sam: Browser, desk: Desk, work: Work) -> None:
    path = upload(sam, "/import", "file", FEES, "fees.csv", list="services").headers["location"]
    columns = {"column-0": "code", "column-1": "words", "column-2": "category", "column-3": "fee"}
    assert "Services and fees · 3 rows" in sam.get(path).text
    assert sam.post(path, do="dry", **columns).status_code == 303
    work()
    page = sam.get(path).text
    assert "Dry run done. Nothing saved yet" in page and "Take in 2" in page and "$64.00 → $70.00" in page
    assert desk.clinic.fees["D0120"] == 6400
    assert sam.post(path, do="import", **columns).status_code == 303
    work()
    desk.read_setup()
    assert desk.clinic.fees["D0120"] == 7000 and desk.clinic.fees["D2790"] == 125_000
    assert "1 changed" in sam.get(path).text and "services and fees" in sam.get("/import").text
    assert "D2790" not in sam.get(f"{path}/refused.csv").text


def test_only_lists_that_one_may_bring_are_offered(web: Browser) -> None:
    providers = b"first,last,role\nA,B,dentist\n"
    web.sign_in("sam")
    assert "empty/providers.csv" in web.get("/import").text
    path = upload(web, "/import", "file", providers, "x.csv", list="providers").headers["location"]
    web.sign_in("odile")
    page = web.get("/import").text
    assert "empty/providers.csv" not in page and "empty/services.csv" in page
    assert upload(web, "/import", "file", providers, "x.csv", list="providers").status_code == 403
    columns = {"column-0": "first", "column-1": "last", "column-2": "role"}
    assert web.get(path).status_code == 403 and web.post(path, do="import", **columns).status_code == 403


def test_an_empty_table_has_the_heading_that_its_import_understands(odile: Browser, desk: Desk) -> None:
    text = odile.get("/import/empty/services.csv").text
    assert text.startswith("Code,What it is,Category,") and text.count("\n") == 1
    assert odile.get("/import/empty/recipes.csv").status_code == 404
    path = upload(
        odile, "/import", "file", f"{text}D2790,Crown,major care,1250\n".encode(), "x.csv", list="services"
    )
    assert 'value="words" selected' in " ".join(odile.get(path.headers["location"]).text.split())


def test_everything_is_asked_for_made_fetched_and_thrown_away(
    sam: Browser, desk: Desk, work: Work, clock: ShiftedClock, tmp_path: Path
) -> None:
    add_patient(desk, 1)
    assert "None yet. An archive stays here for 7 days." in sam.get("/import").text
    assert sam.post("/export/everything").status_code == 303
    assert "being made" in sam.get("/import").text
    with pytest.raises(Conflict):
        ask_for_archive(desk, SAM)
    assert sam.get("/export/everything/1.zip").status_code == 404
    while scalar(desk, "SELECT state FROM archive") == "waiting":
        assert work()
    number = scalar(desk, "SELECT id FROM archive")
    answer = sam.get(f"/export/everything/{number}.zip")
    packed = zipfile.ZipFile(io.BytesIO(answer.content))
    manifest = read_manifest(packed.read(NAME).decode())
    assert b"Vasquez" in packed.read("lists/patients.csv") and manifest.files["tables/patient.csv"].rows == 1
    assert "everything-2026" in answer.headers["content-disposition"]
    audit = "SELECT COUNT(*) FROM audit WHERE act = :act AND by_id = 4"
    assert scalar(desk, audit, act="archive.asked") == scalar(desk, audit, act="exported") == 1
    assert path_of(FileStore(tmp_path), number).exists()
    clock.set_to(clock.now() + timedelta(days=8))
    work()
    assert not path_of(FileStore(tmp_path), number).exists()
    assert scalar(desk, "SELECT state FROM archive") == "gone"


def test_everything_is_for_those_who_may_look_back_alone(web: Browser, desk: Desk) -> None:
    for name in ("odile", "juno"):
        web.sign_in(name)
        assert web.post("/export/everything").status_code == 403
        assert web.get("/export/everything/1.zip").status_code == 403
    web.sign_in("odile")
    assert "Take everything out" not in web.get("/import").text
    assert scalar(desk, "SELECT COUNT(*) FROM archive") == 0


def test_a_disk_that_is_full_is_told_and_leaves_nothing(
    sam: Browser, desk: Desk, work: Work, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("zax.desk.moving.archive._write_lists", full)
    assert sam.post("/export/everything").status_code == 303
    while scalar(desk, "SELECT state FROM archive") == "waiting":
        assert work()
    assert "No space left on device. Make room on the disk and ask again." in sam.get("/import").text
    assert list((tmp_path / "archives").iterdir()) == []
    assert sam.post("/export/everything").status_code == 303

"""Ready-made notes over HTTP: the setup, and what a field asks for."""

from __future__ import annotations

from datetime import timedelta

from tests.conftest import JUNO, TODAY, add_patient, order
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit


def test_the_demo_has_some_and_they_are_filled_for_the_patient(juno: Browser, desk: Desk) -> None:
    patient = add_patient(desk, first="Helen")
    book_visit(desk, JUNO, order(patient, 1, "10:00", "Filling", day=TODAY + timedelta(days=1)))
    found = dict(juno.get(f"/notes/ready?patient={patient}").json())
    assert found["lm"] == "Left a message at (360) 555-0148 to call Juniper Quay Clinic back"
    assert found["conf"] == "Confirmed for Wed, Nov 25 by phone, JP 10:42 am"
    assert "Helen called" in found["late"] and "___ minutes" in found["late"]
    for nobody in ("", "0", "999999", "x", "9" * 400):
        assert "at ___ to call" in dict(juno.get(f"/notes/ready?patient={nobody}").json())["lm"]


def test_one_is_written_changed_and_taken_out_of_use(sam: Browser) -> None:
    form = {"letters": "fl", "words": "Floss daily, {first}", "active": "yes", "version": 1}
    assert sam.post("/setup/notes/0", **form).status_code == 303
    page = sam.get("/setup/notes").text
    assert "Floss daily, {first}" in page
    number = page.split("/setup/notes?note=")[1:]
    mine = next(each.split('"')[0] for each in number if "<b>fl</b>" in each[:60])
    assert dict(sam.get("/notes/ready").json())["fl"] == "Floss daily, ___"
    page = sam.post(f"/setup/notes/{mine}", **form | {"words": "Hi {nobody}"})
    assert page.status_code == 422 and "{nobody} isn’t a place we can fill" in page.text
    assert "Hi {nobody}" in page.text
    del form["active"]
    assert sam.post(f"/setup/notes/{mine}", **form).status_code == 303
    assert "fl" not in dict(sam.get("/notes/ready").json())
    assert sam.post(f"/setup/notes/{mine}", **form).status_code == 409
    assert sam.get("/setup/notes?note=99999").status_code == 404


def test_only_the_setup_writes_them(juno: Browser) -> None:
    assert juno.get("/setup/notes").status_code == 403
    assert juno.post("/setup/notes/0", letters="x", words="y").status_code == 403

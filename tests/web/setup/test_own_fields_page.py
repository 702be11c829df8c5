"""The page of the clinic's own fields, and where they turn up."""

from __future__ import annotations

from tests.conftest import JUNO, SAM, add_patient, order
from tests.web.conftest import Browser
from zax.core.arrivals.steps import StepKind
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import StepForm, save_step
from zax.desk.book.booking import book_visit

FIELD = {
    "words": "Came by",
    "kind": "choice",
    "choices": "Ferry, On foot",
    "section": "reach",
    "active": "yes",
}


def test_a_field_is_added_shown_filled_in_and_retired(sam: Browser, setup: Desk) -> None:
    assert "No fields of your own yet" in sam.get("/setup/fields").text
    wrong = sam.post("/setup/fields/0", **FIELD | {"choices": "Ferry"})
    assert wrong.status_code == 422 and "2 to 40 answers" in wrong.text and 'value="Came by"' in wrong.text
    assert sam.post("/setup/fields/0", **FIELD | {"at_visits": "yes"}).status_code == 303
    (field,) = setup.clinic.own_fields
    patient = add_patient(setup)
    page = sam.get(f"/patients/{patient}?edit=reach").text
    assert '<option value="On foot"' in page and "Came by" in page
    kept = {"version": 1, "texts_to": "phone", "phone": "3605550101"}
    odd = sam.post(f"/patients/{patient}/part/reach", **kept, own_came_by="By train")
    assert odd.status_code == 422 and "Choose one from the list" in odd.text
    assert sam.post(f"/patients/{patient}/part/reach", **kept, own_came_by="On foot").status_code == 303
    assert "On foot" in sam.get(f"/patients/{patient}").text
    assert "Came by" in sam.get(f"/patients/{patient}/changes").text
    assert "filled in on 1 record" in " ".join(sam.get("/setup/fields").text.split())
    visit = book_visit(setup, JUNO, order(patient))
    assert "Came by: On foot" in sam.get(f"/visits/{visit}/sheet").text
    shorter = FIELD | {"choices": "Ferry, By car"}
    assert sam.post(f"/setup/fields/{field}", **shorter).status_code == 303
    assert "On foot (no longer on the list)" in sam.get(f"/patients/{patient}?edit=reach").text
    assert "On foot" in sam.get(f"/patients/{patient}").text
    assert sam.post(f"/setup/fields/{field}", **shorter | {"active": ""}).status_code == 303
    assert "On foot" not in sam.get(f"/patients/{patient}").text
    assert sam.post("/setup/fields/999", **FIELD).status_code == 404


def test_check_in_shows_them_and_says_what_is_missing(sam: Browser, setup: Desk) -> None:
    sam.post("/setup/fields/0", **FIELD | {"at_visits": "yes", "needed": "arrival"})
    save_step(setup, SAM, 0, StepForm(kind=StepKind.DETAILS, words="Confirm details", active=True))
    visit = book_visit(setup, JUNO, order(add_patient(setup)))
    page = sam.get(f"/visits/{visit}/arrival").text
    assert "<dt>Came by</dt>" in page and "Came by: not entered" in page and "edit=reach#own_came_by" in page


def test_the_front_desk_fills_them_in_and_does_not_make_them(juno: Browser, setup: Desk) -> None:
    assert juno.get("/setup/fields").status_code == 403
    assert juno.post("/setup/fields/0", **FIELD).status_code == 403
    assert setup.clinic.own_fields == {}

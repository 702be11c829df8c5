"""A code that is not on the list is offered where it is typed; who may puts it on the list and the visit."""

from __future__ import annotations

import pytest

from tests.conftest import add_patient, scalar
from tests.desk.acting import in_room, lines
from tests.web.conftest import Browser
from zax.core.charges.new_service import code_in
from zax.desk.acts.transaction import Desk

CROWN = {
    "code": "D2783",
    "words": "Crown, three quarter ceramic",
    "category": "major",
    "fee": "990",
    "done_on": "tooth",
    "surfaces": "",
}


@pytest.mark.parametrize(
    ("typed", "code"),
    [
        ("D2783", "D2783"),
        ("14 d2783 crown", "D2783"),
        ("99214", "99214"),
        ("j0696, two", "J0696"),
        ("14 MO filling", ""),
        ("crown", ""),
        ("D278", ""),
        ("", ""),
    ],
)
def test_a_code_is_told_from_words(typed: str, code: str) -> None:
    assert code_in(typed) == code


def test_it_is_offered_to_who_may_and_named_to_the_others(web: Browser, setup: Desk) -> None:
    visit = in_room(setup, add_patient(setup, 1), dental=True)
    assert "Billing can add it" in web.sign_in("juno").get(f"/visits/{visit}/services?what=D2783").text
    offered = web.sign_in("odile").get(f"/visits/{visit}/services?what=D2783").text
    assert f"/services/new?code=D2783&amp;visit={visit}" in offered
    assert "/services/new" not in web.get(f"/visits/{visit}/services?what=D2740").text


def test_it_goes_on_the_list_and_on_the_visit(odile: Browser, setup: Desk) -> None:
    visit = in_room(setup, add_patient(setup, 1), dental=True)
    page = odile.get(f"/services/new?code=d2783&visit={visit}").text
    assert 'value="D2783"' in page and "Done on" in page
    answer = odile.post("/services/new", **CROWN, visit=visit)
    assert answer.headers["location"] == f"/visits/{visit}/charges"
    made = next(each for each in setup.clinic.services.values() if each.code == "D2783")
    assert (made.fee_cents, made.category, made.rule.needs_tooth) == (99_000, "major", True)
    assert made.id in {each.service_id for each in lines(setup, visit)}
    again = odile.post("/services/new", **CROWN, visit=visit)
    assert again.status_code == 422 and "on the list already" in again.text
    assert scalar(setup, "SELECT COUNT(*) FROM service WHERE code = 'D2783'") == 1


def test_on_a_visit_of_the_other_kind_it_only_goes_on_the_list(odile: Browser, setup: Desk) -> None:
    visit = in_room(setup, add_patient(setup, 4))
    answer = odile.post("/services/new", **CROWN, visit=visit)
    assert answer.status_code == 303
    assert "not on this visit" in odile.get(f"/visits/{visit}/charges").text
    assert "D2783" not in {setup.clinic.services[each.service_id].code for each in lines(setup, visit)}


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"code": "27"}, "Write the code"),
        ({"words": "x"}, "Say what it is"),
        ({"category": "office"}, "Choose one from the list"),
        ({"fee": "much"}, "isn’t an amount"),
        ({"done_on": "surfaces", "surfaces": "9"}, "How many surfaces"),
        ({"code": "99214"}, "Choose one from the list"),
    ],
)
def test_what_is_wrong_is_said_and_what_was_typed_stays(
    odile: Browser, desk: Desk, changes: dict[str, str], says: str
) -> None:
    answer = odile.post("/services/new", **(CROWN | changes))
    assert answer.status_code == 422 and says in answer.text
    assert f'value="{(CROWN | changes)["words"]}"' in answer.text


def test_only_who_may_change_the_list_does(juno: Browser) -> None:
    assert juno.get("/services/new?code=D2783").status_code == 403
    assert juno.post("/services/new", **CROWN).status_code == 403

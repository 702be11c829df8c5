"""Day narrowed down, a clinician’s own page, and the wall, over HTTP."""

import pytest

from tests.conftest import JUNO, SAM, add_patient, order, scalar
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.arrivals.stages import save_stage
from zax.desk.book.booking import book_visit
from zax.desk.book.track import take_to_room


@pytest.fixture
def visit(desk: Desk) -> int:
    return book_visit(desk, JUNO, order(add_patient(desk, 4)))


# --- day, clinicians, the wall
def test_day_is_narrowed_by_its_address_and_keeps_that_with_a_sheet_open(
    juno: Browser, desk: Desk, visit: int
) -> None:
    page = juno.get(f"/day?show=p5&visit={visit}").text
    assert (
        'value="p5" selected' in page and 'href="/day?show=p5"' in page and "Nadia Ferro NP</b>" not in page
    )
    assert "Exam A</b>" in juno.get("/day?show=rooms").text and juno.get("/day?show=p999").status_code == 200


def test_a_clinician_starts_at_their_own_page_and_moves_stages(ines: Browser, desk: Desk) -> None:
    stage = save_stage(desk, SAM, 0, "Treating", "provider", True, True)
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, 1), 1, "13:00", "Filling"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    assert ines.get("/").headers["location"] == "/mine"
    page = ines.get("/mine").text
    assert "My patients" in page and "Helen Vasquez" in page and "Treating" in page
    assert ines.post(f"/visits/{visit_id}/stage", stage_id=stage, back="/mine").status_code == 303
    refused = ines.post(f"/visits/{visit_id}/stage", stage_id=999, back="/mine")
    assert refused.status_code == 422 and "Choose a stage" in refused.text
    assert ines.post(f"/visits/{visit_id}/stage", room_id=2, back="/mine").status_code == 303
    assert scalar(desk, "SELECT room_id FROM visit WHERE id = :id", id=visit_id) == 2
    on_day = ines.post(f"/visits/{visit_id}/stage", room_id=2, back=f"/day?visit={visit_id}")
    assert on_day.status_code == 422 and "in that room already" in on_day.text
    assert ines.get("/mine?provider=999").status_code == 404


def test_the_wall_needs_its_secret_and_says_no_more_than_initials(
    sam: Browser, desk: Desk, visit: int
) -> None:
    check_in(desk, JUNO, visit)
    assert sam.client.get("/wall/1/guess", follow_redirects=False).status_code == 404
    assert sam.post("/setup/wall").status_code == 303
    token = desk.clinic.about["wall_token"]
    fresh = sam.client
    fresh.cookies.clear()
    page = fresh.get(f"/wall/1/{token}")
    assert (
        page.status_code == 200
        and "H. V." in page.text
        and "Vasquez" not in page.text
        and "Helen" not in page.text
    )
    assert fresh.get(f"/wall/9/{token}", follow_redirects=False).status_code in {303, 404}

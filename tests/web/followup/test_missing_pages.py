"""The chance of not coming on screen: on the sheet with the nearest way out, and on the call sheet."""

from __future__ import annotations

from tests.conftest import JUNO, order
from tests.desk.followup.test_missing import TOMORROW, learn
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.track import confirm


def test_the_sheet_says_it_with_the_nearest_way_out(desk: Desk, juno: Browser) -> None:
    often, never = learn(desk)
    risky = book_visit(desk, JUNO, order(often, 1, "10:00", "Filling", day=TOMORROW))
    safe = book_visit(desk, JUNO, order(never, 1, "14:00", "Filling", day=TOMORROW))
    page = juno.get(f"/visits/{risky}/sheet").text
    assert "May not come, " in page and "missed " in page and "Call to confirm" in page
    assert "May not come" not in juno.get(f"/visits/{safe}/sheet").text
    assert "may not come, " in juno.get("/followup/calls").text
    assert "Book someone beside them" not in juno.get(f"/visits/{risky}/sheet").text
    with desk.engine.begin() as connection:
        connection.exec_driver_sql("UPDATE provider SET at_once = 2 WHERE id = 1")
        connection.exec_driver_sql("UPDATE visit_type SET doubles = 1 WHERE name = 'Filling'")
    desk.read_setup()
    beside = f'href="/book?day={TOMORROW}&amp;provider=1&amp;at=10:00"'
    assert beside in juno.get(f"/visits/{risky}/sheet").text
    confirm(desk, JUNO, risky)
    assert "Take a deposit" in juno.get(f"/visits/{risky}/sheet").text
    assert "may not come" not in juno.get("/followup/calls").text

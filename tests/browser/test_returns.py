"""A return from the clinician to booked, by keys: asked for in the room, called about at the desk, booked,
and hung on its visit; taken off the book it is due again by itself.
"""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of
from tests.conftest import JUNO
from zax.desk.book.cancellation import take_off

TO_BOOK = "SELECT COUNT(*) FROM patient_return WHERE ended_at IS NULL AND booked_visit_id IS NULL"


def test_asked_for_in_the_room_and_booked_at_the_desk(person: Callable[[str], Person], zax: Running) -> None:
    visit = of(zax, "SELECT id FROM visit WHERE state = 'room' ORDER BY id LIMIT 1")
    patient = of(zax, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    before = of(zax, TO_BOOK)
    ines = person("ines")
    ines.open(f"/visits/{visit}/charges")
    ines.press(Keys.ESCAPE)
    ines.press("k")
    ines.until(lambda: ines.focus().get_attribute("name") == "reason_id", "what for has the focus")
    ines.focus().send_keys("blood")
    ines.press(Keys.TAB, Keys.ENTER)
    ines.see("asked back")
    number = of(zax, "SELECT MAX(id) FROM patient_return")
    assert of(zax, TO_BOOK) == before + 1

    desk = person("juno")
    desk.open("/day")
    desk.press("g", "f")
    desk.at("/followup/calls")
    desk.ready()
    desk.open(f"/followup/returns?open={number}")
    desk.press("m")
    desk.see("left a message", ".pd-log")
    desk.press("o")
    desk.at(f"for={patient}")
    desk.find(".opens .pick")
    desk.ready()
    desk.press("1")
    desk.see("asked back: blood pressure check", ".slipabout")
    desk.control_enter()
    desk.see("Booked.")
    booked = of(zax, "SELECT MAX(id) FROM visit WHERE patient_id = :id", id=patient)
    desk.open(f"/followup/returns?open={number}")
    desk.click_words("Do it at this visit", ".dn-s")
    desk.see("Not at that visit", ".dn-s")
    assert of(zax, "SELECT booked_visit_id FROM patient_return WHERE id = :id", id=number) == booked
    take_off(zax.desk, JUNO, booked, "clinic", "the room is flooded")
    desk.open(f"/followup/returns?open={number}")
    desk.see("due", ".dn-s .crumb")
    assert of(zax, TO_BOOK) == before

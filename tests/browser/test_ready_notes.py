"""A ready-made note by its first letters: it shows below the field, Tab takes it, its blank is chosen to type
over, and what isn't wanted stays as typed.
"""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of

WORDS = ".dn-s input[name=note], .dn-s textarea[name=note]"


def test_letters_then_tab(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    patient = of(zax, "SELECT patient_id FROM waiting WHERE why = 'lost' AND ended_at IS NULL LIMIT 1")
    desk.open(f"/followup/calls?open={patient}")
    desk.press("t")
    field = desk.find(WORDS)
    desk.until(lambda: desk.focus() == field, "the note has the focus")

    def says() -> str:
        return str(desk.find(WORDS).get_attribute("value"))

    field.send_keys("so: ins")
    desk.see("Checked coverage with the payer", ".ready")
    field.send_keys(Keys.TAB)
    desk.until(lambda: says().startswith("so: Checked coverage with the payer by phone"), "it is taken")
    assert desk.focus() == field
    field.send_keys("Ana")
    desk.until(lambda: "spoke with Ana, JP" in says(), "the blank is typed over")
    field.send_keys(" na")
    desk.see("No answer", ".ready")
    field.send_keys(Keys.ESCAPE)
    desk.until(lambda: not desk.all(".ready"), "it is let be")
    assert "Ana na, JP" in says() and desk.focus() == field
    field.send_keys("p")
    assert "Ana nap, JP" in says()
    assert desk.all(".ready") == []

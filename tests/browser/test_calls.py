"""A morning on the call sheet by keys alone: ten calls that end ten ways, and what it takes."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of


def test_ten_calls_with_ten_outcomes(person: Callable[[str], Person], zax: Running) -> None:
    """Counted: 15 presses for ten calls, beyond the words that are typed."""
    desk = person("juno")
    desk.open("/followup/calls?of=recall")
    presses = 0

    def open_id() -> str:
        return desk.driver.current_url.partition("open=")[2].partition("#")[0].partition("&")[0]

    def press(*keys: str) -> None:
        nonlocal presses
        presses += len(keys)
        desk.press(*keys)

    def went(outcome: str, *keys: str, words: str = "") -> str:
        """One call; who it was."""
        who = open_id()
        desk.find(f".dn-s [action='/followup/calls/{who}/went']")
        desk.see("yours for 10 minutes", ".dn-s")
        desk.until(desk.quiet, "nothing is on its way")
        before = tries(zax, who)
        press(*keys[:1])
        if words:
            desk.until(lambda: desk.focus().tag_name == "input", "the field has the focus")
            desk.press(words)
        press(*keys[1:])
        desk.until(lambda: tries(zax, who) == before + 1, f"{outcome} is noted")
        last = "SELECT outcome FROM contact_try WHERE patient_id = :id ORDER BY id DESC LIMIT 1"
        assert of(zax, last, id=who) == outcome
        desk.until(lambda: open_id() not in {"", who}, "the next one is open")
        return who

    press("1")
    desk.at("open=")
    desk.ready()
    booked = went("booked", "r")
    went("none", "a")
    went("message", "m")
    went("again", "c", Keys.ENTER, words="3w")
    went("no", "x", Keys.ENTER, words="goes elsewhere")
    wrong = went("wrong", "w")
    went("reached", "s")
    moved = went("moved", "v")
    went("again", "c", Keys.ENTER, words="fri")
    again = went("booked", "2", "r")
    assert presses == 15
    for who in (booked, again):
        assert of(zax, "SELECT COUNT(*) FROM visit WHERE patient_id = :id AND state = 'booked'", id=who) >= 1
        assert of(zax, "SELECT COUNT(*) FROM recall WHERE patient_id = :id AND ended_at IS NULL", id=who) >= 1
    assert of(zax, "SELECT status FROM patient WHERE id = :id", id=moved) == "inactive"
    assert of(zax, "SELECT phone FROM patient WHERE id = :id", id=wrong) == ""
    desk.see("10", ".under")
    desk.press(Keys.ESCAPE)
    desk.until(lambda: "open=" not in desk.driver.current_url, "let go")
    desk.until(lambda: of(zax, "SELECT COUNT(*) FROM call_lock") == 0, "nobody is held")


def tries(zax: Running, patient: str) -> int:
    return int(of(zax, "SELECT COUNT(*) FROM contact_try WHERE patient_id = :id", id=patient))


TWICE = """
const keys = [...document.querySelectorAll('main [data-key]')].filter((el) => el.getClientRects().length);
const named = keys.map((el) => el.dataset.key);
return named.filter((key, place) => named.indexOf(key) !== place);
"""


@pytest.mark.parametrize("path", ["/followup/calls", "/followup/recalls", "/followup/returns"])
def test_no_key_means_two_things(person: Callable[[str], Person], path: str) -> None:
    desk = person("juno")
    desk.open(path)
    assert desk.driver.execute_script(TWICE) == []
    desk.press("1")
    desk.at("open=")
    desk.find(".dn-s")
    desk.ready()
    assert desk.driver.execute_script(TWICE) == []


def test_recalls_are_ticked_and_texted_by_keys(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/followup/recalls?tried=no")
    boxes = "#many input[name=row]"
    desk.driver.execute_script("arguments[0].focus()", desk.find(boxes))
    desk.press(Keys.SPACE)
    desk.see("would get", "#about")
    asked = of(zax, "SELECT COUNT(*) FROM contact_try")
    desk.control_enter()
    desk.until(lambda: of(zax, "SELECT COUNT(*) FROM contact_try") == asked + 1, "noted as texted")
    desk.see("will get a text")
    desk.until(
        lambda: of(zax, "SELECT COUNT(*) FROM message WHERE event = 'recall' AND sent_at IS NOT NULL") >= 1,
        "the text went out",
    )


def test_all_of_a_page_are_ticked_at_once(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.open("/followup/recalls")
    desk.click("[data-tickall]")
    ticked = "return document.querySelectorAll('#many input[name=row]:checked').length"
    assert desk.driver.execute_script(ticked) == 40
    desk.see("by text", "#about")
    desk.click("#many input[name=row]")
    assert desk.driver.execute_script("return document.querySelector('[data-tickall]').indeterminate")


def test_a_whole_list_is_texted_and_goes_on_by_itself(person: Callable[[str], Person], zax: Running) -> None:
    """Hundreds at once: the page shows how far it is and comes back to the list when all are done."""
    desk = person("juno")
    before = of(zax, "SELECT COUNT(*) FROM contact_try WHERE how = 'text'")
    desk.open("/followup/recalls?by=over")
    desk.click("[name=whole]")
    desk.control_enter()
    desk.see("will get a text", ".said")
    desk.at("/followup/recalls?by=over")
    assert of(zax, "SELECT COUNT(*) FROM contact_try WHERE how = 'text'") > before + 100

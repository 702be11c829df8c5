"""A time asked for on a phone, held in one hand: by keys alone, with nothing serious for axe on any page; the
desk sees it at once and takes it in.
"""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of
from tests.browser.test_accessibility import violations

PHONE = {"width": 390, "height": 844, "deviceScaleFactor": 1, "mobile": True}


def code_on(zax: Running, phone: str) -> str:
    """What was texted there, as soon as it is."""
    to_it = [each["words"] for each in zax.came("texts") if each["to"] == phone]
    found = [words for words in to_it if "is your code" in words]
    return found[-1][:7] if found else ""


def test_a_time_is_asked_for_on_a_phone_and_taken_in_at_the_desk(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk, phone = person("juno"), person("sam")
    desk.open("/inbox")
    before = int(desk.find("#rail-inbox").text or 0)
    phone.driver.delete_all_cookies()
    phone.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", PHONE)
    wrong: list[str] = []

    def look(words: str) -> None:
        phone.see(words, "main")
        wrong.extend(violations(phone))
        wide = phone.driver.execute_script("return document.documentElement.scrollWidth")
        assert wide <= 390, (words, wide)

    phone.driver.get(f"{zax.url}/ask")
    look("What do you need?")
    phone.one(".ol-pick", "I feel sick").click()
    phone.find("main form button").send_keys(Keys.ENTER)
    look("When works for you?")
    phone.find(".ol-soon button").send_keys(Keys.ENTER)
    look("Who is the visit for?")
    for name, words in (
        ("first", "Corinne"),
        ("last", "Ellery"),
        ("birth", "3/14/1988"),
        ("phone", "360 555 0137"),
    ):
        phone.find(f"#{name}").send_keys(words)
    phone.find("#phone").send_keys(Keys.ENTER)
    look("Type the 6 digits we just texted you")
    assert phone.focus().get_attribute("id") == "code"
    phone.until(lambda: code_on(zax, "3605550137"), "the code is texted")
    phone.focus().send_keys(code_on(zax, "3605550137"), Keys.ENTER)
    look("You asked for")
    assert wrong == []
    desk.until(lambda: int(desk.find("#rail-inbox").text or 0) == before + 1, "the desk’s rail counts it")
    desk.open("/requests")
    desk.see("new online, not on file", "#main")
    for box in desk.all("tbody input[type=checkbox]"):
        name = str(box.get_attribute("aria-label"))
        if ("Corinne" in name) != box.is_selected():
            box.send_keys(Keys.SPACE)
    desk.control_enter()
    desk.see("1 accepted")
    assert of(zax, "SELECT status FROM patient WHERE first = 'Corinne' AND last = 'Ellery'") == "active"
    phone.driver.refresh()
    phone.see("You are booked", "main")

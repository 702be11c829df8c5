"""The patients' side on a phone and the tablet: registering with a lost network in the middle, signing,
paying on the card page, checking in oneself; and compare at the desk by keys alone.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of
from tests.browser.test_accessibility import violations
from tests.browser.test_asking import PHONE, code_on
from tests.conftest import SAM
from zax.demo.records import card_of
from zax.desk.tablet.tablets import make_tablet

OWES = """
    SELECT {} FROM patient p JOIN journal j ON j.patient_id = p.id
    WHERE p.guarantor AND p.birth < '1990-01-01' AND p.status = 'active' AND p.phone <> '' AND p.texts_to =
    'phone' AND (SELECT COUNT(*) FROM patient q WHERE q.phone = p.phone) = 1
    GROUP BY p.id HAVING SUM(j.patient_cents) BETWEEN 3000 AND 90000 ORDER BY p.id LIMIT 1
"""
YUSUF = "FROM patient WHERE first = 'Yusuf' AND last = 'Haddad'"
JOAN = """
    FROM patient p JOIN visit v ON v.patient_id = p.id
    WHERE p.first = 'Joan' AND p.last = 'Petrakis' AND v.state = 'confirmed'
"""


# 390 by 844 at 200 percent zoom.
ZOOMED = PHONE | {"width": 195, "height": 422}
# What is reached next, by key or by a screen reader, lies beneath or beside what came before.
OUT_OF_ORDER = """
const seen = [...document.querySelectorAll('main a, main button, main input, main select, main textarea')]
  .filter((el) => el.type !== 'hidden' && el.getClientRects().length && el.tabIndex >= 0
    && getComputedStyle(el).position !== 'fixed');
return seen.slice(1).filter((el, n) => {
  const before = seen[n].getBoundingClientRect(), box = el.getBoundingClientRect();
  return box.bottom <= before.top + 1 || (box.right <= before.left + 1 && box.top < before.bottom - 8
    && box.bottom > before.top + 8 && box.top <= before.top);
}).map((el) => el.outerHTML.slice(0, 120));"""


class OnPhone:
    """A phone held in one hand: nothing serious for axe on any page, what is reached in the order it is
    seen, and nothing wider than the phone, at 200 percent too.
    """

    def __init__(self, person: Person, zax: Running) -> None:
        self.person, self.zax = person, zax
        person.driver.delete_all_cookies()
        person.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", PHONE)

    def go(self, path: str) -> None:
        self.person.driver.get(f"{self.zax.url}{path}")

    def look(self, words: str) -> None:
        self.person.see(words, "main")
        assert violations(self.person) == [], words
        assert self.person.driver.execute_script(OUT_OF_ORDER) == [], words
        assert self.width() <= 390, words
        self.person.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", ZOOMED)
        assert self.width() <= 195, words
        self.person.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", PHONE)

    def width(self) -> int:
        return int(self.person.driver.execute_script("return document.documentElement.scrollWidth"))

    def put(self, **typed: str) -> None:
        for name, words in typed.items():
            field = self.person.find(f"[name={name}]")
            field.clear()
            field.send_keys(words)

    def press(self, *, leads_on: bool = True) -> None:
        """The button of the page; on, where it leads on, once the next page is there."""
        driver = self.person.driver
        driver.execute_script("document.documentElement.dataset.before = ''")
        self.person.find("main .ol-foot button").send_keys(Keys.ENTER)
        if leads_on:
            came = "return document.documentElement.dataset.before === undefined"
            self.person.until(lambda: driver.execute_script(came), "the next page comes")

    def gets_code(self, phone: str) -> None:
        self.person.until(lambda: code_on(self.zax, phone), "the code is texted")
        self.put(code=code_on(self.zax, phone))
        self.press()


@pytest.fixture
def phone(person: Callable[[str], Person], zax: Running) -> OnPhone:
    return OnPhone(person("sam"), zax)


def test_registering_on_a_phone_loses_nothing_without_a_network(
    phone: OnPhone, zax: Running, tmp_path: Path
) -> None:
    person = phone.person
    phone.go("/register")
    phone.look("Tell us about you")
    phone.put(first="Nora", last="Finch", birth="3/14/1988", phone="360 555 0161")
    phone.press()
    phone.look("Type the 6 digits we just texted you")
    phone.gets_code("3605550161")
    phone.look("About you")
    phone.put(used_name="Nor")
    person.see("Saved", "#saved")
    phone.press()
    phone.look("How we reach you")
    offline = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
    person.driver.execute_cdp_cmd("Network.enable", {})
    person.driver.execute_cdp_cmd("Network.emulateNetworkConditions", offline)
    phone.put(street="41 Lantern Row", city="Marrow Harbor", state="WA", zip="98201")
    phone.press(leads_on=False)
    person.see("No connection right now. Nothing is lost", "#saved")
    assert person.find("[name=street]").get_attribute("value") == "41 Lantern Row"
    back = {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    person.driver.execute_cdp_cmd("Network.emulateNetworkConditions", back)
    person.see("Saved", "#saved")
    phone.press()
    phone.look("In an emergency, and bills")
    phone.press()
    phone.look("Dental insurance")
    (tmp_path / "card.png").write_bytes(card_of("Harbor Guild Dental", "HG-40772"))
    person.all("[name=front]")[0].send_keys(str(tmp_path / "card.png"))
    person.see("We have it", "#cards")
    phone.put(payer="Harbour Gild dental", member="HG-40772")
    phone.press()
    phone.look("Medical insurance")
    phone.press()
    phone.look("Doctors and pharmacy")
    phone.press()
    person.until(lambda: "/form-" in person.driver.current_url, "the forms to sign")
    while "/form-" in person.driver.current_url:
        phone.look("Sign here")
        for answer in person.all(".ol-paper fieldset"):
            answer.find_element("tag name", "input").click()
        draw = ActionChains(person.driver).move_to_element(person.find("canvas")).click_and_hold()
        for across, down in ((-60, 20), *((15, -30), (15, 30)) * 5):
            draw.move_by_offset(across, down)
        draw.release().perform()
        phone.press()
    phone.look("Thank you, Nor")
    assert (
        of(zax, "SELECT COUNT(*) FROM registration WHERE state = 'sent' AND proven_phone = '3605550161'") == 1
    )
    assert of(zax, "SELECT COUNT(*) FROM signed_form WHERE signer = 'Nora Finch'") >= 1


def test_own_page_signed_in_explained_and_paid(phone: OnPhone, zax: Running) -> None:
    number, birth = of(zax, OWES.format("p.phone")), of(zax, OWES.format("DATE_FORMAT(p.birth, '%m/%d/%Y')"))
    person = phone.person
    phone.go("/my")
    phone.look("Your visits, forms and bills in one place.")
    phone.put(phone=number, birth=birth)
    phone.press()
    phone.look("Type the 6 digits we just texted you")
    phone.gets_code(number)
    phone.look("Hello,")
    for path, words in (
        ("/my/visits", "Visits"),
        ("/my/messages", "Write to us"),
        ("/my/settings", "How we write to you"),
        ("/my/records", "Who looked at your record"),
        ("/my/account", "You owe"),
    ):
        phone.go(path)
        phone.look(words)
    person.find("button[value=balance]").click()
    phone.look("We never see the number.")
    person.find("a.ol-go").click()
    person.see("Pay $", "body")
    phone.put(number="4242424242424242", expires="08/29", code="123")
    person.find("form button").click()
    phone.look("paid")
    assert of(zax, "SELECT state FROM own_payment") == "proposed"
    assert of(zax, "SELECT card_ending FROM payment WHERE tender = 'online'") == "4242"


def test_checking_in_at_the_tablet_shows_here_on_day(person: Callable[[str], Person], zax: Running) -> None:
    secret = make_tablet(zax.desk, SAM, "Front door", 1)
    desk, tablet = person("juno"), person("sam")
    tablet.driver.delete_all_cookies()
    size = {"width": 1024, "height": 768, "deviceScaleFactor": 1, "mobile": False}
    tablet.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    joan = of(zax, f"SELECT v.id {JOAN}")
    birth = of(zax, f"SELECT DATE_FORMAT(p.birth, '%m/%d/%Y') {JOAN}")
    tablet.driver.get(f"{zax.url}/tablet/set-up/{secret}")
    tablet.see("Welcome. Let us find your visit.")
    assert violations(tablet) == []
    tablet.find("[name=birth]").send_keys(birth)
    tablet.find("[name=letters]").send_keys("pet", Keys.ENTER)
    tablet.see("Is this still right, Joan?")
    assert violations(tablet) == []
    assert "24 Tide" not in tablet.find("main").text
    while tablet.all("[name=stop]"):
        stop = tablet.all("[name=stop]")[0].get_attribute("value")
        tablet.find("button[value=right]" if stop == "details" else "button[value=later]").click()
        tablet.until(
            lambda stop=stop: (
                not any(each.get_attribute("value") == stop for each in tablet.all("[name=stop]"))
            ),  # type: ignore[misc]
            "on to the next",
        )
    tablet.see(
        "You are checked in."
        if of(zax, f"SELECT state FROM visit WHERE id = {joan}") == "here"
        else "Almost there."
    )
    tablet.driver.back()
    tablet.driver.refresh()
    tablet.see("Welcome. Let us find your visit.")
    assert "Joan" not in tablet.find("body").text
    desk.open(f"/day?visit={joan}")
    desk.see("Petrakis")


def test_compare_by_keys_alone(person: Callable[[str], Person], zax: Running) -> None:
    juno = person("juno")
    number = of(zax, f"SELECT id FROM registration WHERE patient_id = (SELECT id {YUSUF})")
    juno.open(f"/compare/{number}")
    juno.see("Yusuf Haddad")
    before = int(juno.find("[data-count]").text)
    juno.press(Keys.ARROW_DOWN)
    assert juno.focus().get_attribute("name") == "take-used_name"
    juno.press(Keys.ARROW_LEFT)
    juno.until(lambda: int(juno.find("[data-count]").text) == before - 1, "one less is taken")
    juno.press(Keys.ARROW_DOWN)
    assert juno.focus().get_attribute("name") == "take-email"
    juno.press("1")
    assert juno.focus().get_attribute("type") == "radio" and juno.focus().is_selected()
    juno.control_enter()
    juno.see("is taken over")
    assert of(zax, f"SELECT used_name {YUSUF}") == ""
    assert of(zax, f"SELECT street {YUSUF}") == "9 Lantern Row, Apt 3"
    assert "/compare/" in juno.driver.current_url
    juno.press("u")
    juno.see("Undone.")
    assert of(zax, f"SELECT street {YUSUF}") != "9 Lantern Row, Apt 3"

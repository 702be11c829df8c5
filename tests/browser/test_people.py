"""A shared desk at the keyboard: locked with what was typed kept, handed over by PIN, a second factor set up
and asked for; and the grid of roles.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC

import pyotp
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.common.virtual_authenticator import VirtualAuthenticatorOptions

from tests.browser.conftest import Person, Running, of
from tests.conftest import JUNO, RAVI
from zax.clock import system_now
from zax.demo.world import PASSWORD
from zax.desk.people.switching import set_pin


def later(desk: Person, minutes: int) -> None:
    """The browser’s clock goes on, and nobody touched anything."""
    desk.driver.execute_script(
        "const now = Date.now; Date.now = () => now.call(Date) + arguments[0] * 60000;".replace(
            "arguments[0]", str(minutes)
        )
    )


def test_a_desk_left_alone_is_covered_and_what_was_typed_is_there_again(
    person: Callable[[str], Person], zax: Running
) -> None:
    set_pin(zax.desk, JUNO, "4071", PASSWORD)
    desk = person("juno")
    desk.open("/patients/new")
    desk.type("input[name=first]", "Nell")
    later(desk, 11)
    desk.until(lambda: desk.all("#lockbox[open]"), "it is covered")
    desk.until(
        lambda: of(zax, "SELECT COUNT(*) FROM session WHERE locked_at IS NOT NULL") == 1, "here and there"
    )
    assert desk.focus() == desk.find("#lockpin")
    desk.press(Keys.ESCAPE)
    assert desk.all("#lockbox[open]")
    desk.press("9999", Keys.ENTER)
    desk.see("That isn’t the PIN", "#lockbox")
    desk.press("4071", Keys.ENTER)
    desk.until(lambda: not desk.all("#lockbox[open]"), "it is open again")
    assert desk.find("input[name=first]").get_attribute("value") == "Nell"
    desk.open("/day")  # and the server let them in again
    assert "/day" in desk.driver.current_url


def test_a_locked_session_shows_nothing_in_another_tab(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/day")
    later(desk, 11)
    desk.until(lambda: of(zax, "SELECT COUNT(*) FROM session WHERE locked_at IS NOT NULL") == 1, "locked")
    desk.driver.switch_to.new_window("tab")
    desk.driver.get(zax.url + "/patients")
    desk.until(lambda: "/locked" in desk.driver.current_url, "the new tab is locked too")
    desk.find("#pin").send_keys(PASSWORD, Keys.ENTER)
    desk.until(lambda: desk.driver.current_url.endswith("/patients"), "back where they wanted to be")
    first, _ = desk.driver.window_handles
    desk.driver.close()
    desk.driver.switch_to.window(first)
    desk.until(lambda: not desk.all("#lockbox[open]"), "the first tab knows")


def test_a_passkey_is_added_and_signs_in_by_two_keys(person: Callable[[str], Person], zax: Running) -> None:
    """By a name: for a number no browser makes one."""
    driver = person("odile").driver
    desk = Person(driver, replace(zax, url=zax.url.replace("127.0.0.1", "localhost")))
    how = VirtualAuthenticatorOptions(
        protocol="ctap2",
        transport="internal",
        has_resident_key=True,
        has_user_verification=True,
        is_user_verified=True,
    )
    driver.add_virtual_authenticator(how)
    desk.sign_in("odile")
    desk.open("/me")
    desk.type("form[data-adds] [name=words]", "Front desk laptop")
    desk.type("form[data-adds] [name=passkey_password]", "not it")
    desk.press(Keys.ENTER)
    desk.see("That isn’t your password.")
    assert desk.find("form[data-adds] [name=words]").get_attribute("value") == "Front desk laptop"
    desk.type("form[data-adds] [name=passkey_password]", PASSWORD)
    desk.press(Keys.ENTER)
    desk.see("Your passkey is added.")
    desk.see("not used yet")
    desk.click_words("Sign out", ".rail")
    desk.find("form[data-passkey] button").send_keys(Keys.ENTER)
    desk.until(lambda: "sign-in" not in driver.current_url, "signed in")
    desk.open("/me")
    desk.see("last used")
    driver.remove_all_credentials()
    desk.click_words("Sign out", ".rail")
    driver.set_user_verified(False)
    desk.find("form[data-passkey] button").send_keys(Keys.ENTER)
    desk.see("No passkey was used.", "[data-said]")
    driver.remove_virtual_authenticator()


def test_after_signing_out_the_back_key_shows_nobody(person: Callable[[str], Person], zax: Running) -> None:
    """Not from the browser's memory either: each page that was seen leads to the sign-in."""
    desk = person("juno")
    pages = ("/patients", "/day", "/book")
    for page in pages:
        desk.open(page)
    desk.see("Juno Park", ".rail .foot")
    desk.click_words("Sign out", ".rail")
    desk.find("#password")
    for _ in pages:
        desk.driver.back()
        desk.find("#password")
        assert not desk.all(".rail")


def test_the_desk_is_handed_over_by_three_keys_and_a_pin(
    person: Callable[[str], Person], zax: Running
) -> None:
    for who, pin in ((JUNO, "4071"), (RAVI, "8520")):
        set_pin(zax.desk, who, pin, PASSWORD)
    desk = person("juno")
    desk.sign_in("ravi")
    desk.open("/day")
    desk.press("g", "k")
    desk.until(lambda: "/switch" in desk.driver.current_url, "G K leads there")
    assert desk.focus() == desk.find("#pin")
    chosen = desk.find("input[name=user_id]:checked").find_element(By.XPATH, "..").text
    desk.press("4071" if "Juno" in chosen else "8520", Keys.ENTER)
    desk.until(lambda: "/day" in desk.driver.current_url, "taken over")
    desk.see(chosen.split(" Alt")[0].strip().split("\n")[0], ".rail .foot")


def test_a_second_factor_is_set_up_and_asked_for(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    desk.open("/me")
    secret = desk.find(".scan code").text.replace(" ", "")

    def code(off: int = 0) -> str:
        return pyotp.TOTP(secret).generate_otp(int(system_now().replace(tzinfo=UTC).timestamp()) // 30 + off)

    desk.find("[name=second_password]").send_keys(PASSWORD)
    desk.find("#code").send_keys(code(-1), Keys.ENTER)
    desk.see("Your recovery codes", "h1")
    spare = desk.all(".recodes code")[0].text
    desk.click_words("Sign out", ".rail")
    desk.find("#name").send_keys("odile", Keys.TAB, PASSWORD, Keys.ENTER)
    desk.see("Your code", "h1")
    desk.find("#code").send_keys("000000", Keys.ENTER)
    desk.see("doesn’t match", ".err")
    desk.find("#code").send_keys(spare, Keys.ENTER)
    desk.until(lambda: "/day" in desk.driver.current_url, "in by a recovery code")


def test_a_cell_of_the_grid_changes_what_a_role_may_do(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("sam")
    desk.open("/setup/people")
    cell = "form[action='/setup/roles/receptionist/right']:has(input[value=claims]) button"
    assert desk.find(cell).get_attribute("aria-pressed") == "false"
    desk.find(cell).send_keys(Keys.SPACE)
    desk.see("Claims, insurer payments on", ".said")
    desk.until(lambda: desk.find(cell).get_attribute("aria-pressed") == "true", "the cell shows it")
    desk.sign_in("juno")
    desk.open("/claims")
    desk.see("Claims", "h1")

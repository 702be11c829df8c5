"""Setup by keyboard: rows of a page are found by what they say, and by what stands in their fields."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person


def shown(who: Person, css: str) -> int:
    return sum(each.is_displayed() for each in who.all(css))


def test_a_row_of_a_setup_page_is_found_by_what_it_says(person: Callable[[str], Person]) -> None:
    sam = person("sam")
    sam.open("/setup/types")
    every = shown(sam, "main tbody tr")
    sam.press("f")
    sam.press(*"fill")
    sam.until(lambda: shown(sam, "main tbody tr") == 1, "one visit type is left")
    assert every > 5
    sam.press(Keys.ENTER)
    sam.until(lambda: "/setup/types/" in sam.driver.current_url, "its page is open")
    sam.open("/setup/money")
    sam.press("f")
    sam.press(*"soft")
    sam.until(lambda: shown(sam, "main .exform") == 1, "the product whose field says so is left")
    sam.press(*"zzz")
    sam.see("Nothing on this page says that.")


def test_planned_fees_and_doors_by_keyboard(person: Callable[[str], Person]) -> None:
    sam = person("sam")
    sam.open("/setup/services")
    sam.type("input[name=fee-1]", "66.00", clear=True)
    sam.type(".svfrom input", "1/1/2027")
    sam.control_enter()
    sam.see("1 fee will change on Jan 1, 2027.")
    sam.see("64.00 → 66.00")
    sam.open("/setup/doors")
    sam.type("input[name=address-texts]", "http://texts.example.com")
    sam.control_enter()
    sam.see("Only https:// is safe outside this machine.")

"""Setup by keyboard: rows of a page are found by what they say, and by what stands in their fields."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of


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


def test_a_field_of_the_clinics_own_is_made_and_filled_in_by_keyboard(
    person: Callable[[str], Person], zax: Running
) -> None:
    sam, juno = person("sam"), person("juno")
    sam.open("/setup/fields")
    sam.press("n")
    sam.until(lambda: sam.focus().get_attribute("id") == "words", "its name is typed first")
    sam.press("School")
    sam.type("#needed", "always")
    sam.control_enter()
    sam.see("Field saved.")
    sam.see("needed always", "ol.ordered")
    number = of(zax, "SELECT id FROM patient WHERE first = 'Grace' AND last = 'Lindqvist'")
    juno.open(f"/patients/{number}")
    juno.click("a[href*='#own_school']")
    juno.until(lambda: juno.focus().get_attribute("id") == "own_school", "where it is missing")
    juno.press("Harbor High")
    juno.control_enter()
    juno.see("Harbor High", "#part-person")
    sam.open("/setup/fields")
    sam.see("filled in on 1 record")


def test_a_service_comes_with_what_was_set_up_for_it(person: Callable[[str], Person], zax: Running) -> None:
    sam = person("sam")
    sam.open("/setup/services")
    sam.press("f")
    sam.press(*"90686")
    sam.press(Keys.ENTER)
    sam.at("one=")
    sam.type("#sv-units", "2")
    sam.type("#sv-ndc", "12345-6789-01")
    sam.type("#sv-taxonomy", "207Q00000", clear=True)
    sam.find("#sv-taxonomy").send_keys(Keys.ENTER)
    # Three are wrong or missing; each says so beside its field, and all that was typed is there.
    sam.see("How much of it goes with one unit")
    sam.see("ten characters and ends in X")
    assert sam.find("#sv-units").get_attribute("value") == "2"
    sam.type("#sv-much", "0.5")
    sam.type("select[name=ndc_unit]", "mL")
    sam.type("#sv-taxonomy", "207Q00000X", clear=True)
    sam.find("#sv-taxonomy").send_keys(Keys.ENTER)
    sam.see("Saved.")
    kept = "SELECT CONCAT_WS(' ', usual_units, ndc, ndc_quantity, ndc_unit, taxonomy) FROM service"
    assert of(zax, f"{kept} WHERE code = '90686'") == "2 12345678901 0.5 ML 207Q00000X"

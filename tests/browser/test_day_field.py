"""A day is typed as it is said, or chosen from a month by keys or mouse; wrong ones stay on the page."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of

FIRST, LAST = "form .dayfield input[name=first]", "form .dayfield input[name=last]"


def shown(person: Person, number: int) -> str:
    return str(person.all(".dayfield > input:not([type=hidden])")[number].get_property("value"))


def sent(person: Person, css: str) -> str:
    return str(person.driver.find_element("css selector", css).get_property("value"))


def test_a_day_is_said_checked_and_kept(person: Callable[[str], Person], zax: Running) -> None:
    """Kills: a form that goes off with what could not be read, or before the day is known."""
    manager = person("sam")
    manager.open("/setup/closures")
    first, last = manager.all(".dayfield > input:not([type=hidden])")[:2]
    first.send_keys("dec 24", Keys.TAB)
    manager.until(lambda: shown(manager, 0) == "Thu, Dec 24, 2026", "the day is written out")
    assert sent(manager, FIRST) == "2026-12-24"
    manager.type("[name=words]", "Holiday")
    last.send_keys("soonish", Keys.ENTER)
    manager.see("“soonish” isn’t a day", ".dayfield .err")
    assert manager.focus() == last and shown(manager, 1) == "soonish"
    last.clear()
    last.send_keys("12/26", Keys.ENTER)
    manager.see("Dec 24, 2026")
    manager.see("Holiday")
    kept = of(zax, "SELECT DATE(ends) FROM closure WHERE words = 'Holiday'")
    assert str(kept) in {"2026-12-26", "2026-12-27"}


def test_a_day_is_chosen_from_a_month_by_keys_and_by_mouse(person: Callable[[str], Person]) -> None:
    manager = person("sam")
    manager.open("/setup/closures")
    first, last = manager.all(".dayfield > input:not([type=hidden])")[:2]
    first.send_keys("12/30", Keys.TAB)
    manager.until(lambda: sent(manager, FIRST) == "2026-12-30", "the day is known")
    first.send_keys(Keys.ARROW_DOWN)
    manager.until(lambda: manager.focus().get_attribute("data-day") == "2026-12-30", "the month opens there")
    manager.press(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.ARROW_DOWN, Keys.PAGE_DOWN)
    manager.until(
        lambda: manager.focus().get_attribute("data-day") == "2027-02-08", "a month and nine days on"
    )
    manager.press(Keys.ENTER)
    manager.until(lambda: shown(manager, 0) == "Mon, Feb 8, 2027", "the day is taken")
    assert manager.focus() == first and sent(manager, FIRST) == "2027-02-08"
    manager.all(".dayfield > .opencal")[1].click()
    manager.click(".cal [aria-label='The month after']")
    manager.see("December 2026", ".cal")
    manager.click(".cal [data-day='2026-12-31']")
    manager.gone(".cal")
    assert sent(manager, LAST) == "2026-12-31" and manager.focus() == last
    last.send_keys(Keys.ARROW_DOWN)
    manager.find(".cal")
    manager.press(Keys.ESCAPE)
    manager.gone(".cal")
    assert manager.focus() == last

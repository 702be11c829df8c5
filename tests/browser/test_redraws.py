"""A walk keeps hold of what it looks at while a live screen redraws it."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.by import By

from tests.browser.conftest import Person

REDRAWN = """
const every = document.querySelector(arguments[0]);
every.outerHTML = arguments[1] ? arguments[1] : every.outerHTML;
"""
# The worker goes on meanwhile: from here on nothing but the test redraws the page.
STANDS = "document.querySelectorAll('[data-live]').forEach((part) => part.removeAttribute('data-live'))"


def test_a_row_redrawn_under_a_walk_is_the_same_row(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.driver.execute_script(STANDS)
    row = desk.one(".row", "Mina Castell")
    link = row.find_element(By.CSS_SELECTOR, "a")
    every = desk.all(".row")
    words, where, count = row.text, link.get_attribute("href"), len(every)
    desk.driver.execute_script(REDRAWN, "main", "")
    assert (row.text, link.get_attribute("href")) == (words, where)
    assert len([each.text for each in every]) == count
    desk.driver.execute_script("arguments[0].focus()", link)
    assert desk.focus().get_attribute("href") == where


def test_a_row_that_is_gone_is_gone(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    row = desk.one(".row", "Mina Castell")
    desk.driver.execute_script(REDRAWN, "main", "<main></main>")
    with pytest.raises(StaleElementReferenceException):
        row.click()

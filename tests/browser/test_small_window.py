"""At 150 percent zoom (853 by 533 of the usual 1280 by 800) every main page stays inside its window."""

from __future__ import annotations

from collections.abc import Callable

from tests.browser.conftest import Person, Running
from tests.browser.test_keys import pages

# What reaches over the right edge and does not lie in something that scrolls by itself.
OVER = """
const scrolls = (el) => {
  for (let at = el.parentElement; at && at !== document.body; at = at.parentElement) {
    const scrolling = ['auto', 'scroll', 'hidden'].includes(getComputedStyle(at).overflowX);
    if (at.tagName !== 'MAIN' && scrolling) return true;
  }
  return false;
};
const seen = (el) => el.getClientRects().length > 0 && getComputedStyle(el).visibility !== 'hidden';
return [...document.querySelectorAll('main *')].filter(seen).filter((el) => {
  const box = el.getBoundingClientRect();
  const beside = el.closest('#grid, .sheet, .side');
  return box.right > innerWidth + 1 && box.left < innerWidth && !scrolls(el) && !beside;
}).slice(0, 5).map((el) => `${el.tagName}.${el.className} ${el.textContent.trim().slice(0, 30)}`);"""


def test_no_page_reaches_over_its_window_at_150_percent(
    person: Callable[[str], Person], zax: Running
) -> None:
    people: dict[str, Person] = {}
    over: dict[str, list[str]] = {}
    for name, path in pages(zax):
        if path.startswith("/book"):
            continue  # the Book keeps the width of its columns and scrolls
        who = people.get(name) or people.setdefault(name, person(name))
        who.driver.set_window_size(853, 533)
        who.open(path)
        found = who.driver.execute_script(OVER)
        if found:
            over[path] = found
        flat = [each for each in who.all("main table") if each.rect["height"] < 20 and each.text.strip()]
        assert not flat, path
    assert over == {}

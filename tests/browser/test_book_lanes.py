"""On the Book nothing covers a name and no two texts lie on each other, however many columns there are; a
staff slot stands in both columns, tied.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from selenium.webdriver import ActionChains

from tests.browser.conftest import Person

# Twice the columns of the day, to measure how more people would stand beside each other. It runs in one
# script with what is measured: the Book is live and may be drawn anew between two.
TWICE = """
for (const css of ['.heads > .colhead', '#grid > .column']) {
  for (const each of [...document.querySelectorAll(css)]) each.parentElement.append(each.cloneNode(true));
}"""
# Every text as it is seen: its boxes, cut by whatever clips them, without what is not painted; then each name
# on the Book, and what lies over it.
MEASURED = """
const seen = [];
const walker = document.createTreeWalker(document.querySelector('#live'), NodeFilter.SHOW_TEXT);
for (let node = walker.nextNode(); node; node = walker.nextNode()) {
  if (!node.textContent.trim()) continue;
  let hidden = false;
  const clips = [];
  for (let el = node.parentElement; el && el.id !== 'live'; el = el.parentElement) {
    const style = getComputedStyle(el);
    hidden ||= style.opacity === '0' || style.visibility === 'hidden';
    if (style.overflowX !== 'visible') clips.push(el.getBoundingClientRect());
  }
  if (hidden) continue;
  const range = document.createRange();
  range.selectNodeContents(node);
  for (const box of range.getClientRects()) {
    let { left, right, top, bottom } = box;
    for (const clip of clips) {
      left = Math.max(left, clip.left); right = Math.min(right, clip.right);
      top = Math.max(top, clip.top); bottom = Math.min(bottom, clip.bottom);
    }
    const words = node.textContent.trim();
    if (right - left > 1 && bottom - top > 1) seen.push({ node, words, left, right, top, bottom });
  }
}
const found = [];
seen.forEach((a, n) => seen.slice(n + 1).forEach((b) => {
  const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left);
  const high = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
  if (wide > 1.5 && high > 3 && a.node !== b.node) found.push([a.words, b.words]);
}));
const covered = [];
for (const name of document.querySelectorAll('#grid .v .nm')) {
  name.scrollIntoView({ block: 'center' });
  const box = name.getBoundingClientRect();
  for (const x of [box.left + 2, (box.left + box.right) / 2, box.right - 2]) {
    const top = document.elementFromPoint(x, box.top + Math.min(box.height, 14) / 2);
    if (!name.closest('.v').contains(top)) covered.push([name.textContent, top?.className]);
  }
}
const count = (css) => document.querySelectorAll(css).length;
return [count('#grid .column'), count('.heads .colhead'), seen.length, found, covered];"""


@pytest.mark.parametrize("width", [1280, 1920])
@pytest.mark.parametrize(("columns", "address"), [(6, "/book"), (8, "/book?site=all"), (12, "/book")])
@pytest.mark.parametrize("shelf", ["", "on"])
def test_no_two_texts_lie_on_each_other(
    person: Callable[[str], Person], width: int, columns: int, address: str, shelf: str
) -> None:
    desk = person("juno")
    desk.driver.set_window_size(width, 1000 if width == 1920 else 800)
    desk.open(f"{address}{'&' if '?' in address else '?'}side={shelf}")
    measured = desk.driver.execute_script((TWICE if columns == 12 else "") + MEASURED)
    people, heads, texts, overlaps, covered = measured
    assert people == columns == heads
    assert texts > 100 and overlaps == [] and covered == []


def test_a_staff_slot_is_tied_to_its_visit(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.open("/book")

    def tied() -> list[str]:
        return [str(each.get_attribute("title")) for each in desk.all("#grid .strap.tied")]

    def slot_of_ito() -> Any:
        return desk.one(".slots .strap", "Ito")

    def hovered() -> bool:
        ActionChains(desk.driver).move_by_offset(1, 1).move_to_element(slot_of_ito()).perform()
        return len(tied()) == 2

    desk.until(hovered, "both straps are lit")
    assert sum("Ito" in title for title in tied()) == 1 and sum("by Dr." in title for title in tied()) == 1
    assert len(desk.all("#grid .tie")) == 1

    def focused() -> bool:
        desk.driver.execute_script("arguments[0].focus()", desk.one("#grid .v", "Delgado"))
        return any("Delgado" in title for title in tied())

    desk.until(focused, "its slot follows the focus")
    assert len(tied()) == 2 and not any("Ito" in title for title in tied())

    def opened() -> bool:
        slot_of_ito().click()
        return True

    desk.until(opened, "the slot is pressed")
    desk.see("Hana Ito", "#over")

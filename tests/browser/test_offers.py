"""An opening offered from the Book by keys and taken by a reply: the patient answers on their phone, the
worker
books it in that moment, and the open page shows it without being touched.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of
from tests.conftest import TODAY

ASKED = """
    SELECT GROUP_CONCAT(phone, ' ', number ORDER BY rank_no) FROM offer_person
    WHERE place = 'sent' AND offer_id = (SELECT MAX(id) FROM offer)"""


def sent(zax: Running) -> list[dict[str, Any]]:
    return [each for each in zax.came("texts") if each["id"].startswith("offer")]


def asked(zax: Running) -> list[tuple[str, str]]:
    """The phones of the newest offer's first wave, each with the number that tells it from others there."""
    pairs = str(of(zax, ASKED)).split(",")
    return [(phone, number) for phone, _, number in (each.partition(" ") for each in pairs)]


def answers(zax: Running, to: tuple[str, str], words: str) -> None:
    phone, number = to
    words = f"{words} {number}" if number != "1" else words
    zax.reply(phone, words)


def test_an_opening_is_offered_by_keys_and_taken_by_a_reply(
    person: Callable[[str], Person], zax: Running
) -> None:
    day = TODAY + timedelta(days=1)
    desk = person("juno")
    desk.open(f"/waitlist?from={day}")
    before = of(zax, "SELECT COUNT(*) FROM visit")
    # Two presses from the opening to the first texts (docs/keyboard.md).
    desk.press("l")
    desk.at("/offers/new")
    desk.ready()
    desk.control_enter()
    desk.until(lambda: "/offers/new" not in desk.driver.current_url, "the offer is made")
    desk.see("texted, no answer yet", ".of-b")
    asks, takes = asked(zax)[:2]

    answers(zax, asks, "how long would it take?")
    desk.see("someone has to answer", ".of-b")
    answer = desk.find(".of-a .go")
    assert "minutes, out by" in str(desk.find(".of-a input[name=words]").get_attribute("value"))
    desk.driver.execute_script("arguments[0].focus()", answer)
    desk.press(Keys.ENTER)
    desk.see("may still say yes", ".of-b")
    desk.until(lambda: any("out by" in each["words"] for each in sent(zax)), "the answer is texted")

    answers(zax, takes, "Yes please!")
    desk.see("booked at once and told so", ".of-b")
    answers(zax, asks, "ok then yes")
    desk.see("someone was faster", ".of-b")
    desk.until(lambda: any("a little faster" in each["words"] for each in sent(zax)), "told kindly")
    assert of(zax, "SELECT COUNT(*) FROM visit") - before in {0, 1}  # a later visit moves there
    taken = "SELECT COUNT(*) FROM offer_person WHERE place = 'yes' AND offer_id = (SELECT MAX(id) FROM offer)"
    assert of(zax, taken) == 1
    desk.open("/offers")
    desk.see("taken by", "#live")

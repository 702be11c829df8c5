"""The Inbox worked by keys through eight rows, and the words of a reminder changed and tried on oneself."""

from __future__ import annotations

from collections.abc import Callable

import httpx
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of

WAITING = "SELECT COUNT(*) FROM text_reply WHERE done_at IS NULL"


def heading(desk: Person) -> int:
    """How many the Inbox says there are to answer."""
    return int(str(desk.find(".daybar h1 span").text).split()[0])


def answer_one(desk: Person) -> str:
    """Open the first row and do what it asks, by keys alone; what was done."""
    desk.press("1")
    desk.until(lambda: "open=" in desk.driver.current_url, "a row is open")
    desk.ready()
    if desk.all(".ib-s .ib-o"):
        desk.press("1")
        return "moved"
    if desk.all("#words"):
        desk.press("r")
        desk.until(lambda: desk.focus().get_attribute("id") == "words", "the reply has the cursor")
        desk.focus().send_keys("Thank you, we'll call you. Juniper Quay Clinic")
        desk.control_enter()
        return "answered"
    if desk.all("#did"):
        desk.press("e")
        return "done"
    desk.control_enter()
    return "accepted"


def test_the_inbox_is_worked_by_keys_through_eight_rows(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("juno")
    desk.press("g", "x")
    desk.see("to answer", "#main")
    desk.see("can we do 4 instead?", "#live")
    done = []
    for of_kind in ("text", "bounced", "web"):
        while len(done) < 8:
            desk.open(f"/inbox?of={of_kind}")
            rows = desk.all("#live tbody tr[data-row]")
            about_offers = len([row for row in rows if "about an opening" in row.text])
            if len(rows) == about_offers:
                break
            if about_offers and "about an opening" in rows[0].text:
                break
            before = heading(desk)
            done.append(answer_one(desk))
            desk.until(lambda before=before: heading(desk) < before, "one less waits")
    assert len(done) >= 6 and "moved" in done and "answered" in done, done
    desk.open("/inbox")
    texts = httpx.get(f"{zax.standin}/texts", trust_env=False).json

    def told() -> bool:
        words = [each["words"] for each in texts()]
        return any("your visit is now" in each for each in words) and any(
            "we'll call you" in each for each in words
        )

    desk.until(told, "both are told on their phones")


def test_a_patients_reply_shows_in_the_inbox_at_once(person: Callable[[str], Person], zax: Running) -> None:
    phone = of(zax, "SELECT phone FROM patient WHERE phone <> '' AND texts_to = 'phone' ORDER BY id LIMIT 1")
    desk = person("juno")
    desk.open("/inbox")
    desk.see("to answer", "#main")
    before = int(desk.find("#rail-inbox").text or 0)
    httpx.post(f"{zax.standin}/phones/{phone}", data={"words": "is the elevator working?"}, trust_env=False)
    desk.see("is the elevator working?", "#live")
    desk.until(lambda: int(desk.find("#rail-inbox").text or 0) > before, "the rail counts it")


def test_words_are_changed_and_tried_on_oneself(person: Callable[[str], Person], zax: Running) -> None:
    sam = person("sam")
    sam.open("/setup/messages?event=reminder&channel=text")
    sam.see("of 160 characters", "#preview")
    sam.type("#body", "Hi {first}, see you {day} at {time}! Reply YES. {clinic}", clear=True)
    sam.see("Reply YES. Juniper Quay Clinic", "#preview")
    sam.type("#to", "360 555 0177", clear=True)
    sam.press(Keys.TAB)
    sam.press(Keys.ENTER)
    sam.see("The test is on its way.")
    sam.see("delivered", "#live")
    texts = httpx.get(f"{zax.standin}/texts", trust_env=False).json()
    (mine,) = [each["words"] for each in texts if each["to"] == "3605550177"]
    assert mine.startswith("Hi ") and mine.endswith("Reply YES. Juniper Quay Clinic") and "{" not in mine
    sam.type("#body", "Hi {first}, see you {day} at {time}! Reply YES. {clinic}", clear=True)
    sam.control_enter()
    sam.see("Saved.")
    sam.see("Back to the original")

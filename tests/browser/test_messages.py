"""The Inbox worked by keys through eight rows, and the words of a reminder changed and tried on oneself."""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of, rows

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
    for of_kind in ("text", "call", "bounced", "web"):
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
    assert len(done) == 8 and "moved" in done and "answered" in done, done
    desk.open("/inbox")

    def told() -> bool:
        words = [each["words"] for each in zax.came("texts")]
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
    zax.reply(phone, "is the elevator working?")
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
    (mine,) = [each["words"] for each in zax.came("texts") if each["to"] == "3605550177"]
    assert mine.startswith("Hi ") and mine.endswith("Reply YES. Juniper Quay Clinic") and "{" not in mine
    sam.type("#body", "Hi {first}, see you {day} at {time}! Reply YES. {clinic}", clear=True)
    sam.control_enter()
    sam.see("Saved.")
    sam.see("Back to the original")


def test_a_patient_confirms_on_the_page_behind_their_link(
    person: Callable[[str], Person], zax: Running
) -> None:
    """On their phone: the page is opened by a press in a mail, and one more confirms."""
    link, visit = rows(
        zax,
        "SELECT m.link, v.id FROM message m JOIN visit v ON v.id = m.visit_id WHERE m.link IS NOT NULL AND"
        " v.state = 'booked' AND v.day > '2026-11-24' AND m.event = 'reminder' ORDER BY m.id DESC LIMIT 1",
    )[0]
    phone = person("juno")
    phone.driver.set_window_size(400, 800)
    phone.driver.get(f"{zax.url}/v/{link}")
    phone.see("Your visit", ".lk")
    assert of(zax, f"SELECT state FROM visit WHERE id = {visit}") == "booked"
    phone.press(Keys.TAB)
    assert phone.focus().text == "I’ll be there"
    phone.press(Keys.ENTER)
    phone.see("You’re confirmed. See you then!", ".lk")
    assert of(zax, f"SELECT state FROM visit WHERE id = {visit}") == "confirmed"
    wide = phone.driver.execute_script("return document.documentElement.scrollWidth")
    assert wide <= phone.driver.execute_script("return window.innerWidth")


def test_a_receipt_goes_by_keys_and_opens_with_the_birth_date(
    person: Callable[[str], Person], zax: Running
) -> None:
    receipt, birth = rows(
        zax,
        "SELECT r.id, DATE_FORMAT(p.birth, '%m/%d/%Y') FROM receipt r JOIN patient p ON p.id = r.patient_id"
        " JOIN payment t ON t.receipt_id = r.id WHERE t.state = 'taken' AND p.email <> '' AND p.birth <"
        " '2000-01-01' ORDER BY r.id DESC LIMIT 1",
    )[0]
    desk = person("juno")
    desk.open(f"/receipts/{receipt}")
    desk.press("s")
    desk.see("A link opens only with the birth date", "#main")
    desk.control_enter()
    desk.see("Receipt is on its way to")
    sent = "SELECT link FROM message WHERE why = 'Receipt' AND event = 'paper' ORDER BY id DESC LIMIT 1"
    link = of(zax, sent)
    desk.until(lambda: any(link in each["text"] for each in zax.came("mail")), "the mail is there")
    desk.driver.get(f"{zax.url}/p/{link}")
    desk.see("A paper for you", ".lk")
    desk.driver.switch_to.active_element.send_keys("1/2/1903", Keys.ENTER)
    desk.see("isn’t the birth date we have", ".lk")
    field = desk.find("#birth")
    field.clear()
    field.send_keys(birth, Keys.ENTER)
    opened = f"SELECT COUNT(*) FROM message WHERE link = '{link}' AND opened_at IS NOT NULL"
    desk.until(lambda: of(zax, opened) == 1, "it is open, and noted")

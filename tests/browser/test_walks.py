"""One visit all the way through in a real browser: once by keyboard alone, once by mouse."""

import re
from collections.abc import Callable
from datetime import timedelta

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Person, Running, arrive, of
from tests.conftest import ODILE
from zax.desk.claims.sending import send_ready


def state(zax: Running, visit_id: str) -> str:
    return str(of(zax, "SELECT state FROM visit WHERE id = :id", id=visit_id))


def visit_in_address(person: Person) -> str:
    return re.search(r"visit=(\d+)", person.driver.current_url)[1]  # type: ignore[index]


def test_a_medical_visit_by_keyboard(person: Callable[[str], Person], zax: Running) -> None:
    """Book, check in, room, diagnosis, charges, checkout with a check, claim, payment, settled: no mouse."""
    desk = person("sam")
    desk.press("g", "b")
    desk.at("/book")
    desk.ready()
    desk.press("n")
    desk.at("provider=")
    desk.ready()
    # A patient with full coverage at Copperline, whose plan pays as expected.
    who = desk.find("#who")
    who.send_keys("360555")
    desk.find("#people [role=option]")
    who.clear()
    who.send_keys("iris no")
    desk.see("Noll, Iris", "#people")
    who.send_keys(Keys.ENTER)
    desk.see("Iris Noll", "#chosen")
    desk.until(lambda: desk.focus().get_attribute("id") == "type_id", "the type has the focus")
    desk.type("#provider_id", "Dr. Hollis")
    desk.type("#at", "14:30", clear=True)
    desk.control_enter()
    desk.at("visit=")
    visit_id = visit_in_address(desk)
    desk.see("Iris Noll", "#sheet")
    desk.press("s")  # to the arrival steps
    arrive(desk)
    desk.until(lambda: state(zax, visit_id) == "here", "here")
    desk.open(f"/book?visit={visit_id}")
    desk.see("Take to room", "#sheet")
    assert "Exam A" not in desk.find("#room_id").text  # somebody sits there, so it is not offered
    desk.type("#room_id", "Exam B")
    desk.press(Keys.TAB, Keys.ENTER)
    desk.until(lambda: state(zax, visit_id) == "room", "in room")
    desk.see("Finish", "#sheet")
    desk.press("s")
    desk.at("/charges")
    desk.ready()
    desk.press("d")
    desk.until(lambda: desk.focus().get_attribute("id") == "diagnosis", "the diagnosis has the focus")
    desk.press("acute cough")
    desk.see("R05.1", "#dxhits")
    desk.press(Keys.ENTER)
    desk.see("R05.1", ".dx")
    desk.press(Keys.ESCAPE, "e")  # out of the field, which waits for the next diagnosis
    desk.until(lambda: desk.focus().get_attribute("id") == "what", "the service has the focus")
    desk.press("throat")
    desk.see("87880", "#services")
    desk.press(Keys.ENTER)
    desk.see("Rapid strep test", "table")
    desk.press(Keys.ESCAPE)
    desk.control_enter()
    desk.until(lambda: state(zax, visit_id) == "checkout", "at checkout")
    desk.open(f"/visits/{visit_id}/checkout")
    desk.see("because", "table.done")
    due = desk.find(".due .tot b").text
    Select(desk.find("[data-tender] select")).select_by_value("check")
    number = desk.find("[name=number]")
    number.send_keys("2041")
    desk.control_enter()
    desk.see("Finished", "body")
    assert due.startswith("$")
    send_ready(zax.desk, ODILE)  # the biller's evening
    desk.until(lambda: state(zax, visit_id) == "settled", "insurance has paid and the visit is settled")
    desk.open(f"/visits/{visit_id}")
    desk.see("Settled: nothing due", "#sheet")
    assert of(zax, "SELECT SUM(patient_cents) FROM journal WHERE visit_id = :id", id=visit_id) == 0


def test_a_dental_visit_by_mouse(person: Callable[[str], Person], zax: Running) -> None:
    """Book a new patient on the spot, give her coverage, and take a card that is first declined, then silent,
    then clarified.
    """
    desk = person("sam")
    desk.click_words("Book", "nav")
    desk.at("/book")
    desk.click("[data-column='2'] .gap[data-at='985']")  # Dr. Wren, 16:25, twenty minutes free
    desk.at("provider=3")
    desk.type("#minutes", "20", clear=True)
    desk.click_words("New patient", "#slip")
    for field, value in (
        ("first", "Wilma"),
        ("last", ""),
        ("birth", "12/31/2040"),
        ("phone", "360 555 0199"),
    ):
        desk.type(f"#{field}", value)
    desk.click_words("Book the visit", "#slip")
    desk.see("The birth date is in the future", "#slip")
    desk.see("Enter the last name", "#slip")
    assert desk.find("#first").get_attribute("value") == "Wilma"
    desk.type("#last", "Arden")
    desk.type("#birth", "12/31/1980", clear=True)
    desk.click_words("Book the visit", "#slip")
    desk.at("visit=")
    visit_id = visit_in_address(desk)
    desk.see("Wilma Arden", "#grid")
    patient_id = of(zax, "SELECT patient_id FROM visit WHERE id = :id", id=visit_id)

    desk.open(f"/patients/{patient_id}?edit=address")
    for field, value in (
        ("street", "7 Lantern Lane"),
        ("city", "Marrow Harbor"),
        ("state", "WA"),
        ("zip", "98201"),
    ):
        desk.type(f"#{field}", value)
    desk.click_words("Save", "#part-address")
    desk.see("7 Lantern Lane", "#part-address")
    desk.open(f"/patients/{patient_id}?edit=name")
    desk.type("#sex", "female")
    desk.click_words("Save", "#part-name")
    desk.see("female", "#part-name")
    desk.open(f"/patients/{patient_id}?edit=coverage-0")
    desk.type("#plan_id", "Harbor Guild")
    desk.type("#member_id", "HG-77001")
    desk.click_words("Save coverage", "main")
    desk.see("HG-77001", "main")

    desk.open(f"/visits/{visit_id}")
    desk.click_words("Check in", "#sheet")
    arrive(desk)
    desk.open(f"/visits/{visit_id}")
    desk.see("Take to room", "#sheet")
    desk.type("#room_id", "Chair 3")
    desk.click("#next")
    desk.see("Finish: what was done", "#sheet")
    desk.click("#next")
    desk.at("/charges")
    desk.click_words("Ready for checkout", ".fin")
    desk.see("needs a tooth")
    desk.type("#tooth", "8")
    desk.type("#surfaces", "MO")
    desk.click_words("Save", ".lineform")
    desk.see("Tooth 8 is a front tooth")
    desk.type("#tooth", "14", clear=True)
    desk.click_words("Save", ".lineform")
    desk.see("80 percent of $236.00 after $50.00 deductible", "table")
    desk.click_words("Ready for checkout", ".fin")
    desk.until(lambda: state(zax, visit_id) == "checkout", "at checkout")
    desk.open("/day")
    desk.see("Wilma Arden", ".a")
    desk.click(f"a[href='/visits/{visit_id}/checkout']")

    zax.next_card("decline")
    desk.click_words("Take $97.20 and finish", ".fin")
    desk.see("the bank refuses this card")
    assert state(zax, visit_id) == "checkout"
    zax.next_card("silent")
    desk.click_words("Take $97.20 and finish", ".fin")
    desk.see("not confirmed yet")
    assert of(zax, "SELECT COUNT(*) FROM journal WHERE visit_id = :id AND kind = 'payment'", id=visit_id) == 0
    zax.clock.shift += timedelta(seconds=20)
    desk.until(
        lambda: (
            of(zax, "SELECT COUNT(*) FROM payment WHERE visit_id = :id AND state = 'taken'", id=visit_id) == 1
        ),
        "clarified",
    )
    assert sum(sale["cents"] == 9720 and sale["state"] == "approved" for sale in zax.came("sales")) == 1
    desk.see("receipt", ".due")
    assert "clarified" not in desk.find("#main").text
    desk.see("$0.00", ".due")
    desk.click_words("Finish", ".fin")
    desk.see("Finished")
    send_ready(zax.desk, ODILE)
    desk.until(lambda: state(zax, visit_id) == "settled", "settled")
    desk.open(f"/accounts/{patient_id}")
    desk.see("Plan paid", ".jr")
    desk.see("settled", ".jr")
    desk.click_words("Claim", ".jr")
    desk.see("posted", ".life[aria-label='What happened']")


def test_a_rest_after_the_insurers_answer_is_a_job_on_day(
    person: Callable[[str], Person], zax: Running
) -> None:
    """Northmoor pays less than its plan on file: the rest goes to the patient and is collected from Day."""
    desk = person("sam")
    desk.until(
        lambda: of(zax, "SELECT COUNT(*) FROM remit_claim WHERE outcome = 'posted'") > 5,
        "the morning's claims are answered",
    )
    desk.open("/day")
    desk.see("balance of", ".c")
    desk.click_words("Collect", ".c")
    desk.at("/accounts/")
    desk.click_words("Collect", ".doings")
    desk.at("/pay/")
    visit_id = int(str(desk.all("[name^='of-line-']")[0].get_attribute("value")))
    Select(desk.find("[data-tender] select")).select_by_value("cash")
    desk.click_words("Take $", ".fin")
    desk.at("/receipts/")
    desk.see("taken", ".rsum")
    assert state(zax, visit_id) == "settled"


def test_what_one_browser_does_shows_in_another(person: Callable[[str], Person], zax: Running) -> None:
    juno, ravi = person("juno"), person("ravi")
    ravi.see("Theo Marsh", ".b")
    waiting = of(
        zax,
        "SELECT id FROM visit WHERE state = 'confirmed' AND patient_id = (SELECT id FROM patient WHERE last ="
        " 'Marsh' AND first = 'Theo')",
    )
    juno.click(f"#in-{waiting}")
    arrive(juno)
    # The change must be there within two seconds of the other desk's act.
    ravi.until(lambda: ravi.all(f"#room-{waiting}"), "Ravi sees Theo Marsh waiting")
    ravi.open("/book")
    ravi.until(
        lambda: "here" in (ravi.find(f"#bar-{waiting}").get_attribute("class") or "").split(),
        "and on the Book",
    )


def test_a_session_that_ends_in_the_middle_of_a_form_loses_nothing(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("juno")
    desk.open("/book/new")
    desk.at("provider=")
    desk.click_words("New patient", "#slip")
    for field, value in (
        ("first", "Otis"),
        ("last", "Finch"),
        ("birth", "1/2/1990"),
        ("phone", "3605550111"),
        ("note", "prefers “mornings”"),
    ):
        desk.type(f"#{field}", value)
    desk.driver.delete_cookie("zax_session")
    desk.control_enter()
    desk.see("What you typed is saved")
    desk.type("#name", "juno")
    desk.find("#password").send_keys("ferry-bell-7", Keys.ENTER)
    desk.at("visit=")
    desk.see("Otis Finch", "#sheet")
    assert of(zax, "SELECT note FROM visit WHERE id = :id", id=visit_in_address(desk)) == "prefers “mornings”"


def test_keys_find_and_arrows(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.press("/")
    desk.until(lambda: desk.focus().get_attribute("id") == "find", "the find box has the focus")
    desk.press("vasq")
    desk.see("Vasquez, Helen", "#found")
    desk.press(Keys.ARROW_DOWN, Keys.ARROW_UP, Keys.ENTER)
    desk.at("/patients/")
    desk.ready()
    desk.press("?")
    desk.see("Shortcuts on this page", "#keysover")
    desk.see("Account", "#keysover > dl")
    desk.see("Moving about", "#keysover .keygroups")
    desk.press(Keys.ESCAPE)
    desk.gone("#keysover")
    desk.press("g")
    desk.until(lambda: "going" in desk.find("body").get_attribute("class"), "the rail shows its letters")
    desk.see("D", ".rail nav kbd")
    desk.press("d")
    desk.see("Ready to check out")
    desk.press(Keys.ARROW_DOWN)
    desk.until(lambda: desk.focus().get_attribute("data-act") is not None, "a row's act has the focus")
    desk.press("g", "b")
    desk.at("/book")
    desk.ready()
    desk.press(Keys.ARROW_RIGHT)
    desk.until(
        lambda: desk.focus().get_attribute("data-cell") is not None, "a visit or free time has the focus"
    )
    first = desk.focus().get_attribute("href")
    desk.press(Keys.ARROW_DOWN)
    desk.until(lambda: desk.focus().get_attribute("href") != first, "the focus moved")
    desk.press(Keys.ENTER)
    desk.until(lambda: desk.all("#sheet") or desk.all("#slip"), "a sheet or slip is open")
    desk.ready()
    desk.press(Keys.ESCAPE)
    desk.gone("#sheet")


def test_a_page_of_another_area_is_never_half_dressed(person: Callable[[str], Person]) -> None:
    """What Day does not show is fetched beside it; a step to Setup waits until its sheet is on."""
    desk = person("sam")
    desk.open("/day")
    href = "document.querySelector('link[href$=\"setup/setup.css\"]')"
    assert desk.driver.execute_script(f"return {href}.hasAttribute('data-later')")
    own = "document.querySelector('link[href$=\"day/live_day.css\"]').hasAttribute('data-later')"
    assert not desk.driver.execute_script(f"return {own}")
    desk.driver.get(desk.zax.url + "/day")
    desk.driver.execute_script(
        "const look = new MutationObserver(() => { if (!location.pathname.startsWith('/setup')) return;"
        f" window.dressed = {href}.media; look.disconnect(); }});"
        "look.observe(document, { childList: true, subtree: true });"
        "document.querySelector('nav a[href=\"/setup\"]').click();"
    )
    desk.at("/setup")
    desk.until(lambda: desk.driver.execute_script("return window.dressed"), "Setup came")
    assert desk.driver.execute_script("return window.dressed") == "all"
    fetched = "performance.getEntriesByType('resource').map((each) => each.name).join()"
    assert "setup/order.js" in desk.driver.execute_script(f"return {fetched}")


def test_a_head_stands_over_its_own_column(person: Callable[[str], Person]) -> None:
    """Whose column it is is read from above: both start at the same line."""
    desk = person("sam")
    desk.open("/book")
    lefts = "[...document.querySelectorAll('{}')].map((each) => each.getBoundingClientRect().left)"
    heads = desk.driver.execute_script(f"return {lefts.format('[data-head]')}")
    columns = desk.driver.execute_script(f"return {lefts.format('#grid > .column')}")
    assert heads
    assert heads == columns

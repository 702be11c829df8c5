"""From arrival to leaving in a real browser: steps, heads-ups and a signature; the mouth by keys and by
mouse; options signed and booked; a checkout.
"""

from collections.abc import Callable
from typing import Any

from selenium.webdriver import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from sqlalchemy import text

from tests.browser.conftest import Person, Running, of


def visit_of(zax: Running, last: str) -> int:
    found = (
        "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.last = :last AND v.day ="
        " '2026-11-24' ORDER BY v.id LIMIT 1"
    )
    return int(of(zax, found, last=last))


def field(desk: Person, name: str) -> str:
    return desk.driver.find_element(By.NAME, name).get_attribute("value") or ""


def draw(desk: Person) -> None:
    """A signature by mouse."""
    canvas = desk.find("[data-pad] canvas")
    desk.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", canvas)
    chain = ActionChains(desk.driver).move_to_element_with_offset(canvas, -200, 10).click_and_hold()
    for step in range(14):
        chain = chain.move_by_offset(22, 26 if step % 2 else -26)
    chain.release().perform()
    desk.until(lambda: len(field(desk, "strokes")) > 60, "the strokes are kept")


def test_arrival_by_mouse_with_a_heads_up_and_a_drawn_signature(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("juno")
    visit = visit_of(zax, "Weller")
    with zax.desk.engine.begin() as connection:  # flag 1: nervous
        flag = "INSERT INTO patient_flag (patient_id, flag_id, at) SELECT patient_id, 1, NOW() FROM visit"
        connection.execute(text(f"{flag} WHERE id = :id"), {"id": visit})
    desk.click(f"#in-{visit}")
    desk.at("/arrival")
    desk.see("Nervous, talk Stan through", ".beside")
    desk.click_words("dismiss", ".beside")
    desk.see("dismissed by Juno Park", ".beside")
    desk.click_words("Confirmed", ".steps")
    desk.see("done, Juno Park", ".steps")
    desk.control_enter()
    desk.see("A manager can check them in", ".fin")
    assert of(zax, "SELECT state FROM visit WHERE id = :id", id=visit) == "confirmed"
    desk.click(".steps a[href*='/sign/1']")
    desk.at("/sign/1")
    desk.click_words("Save signature")
    desk.see("Not signed yet", ".padbox")
    desk.see("Choose one.", ".paper")
    draw(desk)
    desk.click("[data-pad-clear]")
    desk.until(lambda: field(desk, "strokes") == "", "cleared")
    draw(desk)
    desk.click_words("Yes", ".paper")
    desk.click_words("Save signature")
    desk.at("/arrival")
    desk.see("Ready to check in", ".fin")
    desk.click_words("Check in", ".fin")
    desk.until(lambda: of(zax, "SELECT state FROM visit WHERE id = :id", id=visit) == "here", "here")
    patient = of(zax, "SELECT patient_id FROM visit WHERE id = :id", id=visit)
    assert (
        of(zax, "SELECT COUNT(*) FROM signed_form WHERE patient_id = :id AND LENGTH(digest) = 64", id=patient)
        == 1
    )
    desk.open(f"/patients/{patient}/signed")
    desk.see("Privacy policy, 2026", "table")


def test_steps_are_put_in_order_by_keys_and_by_dragging(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("sam")

    def order() -> str:
        return str(of(zax, "SELECT GROUP_CONCAT(id ORDER BY position) FROM arrival_step"))

    before = order()
    desk.open("/setup/arrival")
    third = desk.all(".handle")[2]
    desk.driver.execute_script("arguments[0].focus()", third)
    desk.press(Keys.ARROW_UP, Keys.ARROW_UP, Keys.TAB)
    desk.until(lambda: order() != before, "the order is kept")
    desk.see("Order saved")
    moved = order()
    rows = desk.all(".ordered > li")
    # Dragging is played to the page as its events, since headless browsers do not drag by mouse.
    desk.driver.execute_script(
        """const [row, over] = arguments, data = new DataTransfer(), box = over.getBoundingClientRect();
        const send = (el, kind, y) => el.dispatchEvent(
            new DragEvent(kind, {bubbles: true, cancelable: true, dataTransfer: data, clientY: y})
        );
        send(row, 'dragstart', 0);
        send(over, 'dragover', box.bottom - 1);
        send(over, 'drop', box.bottom - 1);
        send(row, 'dragend', 0);""",
        rows[0],
        rows[3],
    )
    desk.until(lambda: order() != moved, "the dragged row stays where it was put")


def test_the_mouth_by_keys_and_by_mouse(person: Callable[[str], Person], zax: Running) -> None:
    """A crown by keys, surfaces by keys, a quadrant by mouse; then ready for checkout, and the desk sees it
    at once.
    """
    ines, juno = person("ines"), person("juno")
    ines.at("/mine")
    ines.see("Dana Whitlow", ".inroom")
    ines.press("e")
    ines.at("/charges")
    ines.ready()
    visit = visit_of(zax, "Whitlow")
    ines.until(lambda: ines.focus().get_attribute("id") == "tooth", "the tooth that lacks has the focus")
    ines.press(Keys.ESCAPE, "t")  # out of the field, into the picture
    ines.until(lambda: "tooth" in (ines.focus().get_attribute("class") or ""), "a tooth has the focus")
    ines.press("1", "4")
    ines.until(lambda: field(ines, "tooth") == "14", "tooth 14 by its digits")
    ines.press(Keys.ARROW_RIGHT)
    ines.until(lambda: field(ines, "tooth") == "15", "the next one by the arrow")
    ines.press(Keys.ARROW_LEFT, Keys.ENTER)
    ines.until(lambda: ines.focus().text.startswith("Save"), "Enter leads on to saving")
    ines.press(Keys.ENTER)
    ines.until(
        lambda: of(zax, "SELECT tooth FROM charge_line WHERE visit_id = :id", id=visit) == "14", "saved"
    )
    ines.gone(".lineform")
    ines.ready()

    ines.press("t", "3")
    ines.until(lambda: field(ines, "tooth") == "3", "tooth 3 by its digit")
    ines.press("m", "o")
    ines.until(lambda: ines.all(".surface[data-surface=O][aria-pressed=true]"), "the surfaces are marked")
    ines.press(Keys.ENTER)
    ines.until(lambda: ines.focus().get_attribute("id") == "what", "Enter leads on to the service")
    ines.press("two surf")
    ines.see("D2392", "#services")
    ines.press(Keys.ENTER)
    line = (
        "SELECT CONCAT(l.tooth, l.surfaces) FROM charge_line l WHERE visit_id = :id ORDER BY id DESC LIMIT 1"
    )
    ines.until(lambda: of(zax, line, id=visit) == "3MO", "the filling has tooth and surfaces of the picture")

    ines.until(
        lambda: "today" in (ines.find("[data-tooth='3']").get_attribute("class") or ""), "drawn as done"
    )
    ines.driver.execute_script("document.activeElement.blur()")
    ines.click(".area[data-area='20'] text")
    ines.see("The next service takes upper left", ".adder")
    ines.type("#what", "D4341")
    ines.see("Deep cleaning", "#services")
    ines.click("#services [role=option]")
    area = "SELECT area FROM charge_line WHERE visit_id = :id ORDER BY id DESC LIMIT 1"
    ines.until(lambda: of(zax, area, id=visit) == "20", "the quadrant came along")
    ines.until(lambda: len(ines.all("tbody tr[data-row]")) == 3, "three services stand there")
    arch = ines.find(".area[data-area='01']")  # the same by keys: a stop of the Tab key, chosen by Space
    ines.driver.execute_script("arguments[0].focus()", arch)
    ines.press(Keys.SPACE)
    ines.see("The next service takes upper arch", ".adder")
    ines.press(Keys.SPACE)
    ines.driver.execute_script("document.activeElement.blur()")
    ines.control_enter()
    ines.at("/mine")
    juno.until(
        lambda: any("Dana Whitlow" in each.text for each in juno.all(".a .row")), "the desk sees her ready"
    )


def test_options_are_signed_and_booked(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("sam")
    patient = of(zax, "SELECT id FROM patient WHERE first = 'Priya' AND last = 'Raman'")
    desk.open(f"/patients/{patient}/planned")
    desk.click_words("Upper left side", ".propcard")
    desk.at("/planned/")
    desk.see("Sign C", ".options")
    desk.ready()
    desk.press("2")  # sign B
    desk.at("sign=B")
    desk.ready()
    desk.find("[data-pad-type]").send_keys(Keys.ENTER)
    desk.until(lambda: len(field(desk, "strokes")) > 200, "the name is written")
    desk.control_enter()
    desk.see("option B signed")
    desk.ready()
    desk.press("n")
    desk.at("planned=")
    desk.find(".opens .pick")
    desk.ready()
    desk.press("1")
    desk.find("#slip")
    ticked = [each for each in desk.all("#slip input[name=planned]") if each.is_selected()]
    assert len(ticked) == 2
    desk.type("#type_id", "Toothache")
    desk.control_enter()
    desk.at("visit=")
    desk.see("Priya Raman", "#sheet")
    booked = (
        "SELECT COUNT(*) FROM planned_service WHERE patient_id = :id AND visit_id IS NOT NULL AND"
        " option_letter = 'B'"
    )
    assert of(zax, booked, id=patient) == 2


def test_a_usual_checkout_takes_four_keys_and_the_amount(
    person: Callable[[str], Person], zax: Running
) -> None:
    """Helen Vasquez is ready to leave: her row's key, the first opening, and one key for paying and
    finishing.
    """
    desk = person("juno")
    visit = visit_of(zax, "Vasquez")
    row = desk.one(".a .row", "Helen Vasquez")
    number = row.find_element(By.CSS_SELECTOR, "[data-act]").get_attribute("data-key")
    presses: list[Any] = []

    def press(*keys: str) -> None:
        presses.extend(keys)
        desk.press(*keys)

    press(str(number))
    desk.at(f"/visits/{visit}/checkout")
    desk.ready()
    desk.until(lambda: desk.focus().get_attribute("id") == "amount", "the amount has the focus, filled in")
    assert float(str(desk.find("#amount").get_attribute("value"))) > 12.80  # hers and her household's
    press(Keys.ESCAPE, "1")
    desk.until(
        lambda: desk.driver.find_elements(By.CSS_SELECTOR, ".offer input:checked[data-key='1']"),
        "the opening is chosen",
    )
    presses.append("ctrl-enter")
    desk.control_enter()
    desk.see("Next visit booked")
    assert len(presses) == 4
    assert of(zax, "SELECT state FROM visit WHERE id = :id", id=visit) in {"left", "settled"}
    ahead = (
        "SELECT COUNT(*) FROM visit WHERE patient_id = (SELECT patient_id FROM visit WHERE id = :id) AND day"
        " > '2027-05-01'"
    )
    assert of(zax, ahead, id=visit) == 1


def test_a_lost_connection_is_said_and_mends_itself(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.ready()
    desk.driver.execute_cdp_cmd("Network.enable", {})
    off = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
    desk.driver.execute_cdp_cmd("Network.emulateNetworkConditions", off)
    desk.driver.execute_script("window.dispatchEvent(new Event('offline'))")
    desk.see("Connection lost", "#lost")
    desk.driver.execute_cdp_cmd(
        "Network.emulateNetworkConditions",
        off | {"offline": False, "downloadThroughput": -1, "uploadThroughput": -1},
    )
    desk.driver.execute_script("window.dispatchEvent(new Event('online'))")
    desk.gone("#lost")


def test_the_wall_follows_the_day_without_anybody_signed_in(
    person: Callable[[str], Person], zax: Running
) -> None:
    sam, wall = person("sam"), person("juno")
    sam.open("/setup/day")
    sam.click_words("Make an address")
    sam.see("/wall/1/", ".wallurl")
    address = sam.find(".wallurl code").text
    wall.driver.delete_all_cookies()
    wall.driver.get(zax.url + address)
    wall.see("K. M.")
    visit = visit_of(zax, "Ito")
    sam.open("/day")
    room = sam.find(f"#room-{visit}").text.splitlines()[0].removeprefix("Take to ")
    sam.click(f"#room-{visit}")
    sam.until(lambda: of(zax, "SELECT state FROM visit WHERE id = :id", id=visit) == "room", "in a room")
    wall.until(lambda: room in wall.find("main").text, "the wall calls to the room")
    assert "H. I." in wall.find("main").text and "Ito" not in wall.find("main").text

"""The Book in a real browser: taken up and put down by keys, dragged, shelved, found an opening for, undone;
the waitlist; setup by a manager.
"""

from collections.abc import Callable
from datetime import timedelta

from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

from tests.browser.conftest import Person, Running, of
from tests.conftest import TODAY

NEXT_MONDAY = TODAY + timedelta(days=13)


def bar(desk: Person, name: str) -> WebElement:
    return desk.one("#grid .v", name)


def where(zax: Running, last: str) -> tuple[str, int, int, int]:
    """(state, start, provider, minutes) of the newest visit of that name."""
    found = of(
        zax,
        "SELECT CONCAT_WS(' ', v.state, v.start_min, v.provider_id, v.minutes) FROM visit v JOIN patient p ON"
        " p.id = v.patient_id WHERE p.last = :last ORDER BY v.id DESC LIMIT 1",
        last=last,
    ).split()
    return found[0], int(found[1]), int(found[2]), int(found[3])


def focus_on(desk: Person, name: str) -> None:
    def focused() -> bool:
        desk.driver.execute_script("arguments[0].focus()", bar(desk, name))
        return name in (desk.focus().get_attribute("title") or "")

    desk.until(focused, f"{name} has the focus")


def test_a_visit_is_moved_by_keys_alone_and_the_move_undone(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("ravi")
    desk.open("/book")
    focus_on(desk, "Omar Said")
    desk.press("y")
    desk.at("carry=")
    desk.find(".ghost")
    desk.until(
        lambda: "does not do physical" in desk.find("[data-head=p1]").text,
        "columns that cannot take payment say so at their heads",
    )
    desk.press(Keys.ARROW_DOWN)
    desk.until(lambda: "1:50 pm" in desk.find(".ghost").text, "the hand follows the arrow")
    assert "bad" not in (desk.find(".ghost").get_attribute("class") or ""), "free there"
    desk.press(Keys.ENTER)
    desk.until(lambda: where(zax, "Said")[1] == 13 * 60 + 50, "moved")
    desk.gone(".ghost")
    for key, minutes in (("-", 35), ("+", 40)):
        focus_on(desk, "Omar Said")
        desk.press(key)
        desk.until(lambda wanted=minutes: where(zax, "Said")[3] == wanted, f"{minutes} minutes long")
    desk.until(lambda: bar(desk, "Omar Said").get_attribute("data-min") == "40", "the page is new")
    desk.press("z")
    desk.until(lambda: where(zax, "Said")[3] == 35, "the last act is undone")


def test_a_refused_place_offers_the_nearest_fit_by_one_key(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("ravi")
    desk.open("/book")
    focus_on(desk, "Hugo Brandt")
    desk.press("y")
    desk.find(".ghost")
    desk.press(Keys.ARROW_UP)  # shift would jump to the next time that is free
    for _ in range(2):
        desk.press(Keys.ARROW_DOWN)
    desk.until(lambda: "not free" in desk.find(".ghost").text, "the collision shows while it is carried")
    desk.press(Keys.ENTER)
    desk.see("Out", ".refusal")
    desk.press(Keys.ESCAPE)
    desk.gone(".ghost")
    assert where(zax, "Brandt")[1] == 15 * 60 + 30


def test_a_visit_is_dragged_to_another_time(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("ravi")
    desk.open("/book")
    el = bar(desk, "Tom Vale")
    rules = (
        "const [a, b] = document.querySelectorAll('#grid > .hr'); return (b.getBoundingClientRect().top -"
        " a.getBoundingClientRect().top) / 30"
    )
    px = desk.driver.execute_script(rules)
    ActionChains(desk.driver).move_to_element(el).click_and_hold().move_by_offset(0, 8).perform()
    desk.find(".ghost")
    desk.until(lambda: "does not do sick visit" in desk.find("[data-head=p1]").text, "the hints are there")
    ActionChains(desk.driver).move_by_offset(0, round(15 * px) - 8).perform()
    desk.until(lambda: "2:25 pm" in desk.find(".ghost").text, "the ghost is under the hand")
    ActionChains(desk.driver).release().perform()
    desk.until(lambda: where(zax, "Vale")[1] == 14 * 60 + 25, "dropped")


def test_shelved_by_key_then_placed_in_an_opening_of_another_day(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("ravi")
    desk.open("/book")
    focus_on(desk, "Peter Oyelaran")
    desk.press("h")
    desk.until(lambda: where(zax, "Oyelaran")[0] == "shelf", "on the shelf")
    desk.see("Peter Oyelaran", "#side")
    desk.click_words("Peter Oyelaran", "#side")
    desk.at("carry=")
    desk.ready()
    desk.open(desk.driver.current_url.removeprefix(zax.url) + "&find=1&when=2w")
    desk.see("for Peter Oyelaran", ".finder")
    desk.find(".opens .pick")
    desk.press("1")
    desk.until(lambda: where(zax, "Oyelaran")[0] == "booked", "placed")
    assert of(
        zax,
        "SELECT day >= :d FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.last = 'Oyelaran' ORDER"
        " BY v.id DESC LIMIT 1",
        d=TODAY + timedelta(days=14),
    )


def test_booked_from_the_need_by_keys(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/book")
    desk.press("o")
    desk.at("find=1")
    desk.until(lambda: desk.focus().get_attribute("id") == "f_type", "the type has the focus")
    desk.type("#f_type", "Physical")
    desk.press(Keys.ENTER)
    desk.find(".opens .pick")
    desk.driver.execute_script("document.activeElement.blur()")
    desk.press("2")
    desk.find("#slip")
    desk.type("#who", "stan wel")
    desk.see("Weller, Stan", "#people")
    desk.press(Keys.ENTER)
    desk.see("Stan Weller", "#chosen")
    desk.control_enter()
    desk.at("visit=")
    assert (
        of(zax, "SELECT t.name FROM visit v JOIN visit_type t ON t.id = v.type_id ORDER BY v.id DESC LIMIT 1")
        == "Physical"
    )


def test_another_desk_sees_a_move_at_once(person: Callable[[str], Person], zax: Running) -> None:
    one, other = person("juno"), person("ravi")
    for desk in (one, other):
        desk.open("/book?by=room")
    focus_on(one, "Rosa Quill")
    one.press("h")
    other.until(
        lambda: (
            not any("Rosa Quill" in (each.get_attribute("title") or "") for each in other.all("#grid .v"))
        ),
        "gone from the other desk's Book",
    )
    one.press("z")
    one.until(lambda: where(zax, "Quill")[0] == "booked", "undone")
    bar(other, "Rosa Quill")


def test_from_a_gap_to_the_best_of_the_waitlist(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("ravi")
    desk.open("/waitlist")
    waiting = of(zax, "SELECT COUNT(DISTINCT patient_id) FROM waiting WHERE ended_at IS NULL")
    desk.see(str(waiting), "h1")
    name = desk.find(".ft.best b").text
    desk.press(Keys.ENTER)
    desk.until(
        lambda: (
            "/book?" in desk.driver.current_url
            or of(zax, "SELECT COUNT(DISTINCT patient_id) FROM waiting WHERE ended_at IS NULL") == waiting - 1
        ),
        "on to the booking",
    )
    if "/book?" in desk.driver.current_url:
        desk.see(name, "#chosen")
        desk.control_enter()
    desk.until(
        lambda: (
            of(zax, "SELECT COUNT(DISTINCT patient_id) FROM waiting WHERE ended_at IS NULL") == waiting - 1
        ),
        "booking settles the entry",
    )


def test_requests_are_accepted_by_one_key(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/requests")
    desk.see("Chipped a tooth", "table")
    desk.control_enter()
    desk.until(lambda: of(zax, "SELECT COUNT(*) FROM visit WHERE state = 'held'") == 0, "all answered")
    desk.see("No requests waiting")


def test_a_manager_changes_hours_and_shelves_what_lies_outside(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("sam")
    desk.press("g", "s")
    desk.until(lambda: desk.focus().get_attribute("data-narrows"), "the search over the setup has the focus")
    desk.press("lunch", Keys.ENTER)
    desk.at("/setup/hours/")
    desk.ready()
    desk.open("/setup/hours/6")
    desk.type("#from_day", str(NEXT_MONDAY), clear=True)
    for number in range(0, 15, 3):
        desk.type(f"[name=end-{number}]", "13:00", clear=True)
    desk.control_enter()
    desk.see("would lie outside working hours", ".affected")
    shelved = of(zax, "SELECT COUNT(*) FROM visit WHERE state = 'shelf'")
    desk.click_words("put them on the shared shelf", ".affected")
    desk.until(lambda: of(zax, "SELECT COUNT(*) FROM visit WHERE state = 'shelf'") > shelved, "shelved")
    desk.open(f"/book?day={NEXT_MONDAY}&side=on")
    desk.see("hours changed", "#side")

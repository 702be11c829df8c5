"""Every key of every main page: printed where it presses, one act a key, the focus where the act needs it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of

CHOICES = {"INPUT", "SELECT", "TEXTAREA", "BUTTON"}
NAMES = {"Escape": Keys.ESCAPE, "Control+Enter": "", "[": "[", "]": "]"}
# What stands on the page with a key: in the topmost layer first, as the keys find it.
KEYED = """
const seen = (el) => el.getClientRects().length > 0 && !el.disabled;
const layers = [...document.querySelectorAll('[data-layer]')].filter(seen).reverse();
const depth = (el) => {
  const at = layers.findIndex((each) => each.contains(el));
  return at === -1 ? (el.closest('main') ? 90 : 99) : at;
};
const kind = (el) => {
  if (el.matches('input:not([type=radio]), select, textarea')) return 'field';
  return el.tagName === 'SUMMARY' ? 'fold' : el.dataset.arrives ? 'group' : 'press';
};
const caps = (at) => at ? [...at.querySelectorAll('kbd'), ...(at.matches('kbd') ? [at] : [])] : [];
const printed = (el) => [el, el.parentElement, el.nextElementSibling].flatMap(caps)
  .some((cap) => cap.textContent.trim().toUpperCase() === el.dataset.key.toUpperCase());
const words = (el) => el.textContent.replace(/\\s+/g, ' ').trim() || el.getAttribute('aria-label') || el.id;
return [...document.querySelectorAll('[data-key]')].filter(seen).filter((el) => !el.closest('[data-row]'))
  .map((el) => ({
    key: el.dataset.key, depth: depth(el), words: words(el), kind: kind(el), printed: printed(el),
  }));"""
# From now on a press of a link, a button or a form is written down and goes no further.
HOLD = """
window.done = [];
const write = (event, what) => {
  event.preventDefault();
  event.stopImmediatePropagation();
  window.done.push(what);
};
document.addEventListener('click', (event) => {
  const el = event.target.closest('a, button, [type=radio]');
  if (!el || el.dataset.arrives) return;
  write(event, el.dataset.key ?? '');
}, true);
document.addEventListener('submit', (event) => write(event, 'submit'), true);"""
FOCUS = """
const at = document.activeElement;
return {
  key: at.dataset?.key ?? '', tag: at.tagName, type: at.type ?? '',
  inside: at.closest('details[open]') !== null, group: at.closest('section')?.id ?? '',
};"""


OPEN_OFFER = "SELECT MAX(id) FROM offer WHERE stand = 'open'"


def pages(zax: Running) -> list[tuple[str, str]]:
    def on_day(state: str) -> int:
        return int(
            of(
                zax,
                "SELECT MIN(v.id) FROM visit v WHERE v.state = :state AND v.day = (SELECT MAX(day) FROM visit"
                " WHERE state IN ('room', 'checkout'))",
                state=state,
            )
        )

    patient = of(zax, "SELECT patient_id FROM visit WHERE id = :id", id=on_day("checkout"))
    return [
        ("juno", "/day"),
        ("juno", "/book"),
        ("juno", "/book?find=1"),
        ("juno", "/walk-in"),
        *(("sam", f"/book?visit={on_day(state)}") for state in ("booked", "confirmed", "here", "room")),
        ("sam", f"/day?visit={on_day('checkout')}"),
        ("sam", f"/day?visit={on_day('settled')}"),
        ("juno", "/book?provider=5&at=15:00"),
        ("juno", f"/visits/{on_day('confirmed')}/arrival"),
        ("sam", f"/visits/{on_day('room')}/charges"),
        ("juno", f"/visits/{on_day('checkout')}/checkout"),
        ("juno", f"/visits/{on_day('checkout')}/checkout?next=1&after=6m"),
        ("juno", f"/patients/{patient}"),
        ("juno", f"/patients/{patient}/teeth"),
        ("odile", f"/accounts/{patient}"),
        ("juno", f"/pay/{patient}"),
        ("juno", "/patients"),
        ("juno", "/money"),
        ("sam", "/close"),
        ("odile", "/claims"),
        ("odile", "/plans"),
        ("juno", "/waitlist"),
        ("juno", "/offers"),
        ("juno", "/inbox"),
        ("sam", "/setup/messages?event=reminder&channel=text"),
        ("juno", f"/offers/{of(zax, OPEN_OFFER)}"),
        ("sam", "/setup"),
        ("ines", "/mine"),
    ]


def test_every_key_of_every_main_page(person: Callable[[str], Person], zax: Running) -> None:
    """Kills: a key without its cap, two acts on one key, a fold whose first choice has to be tabbed to."""
    people: dict[str, Person] = {}
    tried, unprinted, twice = 0, [], []
    for name, path in pages(zax):
        who = people.get(name) or people.setdefault(name, person(name))
        who.open(path)
        keyed: list[dict[str, Any]] = who.driver.execute_script(KEYED)
        assert keyed, path
        letters = [each for each in keyed if len(each["key"]) == 1 and each["key"].isalpha()]
        unprinted += [(path, each["key"], each["words"]) for each in letters if not each["printed"]]
        answers: dict[str, dict[str, Any]] = {}
        for each in sorted(keyed, key=lambda one: one["depth"]):
            other = answers.setdefault(each["key"], each)
            if (
                other["depth"] == each["depth"]
                and other["words"] != each["words"]
                and each["key"] != "Escape"
            ):
                twice.append((path, each["key"], other["words"], each["words"]))
        who.driver.execute_script(HOLD)
        for key, each in answers.items():
            if key in {"Control+Enter", "[", "]", "?"}:
                continue
            who.driver.execute_script("document.activeElement.blur(); window.done = []")
            who.press(NAMES.get(key, key))
            at = who.driver.execute_script(FOCUS)
            done = who.driver.execute_script("return window.done")
            tried += 1
            if each["kind"] == "field":
                assert at["key"] == key, (path, each, at)
            elif each["kind"] == "fold":
                assert at["inside"] and at["tag"] in CHOICES, (
                    path,
                    each,
                    at,
                )
                assert at["type"] != "hidden"
            elif each["kind"] == "group":
                assert at["group"] == f"group-{key}", (path, each, at)
            else:
                assert done[:1] == [key], (path, each, done, at)
    assert (unprinted, twice) == ([], []) and tried > 120


def test_g_and_a_letter_goes_to_every_screen_of_the_rail(person: Callable[[str], Person]) -> None:
    desk = person("sam")
    for letter, place in (
        ("b", "/book"),
        ("p", "/patients"),
        ("m", "/money"),
        ("c", "/claims"),
        ("w", "/waitlist"),
        ("i", "/plans"),
        ("s", "/setup"),
        ("d", "/day"),
    ):
        desk.press(Keys.ESCAPE, "g", letter)
        desk.at(place)
        desk.ready()
    desk.press("g", "g")  # no such screen: nothing happens, and the next letter is the page's again
    desk.press("n")
    desk.at("provider=")


def test_an_act_of_the_page_is_found_by_its_words(person: Callable[[str], Person], zax: Running) -> None:
    odile = person("odile")
    patient = of(
        zax,
        "SELECT v.patient_id FROM visit v JOIN charge_line c ON c.visit_id = v.id WHERE v.state = 'checkout'"
        " LIMIT 1",
    )
    odile.open(f"/accounts/{patient}")
    odile.press("/", *"payment pl")
    odile.see("Payment plan", "#found .does")
    odile.press(Keys.ENTER)
    odile.at("/plan")
    odile.ready()
    odile.open(f"/accounts/{patient}")
    odile.press("/", *"write off")
    odile.see("Write off part of", "#found .does")
    odile.press(Keys.ENTER)
    odile.at("do=write-off")
    odile.until(lambda: odile.focus().get_attribute("name") == "amount", "the amount has the focus")


def test_a_number_chooses_and_is_not_typed_into_an_amount_nobody_touched(
    person: Callable[[str], Person], zax: Running
) -> None:
    """Kills: pressing 3 for the third time offered takes $3.00. And the payment as entered stays."""
    desk = person("juno")
    visit = of(
        zax,
        "SELECT id FROM visit WHERE state = 'checkout' AND day = (SELECT MAX(day) FROM visit WHERE state ="
        " 'checkout') ORDER BY id LIMIT 1",
    )
    desk.open(f"/visits/{visit}/checkout")
    amount = desk.find(".pay .fld.num")
    amount.clear()
    amount.send_keys("7.50")
    desk.click("[form=nextform].button")
    desk.find("#part-next .offers")
    desk.until(lambda: desk.focus().get_attribute("name") == "opening", "the focus is among the times")
    assert desk.find(".pay .fld.num").get_property("value") == "7.50"
    desk.press("3")
    third = "#part-next [data-key='3']"
    desk.until(lambda: desk.driver.find_element("css selector", third).is_selected(), "the third is chosen")
    desk.open(f"/visits/{visit}/checkout?next=1&after=6m")
    before = desk.find(".pay .fld.num").get_property("value")
    desk.until(lambda: desk.focus().tag_name == "input", "the amount has the focus")
    desk.press("2")
    second = "#part-next [data-key='2']"
    desk.until(lambda: desk.driver.find_element("css selector", second).is_selected(), "the second is chosen")
    assert desk.find(".pay .fld.num").get_property("value") == before


def test_a_letter_is_the_pages_and_not_typed_into_an_amount(
    person: Callable[[str], Person], zax: Running
) -> None:
    """Kills: S for Split payment while the amount has the focus makes it "s" and the button "Take $0.00"."""
    desk = person("juno")
    visit = of(
        zax,
        "SELECT MIN(visit_id) FROM charge_line WHERE visit_id IN (SELECT id FROM visit WHERE state ="
        " 'checkout' AND day = (SELECT MAX(day) FROM visit WHERE state = 'checkout'))",
    )
    desk.open(f"/visits/{visit}/checkout")
    desk.until(lambda: desk.focus().get_attribute("id") == "amount", "the amount has the focus")
    before = desk.focus().get_property("value")
    desk.press("s")
    desk.find("#amount2")
    assert desk.find("#amount").get_property("value") == before
    desk.until(lambda: desk.focus().get_attribute("id") == "amount2", "the second amount has the focus")


def test_a_number_is_counted_into_an_empty_field_whatever_is_numbered(
    person: Callable[[str], Person],
) -> None:
    """Kills: four hundreds in the drawer open the fourth row. An empty field has nothing put forward."""
    sam = person("sam")
    sam.open("/close")
    hundreds = "[name='piece-10000']"
    sam.until(lambda: sam.focus().get_attribute("name") == "piece-10000", "the first pieces have the focus")
    numbered = [each.get_attribute("data-key") for each in sam.all("main a[data-key]")]
    assert "2" in numbered
    for digit in ("2", "1"):
        sam.press(digit)
    sam.until(lambda: sam.find(hundreds).get_property("value") == "21", "it is counted")
    assert sam.driver.current_url.endswith("/close")


def test_after_an_act_the_focus_is_back_at_the_visit(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/book")
    bar = desk.one("#grid .v.confirmed", "Vale")
    number = bar.get_attribute("data-id")
    desk.driver.execute_script("arguments[0].focus()", bar)

    def minutes() -> int:
        return int(of(zax, "SELECT minutes FROM visit WHERE id = :id", id=number))

    first = minutes()
    for longer in (1, 2):
        desk.press("+")
        desk.until(lambda longer=longer: minutes() == first + 5 * longer, "one step longer")  # type: ignore[misc]
        desk.ready()
        desk.until(lambda: desk.focus().get_attribute("data-id") == number, "the focus is back on the visit")


def test_a_list_is_gone_through_by_letters_before_it_is_sent(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.open("/book?find=1")
    asked = desk.driver.current_url
    desk.until(lambda: desk.focus().get_attribute("id") == "f_type", "the type has the focus")
    desk.press("h", "y")
    assert desk.driver.current_url == asked
    desk.press(Keys.ENTER)
    desk.until(lambda: desk.driver.current_url != asked, "sent by Enter")


def test_a_jump_leaves_its_box(person: Callable[[str], Person]) -> None:
    desk = person("juno")
    desk.open("/book")
    desk.press("j")
    desk.press("3w", Keys.ENTER)
    desk.at("day=")
    desk.ready()
    desk.until(lambda: desk.focus().get_attribute("id") != "jump", "keys mean the Book again")
    desk.press("t")
    desk.until(lambda: "day=" not in desk.driver.current_url, "back to today")


def test_a_usual_checkout_takes_two_presses(person: Callable[[str], Person], zax: Running) -> None:
    """Counted as docs/keyboard.md says it: the number of the row on Day, then its one main act."""
    desk = person("juno")
    row = desk.one(".row", "Mina Castell")
    number = row.find_element("css selector", "[data-key]:not(.hide)").get_attribute("data-key")
    visit = of(
        zax,
        "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.last = 'Castell' AND"
        " v.state = 'checkout'",
    )
    desk.press(str(number))
    desk.at("/checkout")
    desk.ready()
    desk.control_enter()
    desk.until(
        lambda: of(zax, "SELECT state FROM visit WHERE id = :id", id=visit) in {"left", "settled"},
        "checked out",
    )

"""Booking on the phone and at the counter, by keys alone, with the presses counted: docs/keyboard.md says
them.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of
from tests.conftest import TODAY


class Hands:
    """Presses one key after the other and counts them; a held Ctrl and its key are one."""

    def __init__(self, desk: Person) -> None:
        self.desk, self.pressed = desk, 0

    def keys(self, *keys: str) -> None:
        for key in keys:
            self.desk.press(key)
            self.pressed += 1

    def types(self, words: str) -> None:
        self.keys(*words)

    def main_act(self) -> None:
        self.desk.control_enter()
        self.pressed += 1


def newest(zax: Running, last: str) -> str:
    return str(
        of(
            zax,
            "SELECT CONCAT_WS(' ', v.state, t.name, s.code) FROM visit v JOIN patient p ON p.id ="
            " v.patient_id JOIN visit_type t ON t.id = v.type_id JOIN charge_line l ON l.visit_id = v.id JOIN"
            " service s ON s.id = l.service_id WHERE p.last = :last ORDER BY v.id DESC, l.id DESC LIMIT 1",
            last=last,
        )
    )


def due_for_hygiene(zax: Running) -> tuple[int, str]:
    """(id, last name) of somebody whose hygiene recall is due, who saw a hygienist before and has nothing
    booked; the last name is theirs alone.
    """
    found = of(
        zax,
        "SELECT CONCAT(p.id, ' ', p.last) FROM recall r JOIN patient p ON p.id = r.patient_id JOIN"
        " recall_type t ON t.id = r.recall_type_id WHERE r.ended_at IS NULL AND t.name = 'Cleaning and exam'"
        " AND p.status = 'active' AND r.paused_until IS NULL AND"
        " r.due_day < '2026-11-01' AND (SELECT COUNT(*) FROM recall m WHERE m.patient_id = p.id AND"
        " m.ended_at IS NULL) = 1 AND p.last NOT LIKE '% %' AND (SELECT COUNT(*) FROM patient o WHERE o.last"
        " LIKE CONCAT(LEFT(p.last, 4), '%')) = 1 AND NOT EXISTS (SELECT 1 FROM visit v WHERE v.patient_id ="
        " p.id AND v.state IN ('booked', 'confirmed', 'held')) AND NOT EXISTS (SELECT 1 FROM waiting w WHERE"
        " w.patient_id = p.id AND w.ended_at IS NULL) ORDER BY p.id LIMIT 1",
    )
    number, _, last = str(found).partition(" ")
    return int(number), last


def test_a_known_patient_who_is_due_is_booked_with_ten_presses(
    person: Callable[[str], Person], zax: Running
) -> None:
    """Kills: Openings that forgets the patient, what is due, or with whom."""
    number, last = due_for_hygiene(zax)
    desk = person("juno")
    hands = Hands(desk)
    hands.keys("/")
    hands.types(last[:4].lower())
    desk.see(f"{last},", "#found")
    hands.keys(Keys.ENTER)
    desk.at(f"/patients/{number}")
    desk.ready()
    hands.keys("n")
    desk.at(f"for={number}")
    desk.see("Hygiene", "#ask")
    assert "with=same" in desk.driver.current_url
    desk.find(".opens .pick")
    hands.keys("1")
    desk.see("recall overdue", ".slipabout")
    desk.see("No coverage" if not covered(zax, number) else "·", ".slipabout")
    hands.main_act()
    desk.see("Booked.")
    assert newest(zax, last).startswith("booked Hygiene")
    assert hands.pressed <= 10, hands.pressed


def test_in_six_months_by_four_presses_more(person: Callable[[str], Person], zax: Running) -> None:
    """W goes into When, its letters choose, Enter asks; the first number takes the best time."""
    number, last = due_for_hygiene(zax)
    desk = person("juno")
    hands = Hands(desk)
    desk.open(f"/patients/{number}")
    hands.keys("n")
    desk.find(".opens .pick")
    desk.ready()
    hands.keys("w")
    desk.until(lambda: desk.focus().get_attribute("id") == "f_when", "When has the focus")
    hands.types("6 m")
    hands.keys(Keys.ENTER)
    desk.at("when=6m")
    desk.find(".opens .pick")
    desk.ready()
    hands.keys("1")
    desk.see("recall overdue", ".slipabout")
    hands.main_act()
    desk.see("Booked.")
    day = of(zax, "SELECT MAX(day) FROM visit WHERE patient_id = :id", id=number)
    assert day >= TODAY + timedelta(days=180) and hands.pressed <= 8, (day, hands.pressed)


def covered(zax: Running, number: int) -> int:
    return int(of(zax, "SELECT COUNT(*) FROM coverage WHERE patient_id = :id", id=number))


def test_a_new_patient_on_the_phone_is_booked_with_sixty_presses(
    person: Callable[[str], Person], zax: Running
) -> None:
    """The name that was searched for is not typed again, and the exam is the one for new patients."""
    desk = person("juno")
    hands = Hands(desk)
    hands.keys("/")
    hands.types("zara quimby")
    desk.see("New patient “zara quimby”", "#found")
    hands.keys(Keys.ENTER)
    desk.at("/patients/new")
    desk.until(lambda: desk.focus().get_attribute("name") == "birth", "the birth date has the focus")
    assert desk.find("#last").get_attribute("value") == "Quimby"
    hands.types("5/3/1984")
    hands.keys(Keys.TAB)
    hands.types("3605550199")
    hands.main_act()
    desk.see("Quimby", ".rehead")
    desk.ready()
    hands.keys("n")
    desk.until(lambda: desk.focus().get_attribute("id") == "f_type", "the type has the focus")
    hands.types("hy")
    hands.keys(Keys.ENTER)
    desk.find(".opens .pick")
    desk.ready()
    hands.keys("1")
    desk.see("new patient", ".slipabout")
    hands.main_act()
    desk.see("Booked.")
    assert newest(zax, "Quimby") == "booked Hygiene D0150"
    assert hands.pressed <= 60, hands.pressed


def test_a_walk_in_has_a_time_and_is_at_the_clinics_list_at_once(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("juno")
    hands = Hands(desk)
    desk.open("/day")
    hands.keys("k")
    desk.at("/walk-in")
    desk.see("Free next today", ".walkin")
    number, last = due_for_hygiene(zax)
    hands.types(last[:5].lower())
    desk.see(f"{last},", "#people")
    hands.keys(Keys.ENTER)
    desk.see("recall overdue", "#slipabout")
    desk.until(lambda: desk.focus().get_attribute("id") == "type_id", "the type has the focus")
    hands.types("sick")
    hands.keys(Keys.TAB)
    desk.find("#nextfree b")
    hands.main_act()
    desk.at("/arrival")
    desk.see("Before check-in: Confirm details")  # this clinic's own list stands in the door
    assert newest(zax, last).startswith("booked Sick visit")
    assert hands.pressed <= 16, hands.pressed


def test_somebody_new_is_the_last_of_the_hits(person: Callable[[str], Person], zax: Running) -> None:
    """Kills: a list of no hits that lies over the fields for a new patient."""
    desk = person("juno")
    desk.open("/book/new")
    desk.find("#slip")
    desk.focus().send_keys("mia wexford")
    desk.see("New patient “mia wexford”", "#people")
    desk.find("#people [data-newpatient]").click()
    desk.until(lambda: desk.focus().get_attribute("name") == "birth", "the birth date has the focus")
    assert desk.find("#first").get_attribute("value") == "Mia" and not desk.all("#people *")
    desk.press(*"3/9/1988", Keys.TAB, *"3605550171")
    desk.control_enter()
    desk.see("Booked.")
    assert newest(zax, "Wexford").startswith("booked")


def test_what_is_picked_is_shown_put_forward_and_cleared_again(
    person: Callable[[str], Person], zax: Running
) -> None:
    """At a free time of the Book: the type that is due, services added and removed, "change" starts over."""
    number, last = due_for_hygiene(zax)
    desk = person("juno")
    desk.open("/book?day=2026-12-03&provider=2&at=14:00&type=2")
    desk.focus().send_keys(last[:5].lower())
    desk.see(f"{last},", "#people")
    desk.press(Keys.ENTER)
    desk.see("recall overdue", "#slipabout")
    kind = "return document.getElementById('type_id').selectedOptions[0].textContent.trim()"
    desk.until(lambda: desk.driver.execute_script(kind).startswith("Hygiene"), "what is due is put forward")
    assert desk.find("#minutes").get_attribute("value") == "60"
    desk.find("#also").send_keys("bitewing")
    desk.see("Bitewing", "#alsohits")
    desk.press(Keys.ENTER)
    desk.see("Bitewing", "#added")
    assert desk.focus().get_attribute("id") == "also" and desk.focus().get_attribute("value") == ""
    desk.press(*"14 15 o fill")
    desk.see("one surface", "#alsohits")
    desk.press(Keys.ENTER)
    desk.until(lambda: len(desk.all("#added li")) == 3, "a filling on each tooth")
    desk.all("#added [data-unadd]")[2].click()
    desk.until(lambda: len(desk.all("#added li")) == 2, "one is removed")
    desk.find("[data-unpick]").click()
    desk.until(lambda: desk.focus().get_attribute("id") == "who", "the search has the focus")
    assert desk.focus().get_attribute("value") == "" and not desk.all("#people [role=option]")
    assert not desk.all("#slipabout *")

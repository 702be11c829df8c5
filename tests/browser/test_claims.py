"""The biller's evening by keys: a stop fixed in place, what looks odd kept with a reason, the batch sent, the
second plan billed, a denied claim corrected.
"""

from __future__ import annotations

from collections.abc import Callable

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Person, Running, of


def claim_of(zax: Running, first: str) -> int:
    return int(
        of(
            zax,
            "SELECT c.id FROM claim c JOIN patient p ON p.id = c.patient_id WHERE p.first = :first AND"
            " c.made_at > '2026-11-24' ORDER BY c.id LIMIT 1",
            first=first,
        )
    )


def state(zax: Running, claim: int) -> str:
    return str(of(zax, "SELECT state FROM claim WHERE id = :id", id=claim))


def test_a_stop_is_fixed_in_place_and_the_batch_goes_out(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("odile")
    gwen, kit = claim_of(zax, "Gwen"), claim_of(zax, "Kit")
    desk.open("/claims")
    desk.click(f"#c{gwen} a.button")
    desk.see("No full address for the patient", ".wk-o")
    assert desk.focus().get_attribute("name") == "street"
    for name, words in (
        ("street", "4 Gull Close"),
        ("city", "Marrow Harbor"),
        ("state", "WA"),
        ("zip", "9820"),
    ):
        desk.type(f".wk-o [name={name}]", words)
    desk.find(".wk-o [name=zip]").send_keys(Keys.ENTER)
    desk.see("A ZIP code has 5 digits", ".wk-o .err")
    assert desk.find(".wk-o [name=street]").get_attribute("value") == "4 Gull Close"
    assert desk.find(".wk-o [name=zip]").get_attribute("value") == "9820"
    desk.find(".wk-o [name=zip]").send_keys("1", Keys.ENTER)
    desk.see("Ready to send.")
    assert state(zax, gwen) == "ready"
    desk.click(f"#c{kit} a.button")
    desk.see("lot number", ".wk-o")
    desk.press("k")
    desk.see("Ready to send.")
    assert state(zax, kit) == "ready"
    desk.press("s")
    desk.at("/claims/batches")
    desk.see("claims on the way")
    desk.until(lambda: state(zax, gwen) in {"accepted", "closed"}, "the clearinghouse takes them")
    desk.see("accepted by the clearinghouse", "#live")
    desk.press(Keys.ESCAPE)
    desk.see("Claims to work", "h1")


def test_the_second_plan_is_billed_with_what_the_first_decided(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("odile")
    # Made by itself with the first plan's answer, it waits among those to send.
    gus = int(
        of(
            zax,
            "SELECT c.id FROM claim c JOIN patient p ON p.id = c.patient_id WHERE p.first = 'Gus'"
            " AND c.`rank` = 'P' AND EXISTS (SELECT 1 FROM claim n WHERE n.follows_id = c.id)",
        )
    )
    second = int(of(zax, "SELECT id FROM claim WHERE follows_id = :id", id=gus))
    desk.open(f"/claims/{second}")
    desk.see("First plan decided", "#live")
    desk.see("118.40", "#live")
    desk.see("second plan", ".under")
    desk.press("s")
    desk.until(lambda: state(zax, second) in {"sent", "accepted", "closed"}, "it goes out")


def test_a_denied_claim_is_corrected_and_keeps_its_thread(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("odile")
    lena = claim_of(zax, "Lena")
    desk.open(f"/claims/{lena}")
    desk.see("no prior approval", "#live")
    desk.press("c")
    desk.see("corrected", "h1")
    desk.see("2 claims", "#live")
    desk.click_words("Authorization", ".wk-more")
    desk.type("#authorization", "GA-7")
    desk.find("#authorization").send_keys(Keys.ENTER)
    desk.see("GA-7", ".wk-has")
    corrected = int(of(zax, "SELECT id FROM claim WHERE follows_id = :id", id=lena))
    assert of(zax, "SELECT frequency FROM claim WHERE id = :id", id=corrected) == "7"


def test_a_note_is_written_and_a_claim_closed_by_keys(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    ruth = claim_of(zax, "Ruth")
    desk.open(f"/claims/{ruth}")
    desk.see("is it the first", "#live")
    desk.press(Keys.ESCAPE, "t")
    desk.focus().send_keys("Asked the lab", Keys.ENTER)
    desk.see("Note: Asked the lab", ".life")
    desk.open(f"/claims/{ruth}")
    desk.press(Keys.ESCAPE, "e")
    assert desk.focus().get_attribute("name") == "reason"
    desk.click_words("Close it", ".wk-foot")
    desk.see("the patient pays", ".life")
    assert state(zax, ruth) == "closed"


def test_what_was_billed_last_week_is_changed_and_a_corrected_claim_follows(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("odile")
    claim = int(
        of(
            zax,
            "SELECT MAX(id) FROM claim WHERE state = 'accepted' AND form = 'D' AND made_at < '2026-11-20'",
        )
    )
    visit = int(of(zax, "SELECT visit_id FROM claim WHERE id = :id", id=claim))
    lines = int(of(zax, "SELECT COUNT(*) FROM claim_line WHERE claim_id = :id", id=claim))
    desk.open(f"/claims/{claim}")
    desk.see("Change what was billed", "main")
    desk.press("w")
    desk.at(f"/visits/{visit}/charges")
    desk.see("a corrected claim replaces", "body")
    desk.type("#what", "D9230")
    desk.see("D9230", "#services")
    desk.find("#what").send_keys(Keys.ENTER)
    desk.see("D9230", "table")
    desk.open(f"/visits/{visit}/checkout")
    desk.control_enter()
    desk.see("Finished", "body")
    after = int(of(zax, "SELECT id FROM claim WHERE follows_id = :id", id=claim))
    assert of(zax, "SELECT COUNT(*) FROM claim_line WHERE claim_id = :id", id=after) == lines + 1
    desk.open(f"/claims/{after}")
    desk.see("corrected", "h1")
    desk.see("2 claims", "#live")


def test_last_weeks_work_is_copied_to_other_days(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    claim = int(
        of(
            zax,
            "SELECT MAX(id) FROM claim WHERE state = 'accepted' AND form = 'D' AND made_at < '2026-11-10'"
            " AND visit_id IS NOT NULL",
        )
    )
    desk.open(f"/claims/{claim}")
    desk.press("i")
    desk.see("The same work on other days", "main")
    desk.until(lambda: desk.focus().get_attribute("id") == "copy_day", "the first day is asked for")
    desk.type("#copy_day", "11/30/2026")
    desk.find("#copy_day").send_keys(Keys.ENTER)
    desk.see("still to come", "main .err")
    desk.type("#copy_day", "11/16/2026", clear=True)
    desk.type("#times", "2", clear=True)
    desk.find("#times").send_keys(Keys.ENTER)
    desk.see("2 claims made.")
    desk.see(f"Copied from claim C{claim:06d}", ".life")
    assert of(zax, "SELECT COUNT(*) FROM visit WHERE minutes = 0 AND day <= '2026-11-23'") == 2


def test_work_done_elsewhere_becomes_a_claim(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    desk.open("/claims")
    desk.press("h")
    desk.at("/claims/by-hand")
    desk.control_enter()
    desk.see("Find the patient first.", ".err")
    desk.type("#who", "Helen Vasquez")
    desk.see("Vasquez", "#people")
    desk.find("#who").send_keys(Keys.ENTER)
    desk.see("Helen Vasquez", "#chosen")
    desk.type("#day", "10/5/2026")
    desk.find("#provider_id").send_keys("Dr. Ines", Keys.TAB)
    desk.control_enter()
    desk.see("entered afterwards", ".under")
    desk.type("#what", "3 D2740")
    desk.see("D2740", "#services")
    desk.find("#what").send_keys(Keys.ENTER)
    desk.see("D2740", "table")
    visit = int(of(zax, "SELECT MAX(id) FROM visit WHERE minutes = 0 AND day = '2026-10-05'"))
    desk.open(f"/visits/{visit}/checkout")
    desk.see("Finish", "#finish")
    desk.control_enter()
    desk.see("Finished", "body")
    assert of(zax, "SELECT COUNT(*) FROM payment WHERE visit_id = :id", id=visit) == 0
    claim = int(of(zax, "SELECT id FROM claim WHERE visit_id = :id", id=visit))
    assert state(zax, claim) == "held_back"
    desk.open(f"/claims?open={claim}")
    desk.see("is it the first", ".wk-o")


def test_a_plan_is_asked_beforehand_by_one_key(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    work = int(of(zax, "SELECT MAX(id) FROM proposal WHERE name = 'Upper left side'"))
    desk.open(f"/planned/{work}")
    desk.see("the plan’s own answer", ".option")
    desk.press("q")
    desk.see("asks about planned work", ".under")
    claim = int(of(zax, "SELECT MAX(id) FROM claim WHERE proposal_id = :id", id=work))
    desk.at(f"/claims/{claim}")
    desk.see("is it the first", "#live")
    desk.find("[name=placement]").send_keys("first", Keys.TAB, Keys.TAB, Keys.ENTER)
    desk.see("Ready to send.")
    assert state(zax, claim) == "ready"
    desk.open(f"/planned/{work}")
    desk.see("is asked beforehand", ".option")

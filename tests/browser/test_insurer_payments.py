"""The posting desk by keys alone: a check of twelve claims of four patients with its presses counted, a
denial to an appeal, a line of a file that needs somebody, and money taken back.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from selenium.webdriver.common.keys import Keys
from sqlalchemy import text

from tests.browser.conftest import Person, Running, of
from tests.conftest import ODILE
from tests.desk.remits.payment_files import Said, Waiting, payment_file, waiting_claims
from zax.desk.remits.importing import import_file

AIM = 6  # presses a claim that agrees


class Presses:
    """Counts what a person presses."""

    def __init__(self, desk: Person) -> None:
        self.desk, self.number = desk, 0

    def keys(self, *keys: str) -> None:
        for key in keys:
            self.number += 1
            self.desk.focus().send_keys(key)


def payer_of(zax: Running, claim: Waiting) -> int:
    found = """SELECT p.payer_id FROM plan p JOIN coverage v ON v.plan_id = p.id
        JOIN claim c ON c.coverage_id = v.id WHERE c.id = :id"""
    return int(of(zax, found, id=claim.claim_id))


def rest(zax: Running, claim: Waiting) -> tuple[int, int]:
    row = of(
        zax,
        "SELECT CONCAT(SUM(patient_cents), ' ', SUM(insurer_cents)) FROM journal WHERE visit_id = :id",
        id=claim.visit_id,
    )
    patient, insurer = str(row).split()
    return int(patient), int(insurer)


def name_them(zax: Running, claims: list[Waiting], last: str) -> None:
    """So that each patient is found by three letters."""
    with zax.desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE patient SET last = :last WHERE id = :id"),
            {"last": last, "id": claims[0].patient_id},
        )


def test_a_check_of_twelve_claims_of_four_patients_by_keys_alone(
    person: Callable[[str], Person], zax: Running
) -> None:
    names = ("Quixley", "Ugarth", "Xander", "Zupp")
    claims = []
    for last in names:
        own = waiting_claims(zax.desk, 3, [(10_000, 2_000)])
        name_them(zax, own, last)
        claims += own
    desk = person("odile")
    desk.open("/claims/payments/new")
    payer = payer_of(zax, claims[0])
    desk.click(f"#payer_id option[value='{payer}']")
    desk.type("#amount", "960.00")
    desk.type("#number", "CHK-12")
    desk.control_enter()
    desk.see("960.00", "h1")
    remit = int(desk.driver.current_url.rsplit("/", 1)[1].partition("?")[0])
    pressed = Presses(desk)
    for at in range(len(claims)):
        desk.until(lambda: desk.focus().get_attribute("name") == "find", "the next one is asked for")
        pressed.keys(*names[at // 3][:3].lower(), Keys.ENTER)
        if at % 3 < 2:  # of several that wait the list is shown, its first under the hand
            desk.until(lambda: desk.focus().text.startswith("Open"), "the patient's claims are found")
            pressed.keys(Keys.ENTER)
        desk.until(lambda: "Place 80.00" in desk.focus().text, "what we expected is filled in")
        pressed.keys(Keys.ENTER)
        desk.see("Placed.")
        desk.see(f"{at + 1} placed", ".pd-g")
    assert all(rest(zax, each) == (2_000, 0) for each in claims)
    desk.see("0.00", ".pd-fin")
    desk.press("l")
    desk.see("Finished")
    assert of(zax, "SELECT state FROM remit WHERE id = :id", id=remit) == "finished"
    assert pressed.number / len(claims) < AIM, pressed.number


def test_what_differs_is_typed_over_and_the_rest_is_given_its_place(
    person: Callable[[str], Person], zax: Running
) -> None:
    (claim,) = own = waiting_claims(zax.desk, 1, [(10_000, 0)])
    name_them(zax, own, "Yarrow")
    desk = person("sam")
    remit = start(zax, claim, 6_000, "CHK-13")
    desk.open(f"/claims/payments/{remit}?find=yar")
    desk.see("Yarrow", ".pd-o h2")
    desk.press("e")
    box = f"paid-{claim.lines[0][0]}"
    desk.until(lambda: desk.focus().get_attribute("name") == box, "the first box is focused")
    desk.type(f"#{box}", "abc")
    desk.focus().send_keys(Keys.ENTER)
    desk.see("isn’t an amount", ".err")
    assert desk.find(f"#{box}").get_attribute("value") == "abc"
    desk.type(f"#{box}", "60")
    desk.see("Place 60.00", ".pd-do")
    desk.see("40.00 less", ".pd-r.exp")
    assert desk.focus().get_attribute("name") == box and rest(zax, claim) == (0, 10_000)
    desk.focus().send_keys(Keys.ENTER)
    desk.see("Where does it go?", ".pd-o")
    desk.press("2")
    desk.see("Placed.")
    assert rest(zax, claim) == (4_000, 0)
    # Taken out, it waits again with its history.
    desk.click_words("take out", ".pd-g")
    desk.see("Taken out")
    assert rest(zax, claim) == (0, 10_000)


def start(zax: Running, claim: Waiting, cents: int, number: str) -> int:
    from zax.desk.remits.by_hand import PaymentForm, start_payment

    payer = payer_of(zax, claim)
    day = of(zax, "SELECT MAX(day) FROM visit WHERE state = 'left'") - timedelta(days=1)
    form = PaymentForm(payer_id=payer, amount=f"{cents / 100:.2f}", day=day, number=number, key=number)
    return start_payment(zax.desk, ODILE, 1, form)


def test_a_denial_becomes_an_appeal_by_keys(person: Callable[[str], Person], zax: Running) -> None:
    (claim,) = own = waiting_claims(zax.desk, 1, [(12_300, 0)])
    name_them(zax, own, "Ivor")
    said = claim.said((0, [("CO", "50", 12_300)]), status="4")
    import_file(zax.desk, ODILE, "denied.835", payment_file("DEN-1", [said]))
    short = of(zax, "SELECT id FROM shortfall WHERE claim_id = :id", id=claim.claim_id)
    desk = person("odile")
    desk.open("/claims")
    desk.press("d")
    desk.see("Denied and underpaid", "h1")
    desk.open(f"/claims/denied?open={short}")
    desk.see("Ivor", ".dn-s h1")
    desk.press("i")
    desk.until(lambda: desk.focus().get_attribute("name") == "text", "the letter is opened")
    desk.focus().send_keys(Keys.END, " Thank you.")
    desk.control_enter()
    desk.see("Answer by", ".dn-s")
    assert of(zax, "SELECT state FROM shortfall WHERE id = :id", id=short) == "appealed"
    assert rest(zax, claim) == (0, 12_300)
    desk.click_words("Turned down", ".dn-s")
    desk.see("decide what’s next")
    desk.open(f"/claims/denied?open={short}")
    desk.type("#why", "the plan never covered it")
    desk.click_words("Bill the patient", ".dn-s")
    desk.see("Decided.")
    assert rest(zax, claim) == (12_300, 0)


def test_money_that_a_payer_takes_back_is_seen_on_the_claim_and_on_its_account(
    person: Callable[[str], Person], zax: Running
) -> None:
    (claim,) = waiting_claims(zax.desk, 1, [(10_000, 2_000)])
    import_file(zax.desk, ODILE, "a.835", payment_file("TB-1", [claim.as_expected()]))
    back = payment_file("TB-2", [claim.taken_back()], [(f"FB:{claim.number}", -8_000)])
    import_file(zax.desk, ODILE, "b.835", back)
    remit = of(zax, "SELECT id FROM remit WHERE trace = 'TB-2'")
    desk = person("odile")
    desk.open(f"/claims/payments/{remit}")
    desk.see("took back $80.00, and no new decision came with it", ".pd-wt")
    desk.see("balance carried forward", ".pd-g")
    desk.press("1")
    desk.see(claim.number, ".pd-o")
    desk.type("#aside-why", "they will send a corrected one")
    desk.focus().send_keys(Keys.ENTER)
    desk.see("Finished", ".pd-fin")
    desk.open("/claims/payer-accounts")
    desk.see("still to be taken")
    desk.open(f"/claims/{claim.claim_id}")
    desk.see("took back $80.00, reversed", "#live")
    assert rest(zax, claim) == (0, 10_000)


def test_a_line_that_cannot_be_matched_is_found_by_name_and_placed(
    person: Callable[[str], Person], zax: Running
) -> None:
    (claim,) = own = waiting_claims(zax.desk, 1, [(7_700, 1_000)])
    name_them(zax, own, "Olsenby")
    odd = Said("0", [(9_999_999, 7_700, 6_700, [("PR", "2", 1_000)])], last="OLSENBY")
    import_file(zax.desk, ODILE, "odd.835", payment_file("ODD-1", [odd]))
    remit = of(zax, "SELECT id FROM remit WHERE trace = 'ODD-1'")
    desk = person("odile")
    desk.open(f"/claims/payments/{remit}")
    desk.see("We have no claim", ".pd-wt")
    desk.press("1")
    desk.see("It may be one of these")
    desk.see("Olsenby", ".pd-ch")
    desk.press("1")
    desk.until(lambda: "Place 67.00" in desk.focus().text, "the grid is filled in with what the file says")
    desk.focus().send_keys(Keys.ENTER)
    desk.see("Placed.")
    desk.see("Finished", ".pd-fin")
    assert rest(zax, claim) == (1_000, 0)


def test_what_is_of_one_claim_lights_up_together(person: Callable[[str], Person], zax: Running) -> None:
    first, second = waiting_claims(zax.desk, 2, [(10_000, 2_000)])
    import_file(zax.desk, ODILE, "l.835", payment_file("LIT-1", [first.as_expected(), second.as_expected()]))
    desk = person("odile")
    desk.open(f"/claims/payments/{of(zax, 'SELECT id FROM remit WHERE trace = :t', t='LIT-1')}")

    def lit() -> list[str]:
        return [each.text for each in desk.all(".linked")]

    for claim in (first, second):
        link = f".pd-r a[href='/claims/{claim.claim_id}']"
        desk.driver.execute_script("arguments[0].focus()", desk.find(link))
        desk.until(lambda: len(lit()) == 2, "the line and its note are lit")
        assert all(claim.number in words for words in lit())
    desk.driver.execute_script("document.getElementById('find')?.focus() ?? document.activeElement.blur()")
    desk.click(f".pd-r a[href='/accounts/{first.patient_id}#v{first.visit_id}']")
    desk.at(f"/accounts/{first.patient_id}")
    desk.click_words("Plan paid", ".jr")
    desk.click_words("its payment", "#why")
    desk.at("/claims/payments/")
    desk.see("LIT-1")

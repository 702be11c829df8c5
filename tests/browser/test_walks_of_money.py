"""Money in a real browser: a payment split over two tenders, a deposit that finds its charges, a refund, an
account that explains itself, and the evening.
"""

from collections.abc import Callable

from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Person, Running, of


def patient_of(zax: Running, first: str, last: str) -> int:
    return int(
        of(
            zax,
            "SELECT id FROM patient WHERE first = :first AND last = :last LIMIT 1",
            first=first,
            last=last,
        )
    )


def owes(zax: Running, patient: int) -> int:
    """Cents open with the patient's household."""
    return int(
        of(
            zax,
            "SELECT COALESCE(SUM(j.patient_cents), 0) FROM journal j JOIN patient p ON p.id = j.patient_id"
            " WHERE p.household_id = (SELECT household_id FROM patient WHERE id = :id)",
            id=patient,
        )
    )


def value(desk: Person, css: str) -> str:
    return desk.find(css).get_attribute("value") or ""


def test_a_payment_is_split_over_cash_and_card_by_keyboard_alone(
    person: Callable[[str], Person], zax: Running
) -> None:
    """From the visit: P, & and what is paid in cash, Ctrl+Enter; the card, used last, takes the rest by
    itself.
    """
    desk = person("juno")
    helen = patient_of(zax, "Helen", "Vasquez")
    before = owes(zax, helen)
    visit = of(zax, "SELECT id FROM visit WHERE patient_id = :id AND state = 'checkout'", id=helen)
    desk.open(f"/day?visit={visit}")
    desk.press("p")
    desk.at(f"/pay/{helen}")
    desk.ready()
    desk.until(lambda: value(desk, "#amount"), "the sum of what is open stands in the first amount")
    total = value(desk, "#amount")
    cents = round(float(total) * 100)
    assert cents > 4_000
    desk.press(Keys.ESCAPE, "s")
    desk.find("#amount2")
    desk.press("40")
    desk.until(
        lambda: value(desk, "#amount") == f"{(cents - 4_000) / 100:.2f}", "the card above takes the rest"
    )
    desk.see(f"{total} covered, nothing left due", "[data-covered]")
    desk.control_enter()
    desk.at("/receipts/")
    desk.see(f"${total}", ".rsum")
    desk.see("Cash", ".rcols")
    desk.see("Card ending 4417", ".rcols")
    assert before - owes(zax, helen) == cents
    assert (
        of(
            zax,
            "SELECT GROUP_CONCAT(CONCAT(tender, cents) ORDER BY id) FROM payment WHERE receipt_id = (SELECT"
            " MAX(id) FROM receipt)",
        )
        == f"card{cents - 4_000},cash4000"
    )


def choose(desk: Person, row: int, tender: str) -> None:
    """The tender of a row, counted from 0."""
    Select(desk.all("[data-tender] select")[row]).select_by_value(tender)


def test_the_payment_is_one_key_from_a_row_of_the_day(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/day")
    row = desk.find(".row [data-act]")
    desk.driver.execute_script("arguments[0].focus()", row)
    desk.press("p")
    desk.at("/pay/")
    name = desk.find("h1").text
    desk.press(Keys.ESCAPE, "a")
    desk.at("/accounts/")
    desk.press("p")
    desk.at("/pay/")
    assert desk.find("h1").text == name


def test_too_much_cash_is_change_and_a_deposit_waits_for_its_charges(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("juno")
    nina = patient_of(zax, "Nina", "Sorel")
    desk.open(f"/pay/{nina}")
    desk.click("[name=pick][value=deposit]")
    desk.type("[name=for-deposit]", "30", clear=True)
    for each in desk.all("[name=pick]:checked"):
        if each.get_attribute("value") != "deposit":
            each.click()
    choose(desk, 0, "cash")
    desk.until(lambda: value(desk, "#amount") == "30.00", "the deposit is the sum")
    desk.type("#amount", "50", clear=True)
    desk.see("20.00 over", "[data-over]")
    desk.see("Take $30.00", ".fin")
    desk.click_words("Take $30.00", ".fin")
    desk.at("/receipts/")
    desk.see("20.00", ".change")
    desk.open(f"/accounts/{nina}")
    desk.see("Unused credit", ".amargin")
    desk.open(f"/pay/{nina}")
    desk.see("30.00 of Nina’s", ".creditrow")
    before = owes(zax, nina)
    if desk.all(".creditrow button"):
        desk.press(Keys.ESCAPE, "'")
        desk.see("of credit was applied", "#said")
    assert owes(zax, nina) == before  # credit moves, nothing is lost


def test_a_refund_opens_what_it_paid_and_the_account_says_why(
    person: Callable[[str], Person], zax: Running
) -> None:
    desk = person("sam")
    payment, patient = of_pair(zax)
    desk.open(f"/payments/{payment}")
    desk.at("/receipts/")
    before = owes(zax, patient)
    desk.find("[name=why]").send_keys("overpaid")
    desk.type("[name=amount]", "999999", clear=True)
    desk.click(".backbox[open] [value=refund]")
    desk.see("the most you can refund", ".backbox")
    assert value(desk, ".backbox[open] [name=why]") == "overpaid"
    desk.type("[name=amount]", "5", clear=True)
    desk.click(".backbox[open] [value=refund]")
    desk.see("Refunded", "#said")
    desk.until(lambda: owes(zax, patient) == before + 500, "what it paid is reopen")
    desk.open(f"/accounts/{patient}?by=date")
    desk.click("a.jl.refund")
    desk.see("How $5.00 came about", "#why")
    desk.see("overpaid", "#why")
    desk.press(Keys.ESCAPE)
    desk.see("Due", "#why")


def of_pair(zax: Running) -> tuple[int, int]:
    """A cash payment of the past and its patient."""
    row = of(
        zax,
        "SELECT CONCAT(id, ':', patient_id) FROM payment WHERE tender = 'cash' AND cents > 2000 AND kind ="
        " 'payment' AND day < '2026-11-20' ORDER BY id DESC LIMIT 1",
    )
    payment, patient = str(row).split(":")
    return int(payment), int(patient)


def test_claims_and_payments_light_up_together(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("odile")
    patient = of(
        zax,
        "SELECT c.patient_id FROM claim c JOIN journal j ON j.claim_id = c.id AND j.kind = 'insurer' WHERE"
        " c.state = 'closed' ORDER BY c.id DESC LIMIT 1",
    )
    desk.open(f"/accounts/{patient}?all=1")
    claim = desk.find("a.claim[data-links]")
    ActionChains(desk.driver).move_to_element(claim).perform()
    desk.until(
        lambda: len(desk.all("a.jl.linked")) >= 1 and "linked" in (claim.get_attribute("class") or ""),
        "its entries are lit",
    )
    row = desk.all("a.jl.linked")[0]
    desk.driver.execute_script("document.activeElement.blur(); arguments[0].focus()", row)
    desk.until(lambda: "linked" in (claim.get_attribute("class") or ""), "and the claim from the entry")


def test_the_day_is_closed_in_the_evening(person: Callable[[str], Person], zax: Running) -> None:
    """Counted by keys, short by two, with its reason; then it is final."""
    desk = person("juno")
    desk.open("/money")
    desk.press("d")
    desk.at("/close")
    desk.ready()
    desk.see("not counted", ".cnt")
    expected = int(desk.find("[data-tender-count=cash]").get_attribute("data-expected") or 0)
    drawer = 15_000 + expected - 200
    desk.type("[name=piece-100]", str(drawer // 100))
    desk.type("[name=piece-1]", str(drawer % 100))
    desk.see("2.00 short", "[data-tender-count=cash]")
    desk.control_enter()
    desk.see("say why", "#err-why")
    assert value(desk, "[name=piece-100]") == str(drawer // 100)
    desk.type("#why", "wrong change at noon")
    desk.control_enter()
    desk.see("still expected", "#err-anyway")
    desk.find("[name=anyway]").send_keys(" ")
    desk.control_enter()
    desk.see("closed by Juno Park", ".daybar")
    desk.see("wrong change at noon", ".cl3")
    assert of(zax, "SELECT over_cents FROM day_close ORDER BY id DESC LIMIT 1") == -200
    assert desk.find("a[href$='/slip.pdf']").get_attribute("href")
    hollow = of(zax, "SELECT COUNT(*) FROM journal WHERE day > '2026-11-24'")
    helen = patient_of(zax, "Helen", "Vasquez")
    desk.open(f"/pay/{helen}?only=ahead")
    desk.type("[name=for-deposit]", "5", clear=True)
    choose(desk, 0, "cash")
    desk.control_enter()
    desk.at("/receipts/")
    desk.see("Tuesday was closed when it was taken", ".under + .meta")
    assert (
        of(zax, "SELECT COUNT(*) FROM journal WHERE day > '2026-11-24'") == hollow + 1
    )  # it falls on the next day

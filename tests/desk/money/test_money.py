"""Charges, payments and leaving, against a real MariaDB."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    known_patient,
    order,
    pay_visit,
    scalar,
    state_of,
    visit_at_checkout,
)
from tests.fakes import FakeTerminal
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, ZaxError
from zax.core.money.journal import Parts, balance, faults
from zax.core.money.tender import PaymentState, TenderForm
from zax.demo.world import SERVICE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.cancellation import take_off
from zax.desk.book.track import take_to_room
from zax.desk.charges.charges import LineForm, add_line, change_line, put_line_back, remove_line
from zax.desk.charges.diagnoses import add_diagnosis, find_diagnoses, remove_diagnosis
from zax.desk.charges.finishing import back_to_room, ready_for_checkout
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.money.account import account_of
from zax.desk.money.ledger import bill_of
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.outside.doors import Outside, Sale
from zax.store.book import queries as visits
from zax.store.money import queries as money
from zax.web.day.documents import visit_receipt_pdf as receipt_pdf


def open_parts(desk: Desk, visit_id: int) -> Parts:
    with desk.engine.connect() as connection:
        return balance(money.visit_entries(connection, visit_id))


def nothing_is_wrong(desk: Desk, visit_id: int) -> bool:
    with desk.engine.connect() as connection:
        return (
            faults(money.visit_entries(connection, visit_id), money.visit_allocations(connection, visit_id))
            == []
        )


def pay(
    desk: Desk,
    visit_id: int,
    amount: str,
    tender: str = "cash",
    key: str = "k",
    terminal: FakeTerminal | None = None,
    check: str = "",
):  # type: ignore[no-untyped-def]
    return pay_visit(desk, visit_id, tender, amount, key, check, terminal)


def test_charges_become_entries_split_by_the_estimate(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    # 286.00 filling, 80 percent after 50.00 deductible
    assert open_parts(desk, visit_id) == Parts(9720, 18880)
    assert scalar(desk, "SELECT deductible_cents FROM charge_line WHERE visit_id = :id", id=visit_id) == 5000


def test_the_deductible_used_at_one_visit_counts_at_the_next(desk: Desk) -> None:
    patient_id = add_patient(desk, plan_id=1)
    visit_at_checkout(desk, patient_id, dental=True, start="14:00")
    other = book_visit(desk, JUNO, order(patient_id, 3, "15:00", "Filling"))
    with desk.engine.connect() as connection:
        bill = bill_of(connection, desk.clinic, visits.one_visit(connection, other))
    assert bill.estimates[0].why == "80 percent of $286.00, deductible met"


def test_changing_a_line_at_checkout_reverses_and_posts_again(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    line_id = add_line(desk, JUNO, visit_id, SERVICE_ID["D9230"])
    assert open_parts(desk, visit_id) == Parts(9720 + 4500, 18880)
    change_line(desk, JUNO, visit_id, line_id, LineForm(units="2", tooth="", surfaces="", billed=False))
    assert open_parts(desk, visit_id) == Parts(9720 + 9000, 18880)
    remove_line(desk, JUNO, visit_id, line_id)
    assert open_parts(desk, visit_id) == Parts(9720, 18880)
    put_line_back(desk, JUNO, visit_id, line_id)
    assert open_parts(desk, visit_id) == Parts(9720 + 9000, 18880)
    assert nothing_is_wrong(desk, visit_id)
    assert (
        scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'reversal' AND visit_id = :id", id=visit_id)
        == 2
    )


def test_a_removed_service_that_was_paid_leaves_a_credit(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    line_id = add_line(desk, JUNO, visit_id, SERVICE_ID["D9230"])
    pay(desk, visit_id, "331.00")
    remove_line(desk, JUNO, visit_id, line_id)
    assert open_parts(desk, visit_id) == Parts(-4500, 0)
    assert nothing_is_wrong(desk, visit_id)


def test_finishing_without_charges_needs_a_reason(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(known_patient(desk)))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    with desk.engine.connect() as connection:
        line_id = money.visit_lines(connection, visit_id)[0].id
    with pytest.raises(Refused, match="99213 needs a diagnosis"):
        ready_for_checkout(desk, INES, visit_id)
    remove_line(desk, INES, visit_id, line_id)
    with pytest.raises(Refused) as refused:
        ready_for_checkout(desk, INES, visit_id)
    assert "say why" in refused.value.problems["reason"]
    ready_for_checkout(desk, INES, visit_id, "only a prescription")
    assert finish_checkout(desk, JUNO, visit_id) == "settled"


@pytest.mark.parametrize(
    ("code", "says"),
    [("J02", "heading"), ("nonsense", "from the list"), ("", "from the list"), ("J02.9", "already")],
)
def test_diagnoses_that_cannot_be_added(desk: Desk, code: str, says: str) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))
    with pytest.raises(Refused) as refused:
        add_diagnosis(desk, JUNO, visit_id, code)
    assert says in refused.value.problems["diagnosis"]


def test_diagnoses_are_found_by_code_and_by_words(desk: Desk) -> None:
    with desk.engine.connect() as connection:
        assert [row.code for row in find_diagnoses(connection, "J02")] == ["J02", "J02.9"]
        assert [row.code for row in find_diagnoses(connection, "cough acu")] == ["R05.1"]
        assert {row.code for row in find_diagnoses(connection, "cough")} == {"R05.1", "R05.2"}
        assert find_diagnoses(connection, "+-*") == find_diagnoses(connection, "x") == []
    visit_id = visit_at_checkout(desk, add_patient(desk))
    remove_diagnosis(desk, JUNO, visit_id, "J02.9")
    add_diagnosis(desk, JUNO, visit_id, "r05.1")


def test_lines_refuse_what_does_not_belong(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    with pytest.raises(Refused, match="medical service"):
        add_line(desk, JUNO, visit_id, SERVICE_ID["99213"])
    with pytest.raises(Problems):
        add_line(desk, JUNO, visit_id, SERVICE_ID["D2392"], LineForm(units="1", tooth="40", surfaces="MO"))
    with pytest.raises(Refused):
        add_line(desk, JUNO, visit_id, 9999)
    with pytest.raises(NotFound):
        change_line(desk, JUNO, visit_id, 10**8, LineForm(units="1", tooth="", surfaces="", billed=True))


def test_tenders_pay_in_parts_until_nothing_is_due(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    assert pay(desk, visit_id, "40", "cash", "a").state == PaymentState.TAKEN
    assert pay(desk, visit_id, "50.00", "check", "b", check="1184").state == PaymentState.TAKEN
    assert pay(desk, visit_id, "7.20", "card", "c").state == PaymentState.TAKEN
    assert open_parts(desk, visit_id) == Parts(0, 18880)
    assert nothing_is_wrong(desk, visit_id)
    with pytest.raises(Refused, match=r"more than the \$0\.00 due"):
        pay(desk, visit_id, "1", key="d")


@pytest.mark.parametrize(
    ("tender", "amount", "check", "field"),
    [
        ("cash", "0", "", "amount-1"),
        ("cash", "-5", "", "amount-1"),
        ("cash", "99999999", "", "amount-1"),
        ("cash", "lots", "", "amount-1"),
        ("cash", "97.21", "", "over"),
        ("check", "10", "", "number-1"),
        ("shells", "10", "", "tender-1"),
    ],
)
def test_payments_that_cannot_be_taken(desk: Desk, tender: str, amount: str, check: str, field: str) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    with pytest.raises(ZaxError) as error:
        pay(desk, visit_id, amount, tender, check=check)
    assert field in error.value.problems
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_nothing_is_paid_for_a_visit_that_is_off_and_only_with_the_right(desk: Desk) -> None:
    visit_id = book_visit(desk, JUNO, order(add_patient(desk)))
    take_off(desk, JUNO, visit_id, "wants", "", None)
    with pytest.raises(Conflict, match="isn’t on the Book"):
        pay(desk, visit_id, "10")
    with pytest.raises(NotAllowed):
        take_payment(
            desk,
            INES,
            FakeTerminal(),
            1,
            PayForm(tenders=[TenderForm("cash", "1")], items=[Item(visit_id)], key="k"),
        )
    with pytest.raises(NotFound):
        pay(desk, 10**8, "10")
    with pytest.raises(Refused, match="out of date"):
        pay(desk, visit_id, "10", key="")


@pytest.mark.parametrize("tender", ["cash", "card"])
def test_the_same_payment_sent_ten_times_at_once_is_taken_once(desk: Desk, tender: str) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    terminal = FakeTerminal()
    with ThreadPoolExecutor(10) as pool:
        answers = list(
            pool.map(lambda _: pay(desk, visit_id, "97.20", tender, "one key", terminal), range(10))
        )
    assert len({answer.receipt_id for answer in answers}) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 1
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'payment'") == 1
    assert len(terminal.asked) == (1 if tender == "card" else 0)
    assert open_parts(desk, visit_id).patient == 0


def test_ten_different_payments_at_once_never_take_more_than_is_due(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)

    def try_it(number: int) -> bool:
        try:
            pay(desk, visit_id, "30", "card", f"k{number}")
        except Refused:
            return False
        return True

    with ThreadPoolExecutor(10) as pool:
        taken = sum(pool.map(try_it, range(10)))
    assert taken == 3
    assert open_parts(desk, visit_id).patient == 9720 - 9000
    assert nothing_is_wrong(desk, visit_id)


def test_a_declined_card_takes_nothing(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    taken = pay(
        desk,
        visit_id,
        "286",
        "card",
        terminal=FakeTerminal([Sale(state="declined", words="the bank refuses this card")]),
    )
    assert taken.state == PaymentState.DECLINED
    assert "the bank refuses this card" in taken.words
    assert open_parts(desk, visit_id).patient == 28600


def test_a_card_without_answer_is_being_clarified_and_holds_its_amount(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    taken = pay(
        desk, visit_id, "286", "card", terminal=FakeTerminal([Sale(state="unknown", words="no response")])
    )
    assert taken.state == PaymentState.UNKNOWN
    with pytest.raises(Refused, match="0.00 due"):
        pay(desk, visit_id, "286", "cash", "another")
    finish_checkout(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "left"


def test_leaving_makes_claim_and_settles_what_is_paid(desk: Desk) -> None:
    uncovered = visit_at_checkout(desk, known_patient(desk), start="14:00")
    pay(desk, uncovered, "128", key="a")
    assert finish_checkout(desk, JUNO, uncovered) == "settled"
    covered = visit_at_checkout(desk, known_patient(desk, plan_id=1), dental=True)
    assert finish_checkout(desk, JUNO, covered) == "left"
    assert finish_checkout(desk, JUNO, covered) == "left"
    assert scalar(desk, "SELECT COUNT(*) FROM claim") == 1
    assert scalar(desk, "SELECT state FROM claim") == "ready"
    with pytest.raises(Conflict, match="finished"):
        add_line(desk, JUNO, covered, SERVICE_ID["D9230"])


def test_the_whole_way_back_reverses_together(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1, street=""), dental=True)
    pay(desk, visit_id, "97.20")
    finish_checkout(desk, JUNO, visit_id)
    assert scalar(desk, "SELECT state FROM claim") == "held_back"
    take_checkout_back(desk, SAM, visit_id, "one more filling")
    assert scalar(desk, "SELECT state FROM claim") == "closed"
    back_to_room(desk, SAM, visit_id, "one more filling")
    assert open_parts(desk, visit_id) == Parts(-9720, 0)
    ready_for_checkout(desk, SAM, visit_id)
    assert open_parts(desk, visit_id) == Parts(0, 18880)
    assert nothing_is_wrong(desk, visit_id)


def test_a_claim_that_has_left_cannot_be_pulled_back(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, plan_id=1), dental=True)
    finish_checkout(desk, JUNO, visit_id)
    send_ready(desk, ODILE)
    with pytest.raises(Conflict, match="is already with the payer"):
        take_checkout_back(desk, JUNO, visit_id, "oh")
    assert state_of(desk, visit_id) == "left"


def test_the_receipt_is_a_pdf_with_the_same_numbers_every_time(desk: Desk, outside: Outside) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk), dental=True)
    with pytest.raises(NotFound):
        receipt_pdf(desk, visit_id)
    with pytest.raises(Refused) as refused:
        finish_checkout(desk, JUNO, visit_id, "email")
    assert "Nothing was paid" in refused.value.problems["receipt"]
    pay(desk, visit_id, "286")
    assert receipt_pdf(desk, visit_id)[:5] == b"%PDF-"
    finish_checkout(desk, JUNO, visit_id, "email")
    assert scalar(desk, "SELECT COUNT(*) FROM outbox WHERE kind = 'receipt_mail'") == 1


def test_no_email_address_no_email(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, email=""), dental=True)
    pay(desk, visit_id, "286")
    with pytest.raises(Refused) as refused:
        finish_checkout(desk, JUNO, visit_id, "email")
    assert "No email address" in refused.value.problems["receipt"]
    assert state_of(desk, visit_id) == "checkout"


def test_the_account_tells_the_same_sums_as_the_journal(desk: Desk) -> None:
    patient_id = add_patient(desk, plan_id=1)
    visit_id = visit_at_checkout(desk, patient_id, dental=True)
    pay(desk, visit_id, "50")
    finish_checkout(desk, JUNO, visit_id)
    with desk.engine.connect() as connection:
        account = account_of(connection, desk.clinic, patient_id, TODAY)
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
    assert account.open == Parts(4720, 18880) == Parts(sheet.due, sheet.insurer_open)
    assert (account.patient_aging, account.insurer_aging) == ([4720, 0, 0, 0], [18880, 0, 0, 0])
    assert account.billed == 28600
    assert (account.visits[0].expected, account.visits[0].received) == (18880, 0)
    assert [stop.how for stop in sheet.track] == ["done"] * 5 + ["open"]

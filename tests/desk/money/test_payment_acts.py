"""Taking payments against a real MariaDB: lines in part, several tenders, cards on file, products, credit,
and what happens in between.
"""

import re
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from sqlalchemy import Engine, insert

from tests.conftest import (
    JUNO,
    SAM,
    add_patient,
    at,
    known_patient,
    order,
    pay_visit,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import patient_open
from tests.desk.paying import agrees, all_lines, items_of, pay, relative
from tests.fakes import FakeTerminal
from zax.core.errors import Conflict, NotFound, Problems, Refused
from zax.core.money.tender import PaymentState, TenderForm
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.charges.finishing import back_to_room
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.cards_on_file import remove_card
from zax.desk.money.credits import move_allocation, spread_credit, use_credit
from zax.desk.money.payment_page import pay_desk
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.products import ProductSale, take_product_back
from zax.desk.money.receipts import receipt_of, send_receipt
from zax.desk.money.refunds import BackForm, refund
from zax.desk.money.terminal import close_payment
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.outside.doors import Sale as Answer
from zax.store import schema
from zax.store.files import FileStore
from zax.store.money.payments import cards_of
from zax.web.money.documents import receipt_pdf


@pytest.fixture
def owing(desk: Desk) -> tuple[int, int]:
    """Helen with a finished visit over 286.00 that she owes whole: (patient, visit)."""
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    return patient, visit


@pytest.fixture
def product(desk: Desk, engine: Engine):  # type: ignore[no-untyped-def]
    """A brush at 4.50 with 8.5 percent tax, three in stock."""
    with desk.engine.begin() as connection:
        number = connection.execute(
            insert(schema.product).values(words="Brush", price_cents=450, tax=850, stock=3, position=99)
        ).inserted_primary_key[0]
    yield int(number)
    with engine.begin() as connection:
        for table in ("journal", "charge_line"):
            connection.exec_driver_sql("SET foreign_key_checks=0")
            connection.exec_driver_sql(f"DELETE FROM {table}")
        connection.exec_driver_sql(f"DELETE FROM product WHERE id = {number}")
        connection.exec_driver_sql("SET foreign_key_checks=1")


def stock(desk: Desk, product: int) -> int:
    return int(scalar(desk, "SELECT stock FROM product WHERE id = :id", id=product))


def test_one_receipt_takes_cash_and_card_for_lines_of_two_people(desk: Desk) -> None:
    helen = known_patient(desk)
    rafael = relative(desk, helen)
    mine, his = visit_at_checkout(desk, helen, dental=True), visit_at_checkout(desk, rafael, start="15:00")
    terminal = FakeTerminal()
    taken = pay(desk, helen, all_lines(desk, helen), ("cash", "100"), ("card", "354"), terminal=terminal)
    assert taken.whole and taken.cents == 45_400 and terminal.asked == [("key-2", 35_400)]
    assert patient_open(desk, mine) == patient_open(desk, his) == 0
    with desk.engine.connect() as connection:
        shown = receipt_of(connection, desk.clinic, taken.receipt_id)
    assert [(each.tender, each.cents) for each in shown.taken] == [("cash", 10_000), ("card", 35_400)]
    assert sum(part.cents for part in shown.parts) == 45_400 and {part.first for part in shown.parts} == {
        "Helen",
        "Rafael",
    }
    assert receipt_pdf(desk, taken.receipt_id).startswith(b"%PDF")
    refund(
        desk, SAM, terminal, BackForm(payment_id=shown.taken[0].id, amount="20", why="overpaid", key="back")
    )
    with desk.engine.connect() as connection:
        assert receipt_of(connection, desk.clinic, taken.receipt_id) == shown  # the same numbers at any time
    assert agrees(desk)


def test_a_line_may_be_paid_in_part_and_another_left(desk: Desk) -> None:
    patient = known_patient(desk)
    visit = visit_at_checkout(desk, patient)
    first = visit_at_checkout(desk, patient, dental=True, start="16:00")
    lines = {each.visit_id: each for each in items_of(desk, patient).lines}
    pay(desk, patient, [Item(first, lines[first].line_id, 5_000)], ("cash", "50"))
    assert patient_open(desk, first) == 23_600 and patient_open(desk, visit) == 12_800
    with pytest.raises(Refused, match=r"Only \$236\.00 is due here") as refused:
        pay(desk, patient, [Item(first, lines[first].line_id, 23_601)], ("cash", "300"), key="more")
    assert set(refused.value.problems) == {f"item-{lines[first].line_id}"}
    with pytest.raises(Refused, match="isn’t on the account"):
        pay(desk, patient, [Item(visit, lines[first].line_id)], ("cash", "1"), key="wrong")
    assert agrees(desk)


def test_more_than_owed_is_change_or_credit_as_somebody_says(desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    items = all_lines(desk, patient)
    with pytest.raises(Refused, match=r"\$14\.00 more than the \$286\.00 due"):
        pay(desk, patient, items, ("cash", "300"))
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0
    taken = pay(desk, patient, items, ("cash", "300"), over="change")
    assert (taken.change, taken.cents) == (1_400, 28_600) and "14.00" in taken.words
    with pytest.raises(Refused, match="Nothing is due here anymore: it"):
        pay(desk, patient, [Item(visit, items[0].line_id, 100)], ("cash", "1"), key="again")
    assert patient_open(desk, visit) == 0 and agrees(desk)


def test_a_deposit_waits_and_is_offered_to_the_charges_when_they_come(desk: Desk) -> None:
    patient = known_patient(desk)
    pay(desk, patient, [Item(None, None, None)], ("cash", "50"))
    credit = items_of(desk, patient).credits[0]
    assert (credit.cents, credit.visit_id) == (5_000, None)
    visit = visit_at_checkout(desk, patient)
    assert patient_open(desk, visit) == 12_800  # it waits until somebody says so
    assert spread_credit(desk, JUNO, patient, credit.entry_id, visit) == 5_000
    assert patient_open(desk, visit) == 7_800 and items_of(desk, patient).credits == []
    with pytest.raises(Conflict, match="used in the meantime"):
        spread_credit(desk, JUNO, patient, credit.entry_id)
    assert agrees(desk)


def test_credit_can_be_moved_from_line_to_line_and_back_to_waiting(desk: Desk) -> None:
    patient = known_patient(desk)
    first, second = visit_at_checkout(desk, patient), visit_at_checkout(desk, patient, start="15:00")
    one, two = (
        {each.visit_id: each.line_id for each in items_of(desk, patient).lines}[number]
        for number in (first, second)
    )
    pay(desk, patient, [Item(first, one)], ("cash", "128"))
    credit = scalar(desk, "SELECT id FROM journal WHERE kind = 'payment'")
    with pytest.raises(Refused, match=r"gives \$128\.00 to that charge"):
        move_allocation(desk, JUNO, credit, one, two, 12_801)
    move_allocation(desk, JUNO, credit, one, two, 10_000)
    assert (patient_open(desk, first), patient_open(desk, second)) == (10_000, 2_800)
    move_allocation(desk, JUNO, credit, one, None, 2_800)
    assert patient_open(desk, first) == 12_800 and [
        each.cents for each in items_of(desk, patient).credits
    ] == [2_800]
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE kind = 'transfer'") == 0
    with pytest.raises(Refused, match="Choose another"):
        move_allocation(desk, JUNO, credit, one, one, 1)
    with pytest.raises(NotFound):
        move_allocation(desk, JUNO, 999_999, one, two, 1)
    assert agrees(desk)


def test_nothing_is_allocated_to_a_reversed_charge(desk: Desk) -> None:
    patient = add_patient(desk)
    pay(desk, patient, [Item(None, None, None)], ("cash", "50"))
    visit = visit_at_checkout(desk, patient)
    line = items_of(desk, patient).lines[0].line_id
    credit = items_of(desk, patient).credits[0].entry_id
    back_to_room(desk, JUNO, visit, "one more service")
    with pytest.raises(Conflict, match="There are no charges on this"):
        use_credit(desk, JUNO, credit, visit)
    with pytest.raises(Conflict, match="There are no charges on this"):
        use_credit(desk, JUNO, credit, None, line)
    assert agrees(desk)


def test_a_card_approved_in_part_leaves_the_rest_open(desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    terminal = FakeTerminal(
        [Answer(state="approved", words="", card_ending="4417", reference="T1", cents=10_000)]
    )
    taken = pay(desk, patient, all_lines(desk, patient), ("card", "286"), terminal=terminal)
    assert not taken.whole and taken.cents == 10_000 and "Only $100.00 of $286.00 was approved" in taken.words
    assert patient_open(desk, visit) == 18_600
    assert scalar(desk, "SELECT SUM(cents) FROM payment_part") == 10_000
    with desk.engine.connect() as connection:
        assert receipt_of(connection, desk.clinic, taken.receipt_id).missing == 18_600
    assert agrees(desk)


def test_cash_stands_when_the_card_beside_it_is_declined(desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    terminal = FakeTerminal([Answer(state="declined", words="the bank refuses this card")])
    taken = pay(desk, patient, all_lines(desk, patient), ("cash", "86"), ("card", "200"), terminal=terminal)
    assert taken.state == PaymentState.DECLINED and taken.cents == 8_600
    assert "86.00 was taken. The card was declined: the bank refuses this card" in taken.words
    assert patient_open(desk, visit) == 20_000 and agrees(desk)


def test_a_terminal_that_answers_after_the_page_was_left(
    desk: Desk, owing: tuple[int, int], outside: Outside, tmp_path: Path
) -> None:
    patient, visit = owing
    outside.terminal.answers.append(Answer(state="unknown", words="no response"))
    items = all_lines(desk, patient)
    pay(desk, patient, items, ("card", "286"), terminal=outside.terminal, receipt="email")
    assert patient_open(desk, visit) == 28_600 and items_of(desk, patient).lines == []  # held for the card
    with pytest.raises(Refused, match=r"more than the \$0\.00 due"):
        pay(desk, patient, items, ("cash", "286"), key="cash")
    with desk.engine.connect() as connection:
        assert [
            each.cents for each in pay_desk(connection, desk.clinic, desk.clock.now(), patient).asking
        ] == [28_600]
    outside.terminal.later["key-1"] = Answer(state="approved", words="", card_ending="4417", reference="T1")
    desk.clock.set_to(at(10, 44))
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    assert patient_open(desk, visit) == 0 and len(outside.terminal.asked) == 1
    late = close_payment(
        desk, JUNO, "key-1", Answer(state="declined", words="too late")
    )  # a second answer changes nothing
    assert late.state == PaymentState.TAKEN
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    assert [mail["To"] for mail in outside.mail.sent] == ["helen@example.org"]
    assert agrees(desk)


def test_a_card_is_kept_by_its_token_and_charged_again(desk: Desk) -> None:
    patient = add_patient(desk)
    terminal = FakeTerminal()
    take_payment(
        desk,
        JUNO,
        terminal,
        patient,
        PayForm(tenders=[TenderForm("card", "10", keep_card=True)], items=[Item()], key="keep"),
    )
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=patient)
    with desk.engine.connect() as connection:
        card = cards_of(connection, household)[0]
    assert (card.token, card.ending, card.expires) == ("token-1", "4417", "08/29")
    by_file = PayForm(tenders=[TenderForm("file", "15", card_id=card.id)], items=[Item()], key="file")
    assert take_payment(desk, JUNO, terminal, patient, by_file).whole
    assert terminal.tokens == ["", "token-1"]
    stranger = add_patient(desk, first="Iris")
    with pytest.raises(Refused, match="This card isn’t on file anymore"):
        take_payment(
            desk, JUNO, terminal, stranger, PayForm(tenders=by_file.tenders, items=[Item()], key="other")
        )
    assert remove_card(desk, JUNO, card.id) == "4417"
    with pytest.raises(Refused, match="This card isn’t on file anymore"):
        take_payment(
            desk, JUNO, terminal, patient, PayForm(tenders=by_file.tenders, items=[Item()], key="gone")
        )
    for name in ("payment", "card_on_file", "outbox", "audit", "receipt"):
        kept = scalar(
            desk, f"SELECT GROUP_CONCAT(CONCAT_WS('|', {_columns(desk, name)}) SEPARATOR ' ') FROM `{name}`"
        )
        assert not re.search(r"(?<![\d.])4111", str(kept))  # a moment may have such microseconds
    assert agrees(desk)


def _columns(desk: Desk, table: str) -> str:
    return ", ".join(f"`{column.name}`" for column in schema.metadata.tables[table].columns)


def test_a_product_is_sold_with_its_tax_and_comes_back_into_stock(desk: Desk, product: int) -> None:
    patient = add_patient(desk)
    taken = pay(desk, patient, [], ("cash", "9.77"), sales=(ProductSale(product, 2),))
    assert taken.whole and stock(desk, product) == 1  # 9.00 and 0.77 tax (0.765)
    assert scalar(desk, "SELECT tax_cents FROM charge_line WHERE kind = 'product'") == 77
    with pytest.raises(Refused, match="Only 1 left"):
        pay(desk, patient, [], ("cash", "9.77"), key="two", sales=(ProductSale(product, 2),))
    assert stock(desk, product) == 1 and scalar(desk, "SELECT COUNT(*) FROM payment") == 1
    line = scalar(desk, "SELECT id FROM charge_line WHERE kind = 'product'")
    take_product_back(desk, JUNO, line)
    assert stock(desk, product) == 3 and items_of(desk, patient).credit == 977
    with pytest.raises(Refused, match="already returned"):
        take_product_back(desk, JUNO, line)
    assert agrees(desk)


def test_the_last_piece_is_sold_once_by_ten_desks(desk: Desk, product: int) -> None:
    people = [add_patient(desk, first=f"P{n}") for n in range(6)]

    def sell(number: int) -> bool:
        try:
            return pay(
                desk, people[number], [], ("cash", "4.88"), key=f"k{number}", sales=(ProductSale(product, 1),)
            ).whole
        except Refused:
            return False

    with ThreadPoolExecutor(6) as pool:
        sold = list(pool.map(sell, range(6)))
    assert sum(sold) == 3 and stock(desk, product) == 0 and agrees(desk)


def test_the_copay_before_the_visit_and_the_deposit_are_the_same_act(desk: Desk) -> None:
    patient = add_patient(desk)
    visit = book_visit(desk, JUNO, order(patient))
    pay(desk, patient, [Item(visit, None, 2_000), Item(None, None, 500)], ("cash", "25"))
    found = {each.visit_id: each for each in items_of(desk, patient).credits}
    assert (found[visit].cents, found[visit].coming, found[None].cents) == (2_000, True, 500)
    with desk.engine.connect() as connection:
        shown = pay_desk(connection, desk.clinic, desk.clock.now(), patient, visit)
    assert int(shown.ahead[0].visit.paid) == 2_000 and shown.ways.tender == "cash" and agrees(desk)


def test_the_same_form_pressed_many_times_is_one_receipt(desk: Desk, owing: tuple[int, int]) -> None:
    patient, visit = owing
    items, terminal = all_lines(desk, patient), FakeTerminal()
    with ThreadPoolExecutor(8) as pool:
        made = list(
            pool.map(
                lambda _: pay(desk, patient, items, ("cash", "100"), ("card", "186"), terminal=terminal),
                range(8),
            )
        )
    assert len({each.receipt_id for each in made}) == 1 and len(terminal.asked) == 1
    assert patient_open(desk, visit) == 0 and agrees(desk)


def test_a_receipt_is_mailed_again_to_the_address_on_file(
    desk: Desk, outside: Outside, tmp_path: Path
) -> None:
    patient, nobody = add_patient(desk), add_patient(desk, first="Ivo", email="")
    taken = pay(desk, patient, [Item()], ("cash", "5"))
    assert send_receipt(desk, JUNO, taken.receipt_id) == "helen@example.org"
    assert send_receipt(desk, JUNO, taken.receipt_id) == "helen@example.org"  # pressed twice
    run_once(desk, outside, receipt_pdf, FileStore(tmp_path))
    assert [each.get_content_type() for each in outside.mail.sent] == ["multipart/mixed"]
    with pytest.raises(Refused, match="No email address"):
        pay(desk, nobody, [Item()], ("cash", "5"), key="x", receipt="email")
    with pytest.raises(NotFound):
        send_receipt(desk, JUNO, 999_999)


def test_a_tender_of_the_clinics_own(desk: Desk) -> None:
    patient = add_patient(desk)
    with pytest.raises(Problems) as wrong:
        pay(desk, patient, [Item()], ("own-1", "20"))
    assert "printed on it" in wrong.value.problems["number-1"]
    assert pay(desk, patient, [Item()], ("own-1", "20", "TR-7"), ("own-2", "5")).whole
    assert (
        scalar(desk, "SELECT GROUP_CONCAT(CONCAT(tender, ':', check_number) ORDER BY id) FROM payment")
        == "own-1:TR-7,own-2:"
    )
    assert scalar(desk, "SELECT MAX(words) FROM journal") == "Patient paid, ferry voucher"


def test_money_cannot_be_taken_for_another_household_or_for_nobody(desk: Desk) -> None:
    helen, iris = add_patient(desk), add_patient(desk, first="Iris")
    hers = visit_at_checkout(desk, iris)
    line = items_of(desk, iris).lines[0].line_id
    with pytest.raises(Refused, match="another household"):
        pay(desk, helen, [Item(hers, line)], ("cash", "1"))
    with pytest.raises(Refused, match=r"That patient doesn’t exist\. Find them"):
        pay(desk, 999_999, [Item()], ("cash", "1"))
    pay_visit(desk, hers, "cash", "128", "k")
    assert agrees(desk)


def test_what_a_terminal_is_asked_for_a_whole_visit_is_offered_nowhere(
    desk: Desk, owing: tuple[int, int]
) -> None:
    """Asked for the visit or for one of its lines: what waits for an answer is not due a second time."""
    patient, visit = owing
    silent = FakeTerminal([Answer(state="unknown", words="no response")] * 2)
    pay(desk, patient, [Item(visit)], ("card", "100"), key="one", terminal=silent)
    assert items_of(desk, patient).due == 18_600
    assert [each.cents for each in items_of(desk, patient).elsewhere(0)] == [18_600]
    pay(desk, patient, [Item(visit)], ("card", "186"), key="two", terminal=silent)
    assert items_of(desk, patient).lines == [] and items_of(desk, patient).elsewhere(0) == []
    assert agrees(desk)

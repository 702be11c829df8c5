"""Refund, void, returned check, write-off, discount, transfer: entries of their own, never above what was
paid or is open.
"""

import random
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import insert

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    known_patient,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import patient_open
from tests.desk.paying import agrees, all_lines, items_of, pay, relative
from tests.fakes import FakeTerminal
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, ZaxError
from zax.core.money.journal import Parts
from zax.core.money.tender import PaymentState
from zax.desk.acts.transaction import Desk
from zax.desk.charges.finishing import back_to_room, ready_for_checkout
from zax.desk.day.checkout import checkout_view, finish_checkout
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.money.account import account_of
from zax.desk.money.corrections import (
    HandOverForm,
    OffForm,
    ShiftForm,
    give_discount,
    hand_over,
    shift_part,
    take_entry_back,
    write_off,
)
from zax.desk.money.credits import spread_credit
from zax.desk.money.payments import Item
from zax.desk.money.refunds import BackForm, check_returned, refund, void
from zax.desk.money.terminal import close_payment
from zax.desk.setup.money import save_discount
from zax.outside.doors import Sale
from zax.store import schema
from zax.store.money.queries import open_of_visits


@pytest.fixture
def owing(desk: Desk) -> tuple[int, int, int]:
    """A visit over 286.00 that Helen owes whole: (patient, visit, line)."""
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    return patient, visit, items_of(desk, patient).lines[0].line_id


def last_payment(desk: Desk) -> int:
    return int(scalar(desk, "SELECT MAX(id) FROM payment WHERE kind = 'payment'"))


def back(
    desk: Desk, amount: str = "0", key: str = "back", why: str = "overpaid", payment: int = 0
) -> BackForm:
    return BackForm(
        payment_id=payment or last_payment(desk), amount="" if amount == "0" else amount, why=why, key=key
    )


# --- refunds
def test_a_refund_goes_to_the_tender_it_came_from_and_never_above_what_was_paid(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, _ = owing
    terminal = FakeTerminal()
    pay(desk, patient, all_lines(desk, patient), ("card", "286"), terminal=terminal)
    with pytest.raises(Problems) as wrong:
        refund(desk, SAM, terminal, back(desk, "286.01"))
    assert "Only $286.00 of this payment is left" in wrong.value.problems["amount"]
    with pytest.raises(Problems) as wrong:
        refund(desk, SAM, terminal, back(desk, "5", why=" "))
    assert set(wrong.value.problems) == {"why"}
    done = refund(desk, SAM, terminal, back(desk, "86"))
    assert done.state == PaymentState.TAKEN and terminal.asked[-1] == ("back-1", -8_600)
    assert refund(desk, SAM, terminal, back(desk, "86")) == done and len(terminal.asked) == 2  # pressed twice
    assert patient_open(desk, visit) == 8_600
    with pytest.raises(Problems, match=r"Only \$200\.00"):
        refund(desk, SAM, terminal, back(desk, "200.01", key="more"))
    assert refund(desk, SAM, terminal, back(desk, "200", key="rest")).cents == -20_000
    with pytest.raises(Problems, match="already fully refunded"):
        refund(desk, SAM, terminal, back(desk, "1", key="none"))
    assert patient_open(desk, visit) == 28_600 and agrees(desk)


def test_a_refund_takes_waiting_credit_before_it_opens_a_charge(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, _ = owing
    pay(desk, patient, all_lines(desk, patient), ("cash", "300"), over="credit")
    assert items_of(desk, patient).credit == 1_400
    refund(desk, SAM, FakeTerminal(), back(desk, "14"))
    assert patient_open(desk, visit) == 0 and items_of(desk, patient).credit == 0
    refund(desk, SAM, FakeTerminal(), back(desk, "10", key="more"))
    assert patient_open(desk, visit) == 1_000 and agrees(desk)


def test_a_role_may_give_back_only_up_to_its_limit(desk: Desk, owing: tuple[int, int, int]) -> None:
    patient, _, _ = owing
    pay(desk, patient, all_lines(desk, patient), ("cash", "286"))
    with pytest.raises(NotAllowed, match=r"at most \$25\.00 a day on one item\. Ask manager"):
        refund(desk, JUNO, FakeTerminal(), back(desk, "280"))
    assert refund(desk, JUNO, FakeTerminal(), back(desk, "25")).cents == -2_500 and agrees(desk)


def test_a_declined_or_unclear_refund_changes_nothing_until_it_is_known(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, _ = owing
    terminal = FakeTerminal()
    pay(desk, patient, all_lines(desk, patient), ("card", "286"), terminal=terminal)
    terminal.answers = [
        Sale(state="declined", words="the card is closed"),
        Sale(state="unknown", words="no response"),
    ]
    assert refund(desk, SAM, terminal, back(desk, "10", key="a")).state == PaymentState.DECLINED
    assert patient_open(desk, visit) == 0
    assert refund(desk, SAM, terminal, back(desk, "10", key="b")).state == PaymentState.UNKNOWN
    with pytest.raises(Problems, match=r"Only \$276\.00"):  # what is being given back is held
        refund(desk, SAM, terminal, back(desk, "280", key="c"))
    from zax.desk.money.payments import close_payment

    close_payment(desk, SAM, "b-1", Sale(state="approved", words="", card_ending="4417", reference="T5"))
    assert patient_open(desk, visit) == 1_000 and agrees(desk)


def test_why_a_card_was_given_its_money_back_stays_on_the_account(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, _, _ = owing
    terminal = FakeTerminal()
    pay(desk, patient, all_lines(desk, patient), ("card", "286"), terminal=terminal)
    terminal.answers = [
        Sale(state="approved", words="thank you", card_ending="4417", reference="T9"),
        Sale(state="unknown", words="no response"),
        Sale(state="declined", words="the card is closed"),
    ]
    assert refund(desk, SAM, terminal, back(desk, "10", why="crown not made")).words == "Refunded."
    assert (
        "never done twice" in refund(desk, SAM, terminal, back(desk, "5", key="slow", why="paid twice")).words
    )
    refused = refund(desk, SAM, terminal, back(desk, "1", key="no")).words
    assert refused == "The bank declined it: the card is closed. Nothing was refunded."
    close_payment(
        desk, SAM, "slow-1", Sale(state="approved", words="late", card_ending="4417", reference="T8")
    )
    said = scalar(
        desk, "SELECT GROUP_CONCAT(words ORDER BY id SEPARATOR '; ') FROM journal WHERE kind = 'refund'"
    )
    assert said == "Refunded, card ending 4417: crown not made; Refunded, card ending 4417: paid twice"
    assert agrees(desk)


def test_a_void_undoes_the_payment_on_the_same_day_only(
    desk: Desk, owing: tuple[int, int, int], clock
) -> None:  # type: ignore[no-untyped-def]
    from tests.conftest import at
    from tests.desk.acting import TOMORROW

    patient, visit, _ = owing
    pay(desk, patient, all_lines(desk, patient), ("cash", "286"))
    assert void(desk, JUNO, FakeTerminal(), back(desk, why="wrong patient")).cents == -28_600
    assert patient_open(desk, visit) == 28_600
    assert scalar(desk, "SELECT SUM(cents) FROM payment WHERE tender = 'cash'") == 0
    pay(desk, patient, all_lines(desk, patient), ("cash", "286"), key="again")
    clock.set_to(at(9, 0, TOMORROW))
    with pytest.raises(Conflict, match="can’t be voided"):
        void(desk, JUNO, FakeTerminal(), back(desk, key="late", why="wrong patient"))
    assert patient_open(desk, visit) == 0 and agrees(desk)


def test_a_credit_that_was_used_elsewhere_comes_back_when_its_payment_is_voided(desk: Desk) -> None:
    patient = known_patient(desk)
    pay(desk, patient, [Item()], ("cash", "100"))
    deposit = last_payment(desk)
    one, two = visit_at_checkout(desk, patient), visit_at_checkout(desk, patient, start="15:00")
    spread_credit(desk, JUNO, patient, items_of(desk, patient).credits[0].entry_id, one)
    assert patient_open(desk, one) == 2_800
    void(desk, JUNO, FakeTerminal(), back(desk, payment=deposit, why="check forgotten"))
    assert (
        patient_open(desk, one) == patient_open(desk, two) == 12_800 and items_of(desk, patient).credit == 0
    )
    assert agrees(desk)


def test_a_returned_check_opens_what_it_paid_and_charges_the_fee(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, _ = owing
    pay(desk, patient, all_lines(desk, patient), ("check", "286", "1042"))
    assert check_returned(desk, JUNO, last_payment(desk), "no funds", True) == 2_500
    assert patient_open(desk, visit) == 28_600 and items_of(desk, patient).due == 31_100
    assert "Fee, check 1042 was returned" in {each.words for each in items_of(desk, patient).lines}
    with pytest.raises(Conflict, match="returned or voided"):
        check_returned(desk, JUNO, last_payment(desk), "", True)
    pay(desk, patient, all_lines(desk, patient), ("cash", "311"), key="cash")
    with pytest.raises(Refused, match="Only a check"):
        check_returned(desk, JUNO, last_payment(desk), "", False)
    with pytest.raises(NotFound):
        check_returned(desk, JUNO, 999_999, "", False)
    assert agrees(desk)


def test_a_check_that_was_refunded_before_it_came_back_is_owed_as_a_fee(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, _ = owing
    pay(desk, patient, all_lines(desk, patient), ("check", "286", "1042"))
    refund(desk, SAM, FakeTerminal(), back(desk, "86"))
    check_returned(desk, JUNO, last_payment(desk), "", False)
    assert patient_open(desk, visit) == 28_600 and items_of(desk, patient).due == 28_600 + 8_600
    assert agrees(desk)


# --- taking off, moving
def test_a_write_off_needs_a_reason_and_fits_the_role(desk: Desk, owing: tuple[int, int, int]) -> None:
    patient, visit, line = owing
    for changes, actor, error, words in (
        ({"amount": "10", "reason_id": 0}, JUNO, Refused, "Choose why"),
        ({"amount": "25.01"}, JUNO, NotAllowed, r"at most \$25\.00"),
        ({"amount": "286.01"}, SAM, Refused, r"Only \$286\.00 is due on it"),
        ({"amount": "x"}, SAM, Refused, "isn’t an amount"),
        ({"amount": ""}, SAM, Refused, "Enter an amount"),
        ({"amount": "1", "line_id": 999_999}, SAM, NotFound, "no such charge"),
    ):
        with pytest.raises(error, match=words):
            write_off(desk, actor, OffForm(**({"line_id": line, "reason_id": 1} | changes)))
    entry = write_off(desk, ODILE, OffForm(line_id=line, amount="200", reason_id=1, why="lost work"))
    assert patient_open(desk, visit) == 8_600
    assert (
        scalar(desk, "SELECT words FROM journal WHERE id = :id", id=entry)
        == "Written off, hardship: lost work"
    )
    take_entry_back(desk, ODILE, entry, "paid after all")
    assert patient_open(desk, visit) == 28_600
    with pytest.raises(Conflict, match="already undone"):
        take_entry_back(desk, SAM, entry, "again")
    assert agrees(desk)


def test_a_settled_visit_opens_again_and_a_written_off_one_settles(
    desk: Desk, owing: tuple[int, int, int]
) -> None:
    patient, visit, line = owing
    entry = write_off(desk, SAM, OffForm(line_id=line, amount="286", reason_id=2))
    assert scalar(desk, "SELECT state FROM visit WHERE id = :id", id=visit) == "settled"
    with pytest.raises(Refused, match="reversed or paid"):
        write_off(desk, SAM, OffForm(line_id=line, amount="1", reason_id=2))
    take_entry_back(desk, SAM, entry, "not ours")
    assert scalar(desk, "SELECT state FROM visit WHERE id = :id", id=visit) == "left" and agrees(desk)
    with pytest.raises(Refused, match="Say why"):
        take_entry_back(desk, SAM, entry, " ")
    charge = scalar(desk, "SELECT MIN(id) FROM journal WHERE kind = 'charge'")
    with pytest.raises(Refused, match="can’t be undone here. Void"):
        take_entry_back(desk, SAM, charge, "no")


def test_discounts_by_amount_and_percentage(desk: Desk, owing: tuple[int, int, int]) -> None:
    patient, visit, line = owing
    for changes, words in (
        ({"percent": "0", "why": "x"}, "percentage from 1 to 100"),
        ({"percent": "101", "why": "x"}, "percentage"),
        ({"amount": "5"}, "what the discount is for"),
        ({"why": "x"}, "Enter an amount"),
    ):
        with pytest.raises(Refused, match=words):
            give_discount(desk, SAM, OffForm(line_id=line, **changes))
    give_discount(desk, SAM, OffForm(line_id=line, percent="10", why="pays today"))
    assert patient_open(desk, visit) == 25_740
    give_discount(desk, JUNO, OffForm(line_id=line, amount="7.40", why="rounding"))
    assert patient_open(desk, visit) == 25_000 and agrees(desk)


def test_a_discount_by_flag_comes_and_goes_with_the_charge(desk: Desk) -> None:
    patient = add_patient(desk)
    flag = next(iter(desk.clinic.flags))
    save_discount(desk, SAM, 0, 0, "Family of staff", "20", flag, True)
    number = max(desk.clinic.money.discounts)
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.patient_flag).values(patient_id=patient, flag_id=flag, at=desk.clock.now(), by_id=1)
        )
    try:
        visit = visit_at_checkout(desk, patient, dental=True)
        assert patient_open(desk, visit) == 22_880  # 286.00 less 20 percent
        with desk.engine.connect() as connection:
            sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit)
            assert checkout_view(connection, desk.clinic, sheet, desk.clock.now()).taken_off == 5_720
        back_to_room(desk, JUNO, visit, "more")
        assert patient_open(desk, visit) == 0
        ready_for_checkout(desk, JUNO, visit)
        assert patient_open(desk, visit) == 22_880 and agrees(desk)
    finally:
        save_discount(desk, SAM, number, 1, "Family of staff", "20", None, False)


def test_whatever_was_taken_off_or_moved_goes_with_its_charge(desk: Desk) -> None:
    patient = add_patient(desk, plan_id=1)
    visit = visit_at_checkout(desk, patient, dental=True)
    line = items_of(desk, patient).lines[0].line_id
    give_discount(desk, SAM, OffForm(line_id=line, amount="10", why="pays today"))
    give_discount(desk, SAM, OffForm(line_id=line, percent="10", why="waited long"))
    write_off(desk, SAM, OffForm(line_id=line, amount="5", reason_id=2))
    shift_part(desk, JUNO, ShiftForm(line_id=line, to="patient", amount="100", why="the plan ended"))
    back_to_room(desk, JUNO, visit, "one more")
    with desk.engine.connect() as connection:
        assert account_of(connection, desk.clinic, patient, TODAY).open == Parts()
    ready_for_checkout(desk, JUNO, visit)
    with desk.engine.connect() as connection:
        assert account_of(connection, desk.clinic, patient, TODAY).open == Parts(9_720, 18_880)
        fee = {number: int(each.fee_cents) for number, each in open_of_visits(connection, 1, TODAY).items()}
    assert fee == {visit: 28_600} and agrees(desk)  # what was taken off and back again is no fee


def test_a_charge_that_somebody_took_over_in_part_is_not_undone_under_them(desk: Desk) -> None:
    patient = add_patient(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    line = items_of(desk, patient).lines[0].line_id
    hand_over(
        desk,
        JUNO,
        HandOverForm(line_id=line, to_patient=relative(desk, patient), amount="86", why="he pays for it"),
    )
    with pytest.raises(Conflict, match="moved to someone else"):
        back_to_room(desk, JUNO, visit, "one more")
    take_entry_back(
        desk,
        SAM,
        scalar(desk, "SELECT id FROM journal WHERE kind = 'transfer' AND patient_cents > 0"),
        "not his",
    )
    back_to_room(desk, JUNO, visit, "one more")
    assert items_of(desk, patient).due == 0 and agrees(desk)


def test_a_part_moves_between_insurer_and_patient(desk: Desk) -> None:
    patient = add_patient(desk, plan_id=1)
    visit = visit_at_checkout(desk, patient, dental=True)
    line = items_of(desk, patient).lines[0].line_id
    for to, amount, why, field in (
        ("patient", "188.81", "x", "amount"),
        ("insurer", "97.21", "x", "amount"),
        ("patient", "5", "", "why"),
        ("moon", "5", "x", "to"),
    ):
        with pytest.raises(Problems) as wrong:
            shift_part(desk, JUNO, ShiftForm(line_id=line, to=to, amount=amount, why=why))
        assert field in wrong.value.problems
    shift_part(desk, JUNO, ShiftForm(line_id=line, to="patient", amount="100", why="the plan ended"))
    with desk.engine.connect() as connection:
        account = account_of(connection, desk.clinic, patient, desk.clock.now().date())
    assert account.open == Parts(19_720, 8_880)
    shift_part(desk, JUNO, ShiftForm(line_id=line, to="insurer", amount="100", why="it did not"))
    assert patient_open(desk, visit) == 9_720 and agrees(desk)


def test_somebody_else_of_the_household_takes_a_charge_over(desk: Desk, owing: tuple[int, int, int]) -> None:
    patient, visit, line = owing
    rafael, stranger = relative(desk, patient), add_patient(desk, first="Iris")
    for to, amount, why, words in (
        (stranger, "10", "x", "another person in this household"),
        (patient, "10", "x", "another person"),
        (rafael, "300", "x", r"Only \$286\.00"),
        (rafael, "10", "", "Say why"),
    ):
        with pytest.raises(Refused, match=words):
            hand_over(desk, JUNO, HandOverForm(line_id=line, to_patient=to, amount=amount, why=why))
    there = hand_over(
        desk, JUNO, HandOverForm(line_id=line, to_patient=rafael, amount="200", why="he pays for it")
    )
    assert patient_open(desk, visit) == 8_600
    assert {(each.patient_id, each.cents) for each in items_of(desk, patient).lines} == {
        (patient, 8_600),
        (rafael, 20_000),
    }
    pay(desk, rafael, [Item(None, there, 5_000)], ("cash", "50"))
    moved = scalar(desk, "SELECT id FROM journal WHERE kind = 'transfer' AND patient_cents > 0")
    take_entry_back(desk, SAM, moved, "she pays it")
    assert (
        patient_open(desk, visit) == 28_600 and items_of(desk, patient).credit == 5_000
    )  # what he paid waits
    assert agrees(desk)


# --- together
def test_any_order_of_acts_at_once_leaves_every_ledger_valid(desk: Desk) -> None:
    """Eight threads play random acts on one household; the recount finds nothing wrong and no
    cent is lost.
    """
    helen = add_patient(desk)
    rafael = relative(desk, helen)
    for n, who in enumerate((helen, rafael, helen)):
        finish_checkout(desk, JUNO, visit_at_checkout(desk, who, dental=n == 0, start=f"{13 + n}:00"))
    terminal = FakeTerminal()
    pay(desk, helen, [Item()], ("cash", "30"), key="first")

    def act(seed: int) -> str:
        rng = random.Random(seed)
        lines, credits = items_of(desk, helen).lines, items_of(desk, helen).credits
        line = rng.choice(lines) if lines else None
        amount = f"{rng.randrange(1, 60)}.{rng.randrange(100):02d}"
        try:
            match rng.randrange(7):
                case 0 if line:
                    pay(
                        desk,
                        helen,
                        [Item(line.visit_id, line.line_id)],
                        (rng.choice(["cash", "card"]), amount),
                        key=f"p{seed}",
                        terminal=terminal,
                        over="credit",
                    )
                case 1:
                    pay(desk, rafael, [Item()], ("cash", amount), key=f"d{seed}")
                case 2:
                    refund(desk, SAM, terminal, back(desk, amount, key=f"r{seed}"))
                case 3:
                    void(desk, SAM, terminal, back(desk, key=f"v{seed}", why="again"))
                case 4 if line:
                    write_off(desk, SAM, OffForm(line_id=line.line_id, amount=amount, reason_id=1))
                case 5 if line:
                    other = rafael if line.patient_id == helen else helen
                    form = HandOverForm(line_id=line.line_id, to_patient=other, amount=amount, why="so")
                    hand_over(desk, SAM, form)
                case 6 if credits:
                    spread_credit(desk, JUNO, helen, rng.choice(credits).entry_id)
        except ZaxError as error:
            return error.message
        return ""

    with ThreadPoolExecutor(8) as pool:
        said = list(pool.map(act, range(80)))
    assert said.count("") > 25, said
    assert agrees(desk)
    charged = scalar(desk, "SELECT SUM(patient_cents) FROM journal WHERE kind = 'charge'")
    off = scalar(desk, "SELECT COALESCE(-SUM(patient_cents), 0) FROM journal WHERE kind = 'writeoff'")
    paid = scalar(desk, "SELECT COALESCE(SUM(cents), 0) FROM payment WHERE state = 'taken'")
    assert scalar(desk, "SELECT SUM(patient_cents) FROM journal") == charged - off - paid

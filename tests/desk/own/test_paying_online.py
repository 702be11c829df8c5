"""Paying online: written down before anybody is sent to the card page, taken once whatever order things come
in, a proposal until somebody applies it, reversed when the bank takes it back. No cent is lost or made up.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import text

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    TODAY,
    TYPE_ID,
    add_patient,
    known_patient,
    order,
    pay_visit,
    rows_of,
    scalar,
    visit_at_checkout,
)
from tests.desk.paying import agrees, items_of
from tests.fakes import FakePayPage
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotFound, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.money.payment_plans import PaymentPlanForm, make_plan
from zax.desk.money.refunds import BackForm, refund
from zax.desk.online.habits import OnlineHabits, keep_online_habits
from zax.desk.own.account import OwnAccount, own_account
from zax.desk.own.paying import (
    Wish,
    accept_proposal,
    begin_payment,
    clarify_online,
    come_back,
    deposit_due,
    give_up,
    suggest_again,
    take_back,
)
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, OutsideTrouble, TakenBack
from zax.store.book.queries import one_visit
from zax.store.engine import Connection
from zax.store.own.payments import OwnPayment
from zax.store.patients.patients import known_patient as patient_row
from zax.store.patients.records import Patient

BACK = "https://visits.example.org/my/pay"


@pytest.fixture
def page(outside: Outside) -> FakePayPage:
    assert isinstance(outside.pay_page, FakePayPage)
    return outside.pay_page


@pytest.fixture
def helen(desk: Desk) -> int:
    return known_patient(desk)


@pytest.fixture
def owes(desk: Desk, helen: int) -> int:
    """What she owes after a visit, without insurance; cents."""
    visit_at_checkout(desk, helen)
    found = account(desk, helen).asked
    assert found > 0
    return found


def row(desk: Desk, number: int) -> Patient:
    with desk.engine.connect() as connection:
        return patient_row(connection, number)


def account(desk: Desk, number: int) -> OwnAccount:
    with desk.engine.connect() as connection:
        return own_account(connection, desk.clinic, patient_row(connection, number), TODAY)


def begins(
    desk: Desk, page: FakePayPage, number: int, about: str = "balance", key: str = "k", **more: object
) -> OwnPayment:
    return begin_payment(desk, page, row(desk, number), Wish(about=about, key=key, **more), BACK)  # type: ignore[arg-type]


def back(desk: Desk, page: FakePayPage, number: int, key: str = "k") -> OwnPayment:
    return come_back(desk, page, row(desk, number), key)


def pays(
    desk: Desk, page: FakePayPage, number: int, about: str = "balance", key: str = "k", **more: object
) -> OwnPayment:
    """All the way."""
    begins(desk, page, number, about, key, **more)
    page.pays(f"{key}-1")
    return back(desk, page, number, key)


def test_a_balance_is_taken_receipted_and_waits_as_credit(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    begun = begins(desk, page, helen)
    assert begun.page == "https://cards.example.org/k-1" and page.opened == {"k-1": owes}
    assert back(desk, page, helen).state == "begun"
    page.pays("k-1")
    done = back(desk, page, helen)
    assert (done.state, sum(cents for _, cents in done.lines)) == ("proposed", owes)
    assert account(desk, helen).asked == 0 and items_of(desk, helen).due == owes
    assert items_of(desk, helen).credit == owes
    (payment,) = rows_of(desk, "SELECT tender, state, card_ending, by_id FROM payment")
    assert payment == {"tender": "online", "state": "taken", "card_ending": "4242", "by_id": None}
    assert accept_proposal(desk, ODILE, done.id, {}) == owes
    assert items_of(desk, helen).due == 0 and items_of(desk, helen).credit == 0
    with pytest.raises(Conflict):
        accept_proposal(desk, ODILE, done.id, {})
    assert agrees(desk)


def test_pressed_twice_or_by_many_it_is_one_payment(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    with ThreadPoolExecutor(6) as pool:
        found = list(pool.map(lambda _: begins(desk, page, helen), range(8)))
    assert len({each.id for each in found}) == 1
    page.pays("k-1")
    with ThreadPoolExecutor(6) as pool:
        states = {each.state for each in pool.map(lambda _: back(desk, page, helen), range(8))}
    assert states == {"proposed"}
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 1
    assert scalar(desk, "SELECT COUNT(*) FROM journal WHERE kind = 'payment'") == 1
    assert agrees(desk)


def test_two_tabs_can_t_both_pay_the_balance(desk: Desk, page: FakePayPage, helen: int, owes: int) -> None:
    begins(desk, page, helen)
    with pytest.raises(Refused, match="is being made"):
        begins(desk, page, helen, key="other")
    give_up(desk, page, row(desk, helen), "k")
    assert back(desk, page, helen).state == "declined"
    assert pays(desk, page, helen, key="other").state == "proposed"
    with pytest.raises(Refused, match="Nothing is due"):
        begins(desk, page, helen, key="third")


def test_who_gives_up_can_t_be_charged_and_who_was_faster_is_taken(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    begins(desk, page, helen)
    page.pays("k-1")
    assert give_up(desk, page, row(desk, helen), "k").state == "proposed"
    assert account(desk, helen).asked == 0


@pytest.mark.parametrize("amount", ["0", "-5", "abc", "", "999999"])
def test_a_part_is_an_amount_that_is_owed(
    desk: Desk, page: FakePayPage, helen: int, owes: int, amount: str
) -> None:
    with pytest.raises(Refused) as refused:
        begins(desk, page, helen, "part", amount=amount)
    assert set(refused.value.problems) == {"amount"} and page.opened == {}
    assert scalar(desk, "SELECT COUNT(*) FROM receipt") == 0


def test_a_part_pays_the_oldest_first_and_a_poster_may_say_otherwise(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    visit_at_checkout(desk, helen, start="16:00")
    lines = items_of(desk, helen).lines
    done = pays(desk, page, helen, "part", amount="10.00")
    assert [line for line, _ in done.lines] == [
        min(lines, key=lambda each: (each.since, each.line_id)).line_id
    ]
    last = lines[-1]
    with pytest.raises(Conflict):
        accept_proposal(desk, ODILE, done.id, {last.line_id: f"{(last.cents + 1) / 100:.2f}"})
    with pytest.raises(Refused):
        accept_proposal(desk, ODILE, done.id, {last.line_id: "ten"})
    assert accept_proposal(desk, ODILE, done.id, {last.line_id: "4.00"}) == 400
    assert items_of(desk, helen).credit == 600
    assert agrees(desk)


def test_what_was_paid_meanwhile_is_never_paid_twice(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    done = pays(desk, page, helen)
    pay_visit(
        desk,
        scalar(desk, "SELECT id FROM visit WHERE state = 'checkout'"),
        "cash",
        f"{owes / 100:.2f}",
        "cash",
    )
    with pytest.raises(Conflict):
        accept_proposal(desk, ODILE, done.id, {})
    suggest_again(desk, ODILE, done.id)
    assert accept_proposal(desk, ODILE, done.id, {}) == 0
    assert items_of(desk, helen).credit == owes
    assert agrees(desk)


def test_set_so_it_is_applied_by_itself(desk: Desk, page: FakePayPage, helen: int, owes: int) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True, applies_payments=True))
    assert pays(desk, page, helen).state == "applied"
    assert items_of(desk, helen).due == 0 and items_of(desk, helen).credit == 0
    assert agrees(desk)


def test_declined_charges_nothing(desk: Desk, page: FakePayPage, helen: int, owes: int) -> None:
    begins(desk, page, helen)
    page.pays("k-1", "declined")
    assert back(desk, page, helen).state == "declined"
    assert account(desk, helen).asked == owes and agrees(desk)


def test_a_card_page_that_is_away_charges_nothing_and_says_so(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    page.away = True
    with pytest.raises(Refused, match="Nothing was charged"):
        begins(desk, page, helen)
    page.away = False
    assert back(desk, page, helen).state == "declined"
    begins(desk, page, helen, key="again")
    page.away = True
    assert back(desk, page, helen, "again").state == "begun"


def test_nobody_came_back_the_worker_asks(
    desk: Desk, outside: Outside, page: FakePayPage, helen: int, owes: int, clock: ShiftedClock
) -> None:
    begins(desk, page, helen)
    with pytest.raises(OutsideTrouble):
        clarify_online(desk, page, "k")
    page.pays("k-1")
    clock.set_to(clock.now() + timedelta(minutes=23))
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert scalar(desk, "SELECT state FROM own_payment") == "proposed"
    assert agrees(desk)


def test_a_payment_is_nobody_else_s(desk: Desk, page: FakePayPage, helen: int, owes: int) -> None:
    other = add_patient(desk, first="Otto", last="Berg")
    begins(desk, page, helen)
    for look in (come_back, give_up):
        with pytest.raises(NotFound):
            look(desk, page, row(desk, other), "k")
    with pytest.raises(NotFound):
        begins(desk, page, other)


def test_a_bank_that_takes_it_back_reverses_it_once_and_billing_knows(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    done = pays(desk, page, helen)
    accept_proposal(desk, ODILE, done.id, {})
    page.news = [
        TakenBack("1", "k-1", "disputed"),
        TakenBack("2", "k-1", "disputed"),
        TakenBack("3", "no such", "x"),
    ]
    assert take_back(desk, page) == 1 and page.news == []
    assert items_of(desk, helen).due == owes and account(desk, helen).asked == owes
    assert scalar(desk, "SELECT state FROM own_payment") == "back"
    (told,) = rows_of(desk, "SELECT words, to_role FROM hand_over")
    assert told["to_role"] == "biller" and "disputed" in told["words"]
    assert take_back(desk, page) == 0 and agrees(desk)


def test_taken_back_after_it_was_refunded_the_money_is_owed(
    desk: Desk, outside: Outside, page: FakePayPage, helen: int, owes: int
) -> None:
    pays(desk, page, helen)
    number = scalar(desk, "SELECT id FROM payment")
    refund(desk, SAM, outside.terminal, BackForm(payment_id=number, amount="5.00", why="too much", key="r"))
    page.news = [TakenBack("1", "k-1", "disputed")]
    take_back(desk, page)
    assert account(desk, helen).owed == owes + 500
    assert agrees(desk)


def test_an_installment_pays_what_is_due_of_its_plan(
    desk: Desk, page: FakePayPage, helen: int, owes: int
) -> None:
    form = PaymentPlanForm(
        lines=[each.line_id for each in items_of(desk, helen).lines],
        amount=f"{owes / 100:.2f}",
        count="2",
        first=TODAY.isoformat(),
        every="month",
    )
    plan = make_plan(desk, JUNO, helen, form)
    found = account(desk, helen)
    assert 0 < found.asked < found.owed
    done = pays(desk, page, helen, "installment", plan_id=plan)
    assert done.cents == found.asked
    accept_proposal(desk, ODILE, done.id, {})
    assert account(desk, helen).asked == 0 and agrees(desk)


def test_a_deposit_waits_for_its_visit_and_is_asked_once(desk: Desk, page: FakePayPage, helen: int) -> None:
    with desk.engine.begin() as connection:
        _set_deposit(connection)
    desk.read_setup()
    visit_id = book_visit(desk, JUNO, order(helen, 5, "14:00", day=TODAY + timedelta(days=3)))
    begins(desk, page, helen, "deposit", visit_id=visit_id)
    with pytest.raises(Refused, match="is being made"):
        begins(desk, page, helen, "deposit", "other", visit_id=visit_id)
    page.pays("k-1")
    assert back(desk, page, helen).state == "applied"
    with desk.engine.connect() as connection:
        visit = one_visit(connection, visit_id)
        assert visit is not None and deposit_due(connection, desk.clinic, visit) == 0
    with pytest.raises(Refused, match="Nothing is due"):
        begins(desk, page, helen, "deposit", "again", visit_id=visit_id)
    with pytest.raises(NotFound):
        begins(
            desk, page, add_patient(desk, first="Otto", last="Berg"), "deposit", "theirs", visit_id=visit_id
        )
    assert agrees(desk)


def _set_deposit(connection: Connection) -> None:
    connection.execute(
        text("UPDATE visit_type SET deposit_cents = 5000 WHERE id = :id"), {"id": TYPE_ID["Sick visit"]}
    )


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(
    st.lists(
        st.sampled_from(["begin", "pay", "decline", "back", "give up", "worker", "accept", "bank"]),
        max_size=10,
    )
)
def test_in_whatever_order_things_come_no_cent_is_lost(
    desk: Desk, page: FakePayPage, helen: int, owes: int, steps: list[str]
) -> None:
    """Every step may come at any time, also twice; afterwards the journal holds, and what is owed is what it
    was less what was really paid.
    """
    key = f"k{scalar(desk, 'SELECT COUNT(*) FROM own_payment')}"
    before = account(desk, helen).owed
    taken = 0
    for step in steps:
        try:
            if step == "begin":
                begins(desk, page, helen, "part", key, amount="3.00")
            elif (
                step in {"pay", "decline"}
                and f"{key}-1" in page.opened
                and f"{key}-1" not in page.over | set(page.sales)
            ):
                page.pays(f"{key}-1", "approved" if step == "pay" else "declined")
                taken = 300 if step == "pay" else 0
            elif step == "back":
                back(desk, page, helen, key)
            elif step == "give up":
                give_up(desk, page, row(desk, helen), key)
            elif step == "worker":
                clarify_online(desk, page, key)
            elif step == "accept":
                accept_proposal(desk, ODILE, scalar(desk, "SELECT COALESCE(MAX(id), 0) FROM own_payment"), {})
            elif step == "bank":
                page.news = [TakenBack("n", f"{key}-1", "disputed")]
                taken -= 300 * take_back(desk, page)
        except (Refused, Conflict, NotFound, OutsideTrouble):
            continue
    if f"{key}-1" in page.opened:
        page.over.add(f"{key}-1")
        back(desk, page, helen, key)
    assert account(desk, helen).owed == before - taken
    assert agrees(desk)

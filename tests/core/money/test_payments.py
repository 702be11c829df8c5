"""Tenders, change, plans, aging, the drawer, statements' rule: examples and properties without a database."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zax.core.errors import NotAllowed, Problems, Refused
from zax.core.money.adjust import DEFAULT_LIMITS, NO_LIMIT, check_limit, check_stock, check_within, price_of
from zax.core.money.aging import Piece, aging, bucket
from zax.core.money.books import Sums, day_of_books
from zax.core.money.drawer import (
    CountedTender,
    check_difference,
    count_pieces,
    counted_amount,
    to_bank,
    worth,
)
from zax.core.money.journal import Kind
from zax.core.money.payment_plan import Installment, check_first, check_plan, may_try, schedule, standing
from zax.core.money.statement import (
    Candidate,
    Rule,
    RuleForm,
    interest_on,
    kept,
    old_enough,
    rule_from,
    why_not,
)
from zax.core.money.tender import OwnTender, Tender, Tendered, TenderForm, check_tenders, cover, settle_over
from zax.core.people.roles import CLINICIAN, MANAGER, RECEPTIONIST

TODAY = date(2026, 11, 24)
cents = st.integers(1, 500_000)


def in_cash(amount: int) -> Tendered:
    return Tendered("cash", amount)


def on_card(amount: int) -> Tendered:
    return Tendered("card", amount)


# --- tenders
def test_rows_left_empty_are_passed_over_but_the_first_must_say_something() -> None:
    rows = [TenderForm("cash", "40"), TenderForm("card", ""), TenderForm("card", "21.00")]
    assert [(each.tender, each.cents) for each in check_tenders(rows, {})] == [("cash", 4000), ("card", 2100)]
    with pytest.raises(Problems) as wrong:
        check_tenders([TenderForm("card", "")], {})
    assert set(wrong.value.problems) == {"amount-1"}


def test_a_tender_of_the_clinics_own_may_want_a_number() -> None:
    own = {"own-1": OwnTender("Bank transfer", True), "own-2": OwnTender("Ferry voucher")}
    assert check_tenders([TenderForm("own-2", "5")], own)[0].number == ""
    with pytest.raises(Problems) as wrong:
        check_tenders([TenderForm("own-1", "5"), TenderForm("own-9", "5")], own)
    assert set(wrong.value.problems) == {"number-1", "tender-2"}
    with pytest.raises(Problems, match="no card on file"):
        check_tenders([TenderForm("file", "5")], own)


def test_more_than_is_due_is_asked_about_given_back_or_kept() -> None:
    with pytest.raises(Refused, match=r"\$7\.40 more than the \$42\.60 due") as asked:
        settle_over([in_cash(5000)], 4260, "")
    assert set(asked.value.problems) == {"over"}
    change = settle_over([on_card(2000), in_cash(5000)], 4260, "change")
    assert (change.change, [each.cents for each in change.tenders]) == (2740, [2000, 2260])
    assert settle_over([in_cash(5000)], 4260, "credit").over == 740
    with pytest.raises(Refused, match=r"only \$1\.00 of it is cash"):
        settle_over([on_card(5000), in_cash(100)], 4260, "change")
    assert settle_over([on_card(4260), in_cash(100)], 4260, "change").tenders == [
        on_card(4260)
    ]  # cash given back whole


@given(
    st.lists(st.tuples(st.booleans(), cents), min_size=1, max_size=4),
    cents,
    st.sampled_from(["change", "credit"]),
)
def test_what_is_kept_and_what_is_given_back_make_what_was_handed_over(
    rows: list[tuple[bool, int]], due: int, over: str
) -> None:
    tenders = [in_cash(amount) if cash else on_card(amount) for cash, amount in rows]
    handed_over = sum(each.cents for each in tenders)
    try:
        kept_now = settle_over(tenders, due, over)
    except Refused:
        assert over == "change" and handed_over - due > sum(
            each.cents for each in tenders if each.tender == "cash"
        )
        return
    assert sum(each.cents for each in kept_now.tenders) + kept_now.change == handed_over
    assert kept_now.over == (max(0, handed_over - due) if over == "credit" else 0)
    if over == "change":
        assert sum(each.cents for each in kept_now.tenders) == min(handed_over, due)


@given(st.lists(cents, min_size=1, max_size=5), st.lists(cents, min_size=1, max_size=6))
def test_tenders_cover_dues_in_order_without_losing_a_cent(amounts: list[int], dues: list[int]) -> None:
    if sum(amounts) > sum(dues):
        with pytest.raises(ValueError, match="more is paid"):
            cover(amounts, dues)
        return
    parts = cover(amounts, dues)
    assert [sum(part for _, part in each) for each in parts] == amounts
    paid = [0] * len(dues)
    for each in parts:
        for index, part in each:
            paid[index] += part
    assert all(have <= due for have, due in zip(paid, dues, strict=True))
    whole = [have == due for have, due in zip(paid, dues, strict=True)]
    assert whole == sorted(whole, reverse=True)  # a later due gets nothing before an earlier one is paid


# --- limits, products
def test_limits_by_role_name_who_may() -> None:
    check_limit(2_500, RECEPTIONIST, DEFAULT_LIMITS, "write off")
    check_limit(10**9, MANAGER, DEFAULT_LIMITS, "write off")
    with pytest.raises(NotAllowed, match=r"at most \$25\.00 a day on one item\. Ask billing or manager"):
        check_limit(2_501, RECEPTIONIST, DEFAULT_LIMITS, "write off")
    with pytest.raises(NotAllowed, match="refund nothing"):
        check_limit(1, CLINICIAN, DEFAULT_LIMITS, "refund")
    assert DEFAULT_LIMITS[MANAGER.key] == NO_LIMIT


def test_nothing_can_be_taken_off_a_charge_that_is_paid_or_reversed() -> None:
    check_within(500, 500, "written off")
    for open_cents, words in ((400, r"Only \$4\.00"), (0, "reversed or paid"), (-100, "reversed or paid")):
        with pytest.raises(Refused, match=words):
            check_within(500, open_cents, "written off")


@given(st.integers(0, 100_000), st.integers(0, 2_500), st.integers(1, 50))
def test_tax_is_reckoned_on_the_whole_to_the_nearest_cent(price: int, tax: int, pieces: int) -> None:
    priced = price_of(price, tax, pieces)
    assert priced.total == priced.net + priced.tax and priced.net == price * pieces
    assert abs(priced.tax * 10_000 - priced.net * tax) <= 5_000


@pytest.mark.parametrize(("pieces", "words"), [(0, "1 or more"), (-2, "1 or more"), (4, "Only 3 left")])
def test_stock_never_goes_below_nothing(pieces: int, words: str) -> None:
    check_stock("Brush", 3, 3)
    with pytest.raises(Refused, match=words):
        check_stock("Brush", 3, pieces)
    with pytest.raises(Refused, match="None left"):
        check_stock("Brush", 0, 1)


# --- plans
@given(
    cents,
    st.integers(2, 60),
    st.sampled_from(["week", "fortnight", "month"]),
    st.dates(date(2024, 1, 1), date(2030, 12, 31)),
)
def test_installments_add_up_and_fall_in_order(total: int, count: int, every: str, first: date) -> None:
    made = schedule(total, count, first, every)
    assert sum(each.cents for each in made) == total and len(made) == count
    assert max(each.cents for each in made) - min(each.cents for each in made) <= 1
    assert made[0].day == first and all(a.day < b.day for a, b in zip(made, made[1:], strict=False))


@given(st.integers(100, 100_000), st.integers(2, 12), st.data())
def test_a_plan_stands_where_its_charges_stand(total: int, count: int, data: st.DataObject) -> None:
    made = schedule(total, count, TODAY, "month")
    still = data.draw(st.integers(-50, total + 50))
    today = TODAY + timedelta(days=data.draw(st.integers(-5, 400)))
    found = standing(total, made, still, today)
    assert found.paid == total - max(0, min(total, still)) and found.done == (found.paid == total)
    assert 0 <= found.overdue <= found.due <= total - found.paid
    assert (found.next is None) == found.done
    if found.next is not None:
        before = sum(each.cents for each in made[: found.next.number - 1])
        assert before <= found.paid < before + found.next.cents


def test_a_plan_that_is_behind_says_by_how_much() -> None:
    made = schedule(10_000, 4, date(2026, 9, 24), "month")
    assert made[0] == Installment(1, date(2026, 9, 24), 2500)
    found = standing(10_000, made, 7_000, TODAY)  # 30.00 paid; due are 9/24, 10/24 and today's 11/24
    assert (found.paid, found.due, found.overdue, found.next) == (3000, 4500, 2000, made[1])


def test_a_plans_sum_must_be_that_of_its_charges() -> None:
    check_plan(24_000, 6, 24_000)
    for amount, count, open_cents, field in (
        (25_000, 6, 24_000, "amount"),
        (20_000, 6, 24_000, "amount"),
        (5, 6, 5, "count"),
        (24_000, 6, 0, "lines"),
    ):
        with pytest.raises(Problems) as wrong:
            check_plan(amount, count, open_cents)
        assert field in wrong.value.problems, (amount, count)
    for day in (TODAY - timedelta(days=1), TODAY + timedelta(days=100)):
        with pytest.raises(Refused, match="between today and three months"):
            check_first(day, TODAY)


def test_a_failed_card_is_tried_every_three_days_three_times() -> None:
    def day(days: int) -> date:
        return TODAY + timedelta(days=days)

    assert may_try([], TODAY)
    assert not may_try([(TODAY, "declined")], day(2)) and may_try([(TODAY, "declined")], day(3))
    assert not may_try([(day(0), "declined"), (day(3), "declined"), (day(6), "declined")], day(60))
    assert not may_try([(TODAY, "unknown")], day(9))


# --- aging, drawer
def test_age_counts_from_the_day_it_came_to_them() -> None:
    days = [0, 30, 31, 60, 61, 90, 91, -3]
    assert [bucket(TODAY - timedelta(days=n), TODAY) for n in days] == [0, 0, 1, 1, 2, 2, 3, 0]


@given(st.lists(st.tuples(st.integers(-1000, 100_000), st.dates(date(2025, 1, 1), TODAY))))
def test_aging_adds_up_to_all_of_it(rows: list[tuple[int, date]]) -> None:
    assert sum(aging([Piece(*row) for row in rows], TODAY)) == sum(amount for amount, _ in rows)


def test_the_drawer_is_counted_in_pieces() -> None:
    pieces = count_pieces({5_000: "4", 100: " 3 ", 1: "", 25: "0"})
    assert pieces == {5_000: 4, 100: 3} and worth(pieces) == 20_300
    assert to_bank(20_300, 15_000) == 5_300 and to_bank(9_000, 15_000) == 0
    with pytest.raises(Problems) as wrong:
        count_pieces({5_000: "4.5", 100: "-1"})
    assert set(wrong.value.problems) == {"piece-5000", "piece-100"}
    assert counted_amount("0.00", "x") == 0 and counted_amount("12.5", "x") == 1250


def test_a_difference_needs_its_reason() -> None:
    tenders = [CountedTender("cash", 38_640, 38_440), CountedTender("card", 100, 100)]
    with pytest.raises(Refused, match=r"2\.00 short") as refused:
        check_difference(tenders, "  ")
    assert set(refused.value.problems) == {"why"}
    assert check_difference(tenders, "wrong change") == -200
    assert check_difference([CountedTender("cash", 5, 9), CountedTender("card", 9, 5)], "mixed up") == 0
    with pytest.raises(Refused, match="over"):
        check_difference([CountedTender("cash", 5, 9), CountedTender("card", 9, 5)], "")


# --- statements
def test_the_rule_says_why_somebody_gets_none() -> None:
    rule = Rule(minimum=1000, days=28, without=(7,), answered=True)

    def one(**more: object) -> str:
        values = {"household_id": 1, "name": "A", "patient_cents": 4260, "insurer_cents": 0} | more
        return why_not(Candidate(**values), rule, TODAY)  # type: ignore[arg-type]

    assert one() == ""
    assert "below the minimum" in one(patient_cents=999)
    assert "flag" in one(flags=frozenset({7, 2})) and one(flags=frozenset({2})) == ""
    assert "insurance still owes $171.40" in one(insurer_cents=17_140)
    assert (
        "12 days ago" in one(last=TODAY - timedelta(days=12)) and one(last=TODAY - timedelta(days=28)) == ""
    )
    assert "payment plan" in one(on_plan=4260) and "below" in one(on_plan=4000) and one(on_plan=3000) == ""


def test_only_what_has_been_open_long_enough_bears_interest() -> None:
    lines = [
        (5_000, TODAY - timedelta(days=61)),
        (700, TODAY - timedelta(days=60)),
        (-900, TODAY - timedelta(days=90)),
    ]
    assert old_enough([Piece(*each) for each in lines], TODAY, 60) == 5_000


def test_an_entry_falls_on_no_closed_day() -> None:
    yesterday, tomorrow = TODAY - timedelta(days=1), TODAY + timedelta(days=1)
    assert day_of_books(TODAY, None) == day_of_books(TODAY, yesterday) == TODAY
    assert day_of_books(TODAY, TODAY) == day_of_books(yesterday, TODAY) == tomorrow


def test_the_day_is_summed_by_what_each_kind_means() -> None:
    sums = Sums()
    assert sums.empty
    for kind, cents in (
        (Kind.CHARGE, 28_600),
        (Kind.FEE, 2_500),
        (Kind.INTEREST, 100),
        (Kind.PAYMENT, -20_000),
        (Kind.REFUND, 1_000),
        (Kind.INSURER_PAYMENT, -5_000),
        (Kind.WRITE_OFF, -300),
        (Kind.DISCOUNT, -200),
        (Kind.TRANSFER, 999),
        (Kind.OPENING, 7_000),
    ):
        sums.add(kind, cents)
    assert (sums.production, sums.patients, sums.plans, sums.adjusted) == (31_200, 19_000, 5_000, 500)
    sums.add(Kind.CHARGE, -31_200)  # a reversal comes with the kind of what it reverses
    assert sums.production == 0 and not sums.empty


def test_a_rule_is_kept_and_read_back() -> None:
    rule = RuleForm(minimum="12.50", days="30", without=[4, 2, 4], answered="yes").rule
    assert rule == Rule(1250, 30, (2, 4), True, False) and rule_from(kept(rule)) == rule
    assert RuleForm(minimum="0", days="0").rule.minimum == 1  # nobody gets a statement over nothing
    with pytest.raises(Problems) as wrong:
        RuleForm(minimum="many", days="366")
    assert set(wrong.value.problems) == {"minimum", "days"}
    assert interest_on(10_000, 150) == 150 and interest_on(33, 150) == 0 and interest_on(34, 150) == 1
    assert Tender("cash") == "cash"

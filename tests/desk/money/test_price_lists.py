"""Price lists for patients who pay themselves: given by a flag, taken off as a discount that shows, never
where a plan covers the visit, and gone with its charge.
"""

from __future__ import annotations

from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import insert

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, order, scalar, visit_at_checkout
from tests.desk.paying import agrees, all_lines, pay
from zax.core.coverage.fees import FeeSchedule, Less, allowed_fees, less_by_list
from zax.core.errors import Problems
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.book.track import take_to_room
from zax.desk.charges.charges import LineForm, change_line
from zax.desk.charges.finishing import back_to_room, ready_for_checkout
from zax.desk.charges.treatment_options import PlannedLineForm, add_to_option, make_proposal, proposal_of
from zax.desk.coverage.plans import end_schedule, save_fees
from zax.desk.day.visit_sheet import sheet_of
from zax.desk.setup.money import save_discount
from zax.store import schema
from zax.store.money import queries as money

pytestmark = pytest.mark.usefixtures("setup")


def flagged(desk: Desk, plan_id: int | None = None) -> int:
    """A patient with the first flag."""
    patient = add_patient(desk, plan_id)
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.patient_flag).values(
                patient_id=patient, flag_id=flag_of(desk), at=desk.clock.now(), by_id=1
            )
        )
    return patient


def flag_of(desk: Desk) -> int:
    return next(iter(desk.clinic.flags))


def price_list(desk: Desk, dollars: str = "200", **more: str) -> int:
    """A list with a price for the two-surface filling that the visits of these tests do (286.00)."""
    typed = {"name": "Members", "flag_id": str(flag_of(desk)), "from_day": "", "to_day": ""} | more
    number = next(each.id for each in desk.clinic.services.values() if each.code == "D2392")
    return save_fees(desk, ODILE, 0, typed, {number: dollars})


def owed(desk: Desk, visit: int) -> int:
    return int(
        scalar(desk, "SELECT COALESCE(SUM(patient_cents), 0) FROM journal WHERE visit_id = :v", v=visit)
    )


@pytest.mark.parametrize(
    ("percent", "listed"), [("0", ""), ("10", ""), ("0", "200"), ("10", "200"), ("50", "200")]
)
def test_the_sheet_says_before_it_is_charged_what_comes_off_then(
    desk: Desk, percent: str, listed: str
) -> None:
    if listed:
        price_list(desk, listed)
    if percent != "0":
        save_discount(desk, SAM, 0, 0, "Seniors", percent, flag_of(desk), True)
    visit = book_visit(desk, JUNO, order(flagged(desk), 1, "14:00", "Filling"))
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit)
    due = sheet.bill.patient - sum(sheet.off.values())
    check_in(desk, JUNO, visit)
    take_to_room(desk, JUNO, visit)
    with desk.engine.connect() as connection:
        (line,) = money.visit_lines(connection, visit)
    change_line(desk, JUNO, visit, line.id, LineForm(units="1", tooth="14", surfaces="MO", billed=True))
    ready_for_checkout(desk, JUNO, visit)
    assert (
        owed(desk, visit)
        == due
        == {"0": 28_600, "10": 25_740, "50": 14_300}[percent]
        - ({"0": 8_600, "10": 5_740, "50": 0}[percent] if listed else 0)
    )
    assert list(sheet.off) == (
        ["Members"]
        if listed and percent != "50"
        else [f"Seniors, {percent} percent"]
        if percent != "0"
        else []
    )


@pytest.mark.parametrize("plan_id", [None, 1])
@pytest.mark.parametrize(("percent", "listed"), [("0", ""), ("10", ""), ("10", "200"), ("50", "200")])
def test_work_is_offered_for_what_it_will_be_charged_at(
    desk: Desk, plan_id: int | None, percent: str, listed: str
) -> None:
    """What a patient signs is what they owe when it is done that day, by list, discount and plan."""
    if listed:
        price_list(desk, listed)
    if percent != "0":
        save_discount(desk, SAM, 0, 0, "Seniors", percent, flag_of(desk), True)
    patient = flagged(desk, plan_id)
    proposal = make_proposal(desk, SAM, patient, "One filling", 1)
    filling = next(each.id for each in desk.clinic.services.values() if each.code == "D2392")
    line = PlannedLineForm(service_id=filling, letter="A", phase=1, tooth="14", surfaces="MO")
    add_to_option(desk, SAM, proposal, line)
    with desk.engine.connect() as connection:
        (option,) = proposal_of(connection, desk.clinic, proposal, desk.clock.now()).options
    offered = option.total("patient")
    assert offered == sum(each.patient for each in option.phases[0].lines)
    assert sum(option.off_words.values()) == option.total("off") and bool(option.off_words) == (
        percent != "0"
    )
    assert owed(desk, visit_at_checkout(desk, patient, dental=True)) == offered


def test_a_member_pays_by_the_list_and_the_account_says_so(desk: Desk) -> None:
    price_list(desk)
    patient = flagged(desk)
    visit = visit_at_checkout(desk, patient, dental=True)
    assert owed(desk, visit) == 20_000
    row = "SELECT CONCAT_WS('|', patient_cents, words) FROM journal WHERE kind = 'discount'"
    assert scalar(desk, row) == "-8600|Members"
    back_to_room(desk, JUNO, visit, "more")
    assert owed(desk, visit) == 0
    ready_for_checkout(desk, JUNO, visit)
    assert owed(desk, visit) == 20_000
    pay(desk, patient, all_lines(desk, patient), ("cash", "200"))
    assert owed(desk, visit) == 0 and agrees(desk)


def test_it_is_for_nobody_else_and_never_where_a_plan_covers_the_visit(desk: Desk) -> None:
    before = visit_at_checkout(desk, flagged(desk, 1), dental=True)
    covered = owed(desk, before)
    price_list(desk)
    assert (
        owed(desk, visit_at_checkout(desk, add_patient(desk, first="Ada"), dental=True, start="15:00"))
        == 28_600
    )
    again = flagged(desk, 1)
    assert owed(desk, visit_at_checkout(desk, again, dental=True, start="11:00")) == covered


def test_the_larger_of_list_and_discount_counts_not_both(desk: Desk) -> None:
    price_list(desk)
    save_discount(desk, SAM, 0, 0, "Family of staff", "20", flag_of(desk), True)
    assert owed(desk, visit_at_checkout(desk, flagged(desk), dental=True)) == 20_000
    price_list(desk, "280", name="Another")
    number = next(each.id for each in desk.clinic.contracts.schedules if each.name == "Members")
    end_schedule(desk, ODILE, number)
    patient = flagged(desk)
    assert owed(desk, visit_at_checkout(desk, patient, dental=True, start="11:00")) == 22_880 and agrees(desk)


def test_a_list_holds_on_its_days_alone(desk: Desk) -> None:
    price_list(desk, from_day=(TODAY + timedelta(days=1)).isoformat())
    price_list(desk, name="Over", to_day=(TODAY - timedelta(days=1)).isoformat())
    assert owed(desk, visit_at_checkout(desk, flagged(desk), dental=True)) == 28_600


def test_a_list_needs_a_flag_and_is_no_contract(desk: Desk) -> None:
    with pytest.raises(Problems) as wrong:
        price_list(desk, flag_id="")
    assert list(wrong.value.problems) == ["flag_id"]
    number = price_list(desk, payer_id="1", plan_id="1", network="in")
    made = next(each for each in desk.clinic.contracts.schedules if each.id == number)
    assert (made.payer_id, made.plan_id, made.network, made.flag_id) == (None, None, "any", flag_of(desk))


@given(
    fees=st.lists(st.tuples(st.integers(1, 3), st.integers(1, 500)), max_size=4),
    flags=st.sets(st.integers(1, 3)),
    units=st.integers(1, 4),
    fee=st.integers(0, 400),
)
def test_a_list_never_makes_anything_dearer_nor_less_than_nothing(
    fees: list[tuple[int, int]], flags: set[int], units: int, fee: int
) -> None:
    lists = [
        FeeSchedule(id=n, name=str(n), fees={"D1": cents}, flag_id=flag)
        for n, (flag, cents) in enumerate(fees)
    ]
    less = less_by_list(lists, flags, TODAY, "D1", units, fee * units)
    theirs = [cents for flag, cents in fees if flag in flags]
    paid = fee * units - less.cents
    assert 0 <= less.cents <= fee * units
    assert paid == min([fee * units, *(cents * units for cents in theirs)])
    assert less_by_list(lists, flags, TODAY, "D2", units, fee) == Less(0, "")
    assert allowed_fees(lists, 1, 1, 1, True, TODAY) == {}

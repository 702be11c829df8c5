"""Fees from a day on: they wait, hold from the first minute of their day by the clinic's clock, and leave
what was charged alone.
"""

from __future__ import annotations

from datetime import timedelta

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from tests.conftest import JUNO, ODILE, TODAY, add_patient, at, scalar, visit_at_checkout
from zax.clock import ShiftedClock
from zax.core.errors import NotAllowed, NotFound, Problems, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.setup.planned_fees import drop_planned, let_fees_hold, plan_fees, planned_by_day
from zax.desk.setup.services import set_fees
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside

DAY = TODAY + timedelta(days=38)  # January 1


def fees(desk: Desk) -> list[int]:
    return [desk.clinic.services[number].fee_cents for number in (1, 2)]


def test_planned_fees_hold_from_their_day_through_the_worker(
    desk: Desk, clock: ShiftedClock, outside: Outside
) -> None:
    charged = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    line = "SELECT SUM(fee_cents) FROM charge_line WHERE visit_id = :v"
    before = scalar(desk, line, v=charged)
    assert plan_fees(desk, ODILE, {1: "66.00", 2: "64.00"}, DAY) == 1
    clock.set_to(at(23, 58, DAY - timedelta(days=1)))
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert fees(desk) == [6400, 6400]
    clock.set_to(at(0, 1, DAY))
    run_once(desk, outside, None)  # type: ignore[arg-type]
    desk.read_setup()
    assert fees(desk) == [6600, 6400] and scalar(desk, line, v=charged) == before
    with desk.engine.connect() as connection:
        assert planned_by_day(connection) == {}
    assert "64.00 to 66.00" in scalar(desk, "SELECT words FROM setup_change ORDER BY id DESC LIMIT 1")
    set_fees(desk, ODILE, {1: "70"})
    assert let_fees_hold(desk) == 0 and fees(desk)[0] == 7000


def test_a_second_plan_for_a_day_replaces_the_first_and_counts_on_those_before(desk: Desk) -> None:
    plan_fees(desk, ODILE, {1: "66", 2: "66"}, DAY)
    assert plan_fees(desk, ODILE, {1: "67", 2: "66"}, DAY) == 1
    assert plan_fees(desk, ODILE, {1: "67", 2: "66"}, DAY + timedelta(days=30)) == 0
    assert plan_fees(desk, ODILE, {1: "64"}, DAY + timedelta(days=30)) == 1
    with desk.engine.connect() as connection:
        found = planned_by_day(connection)
    assert [sorted((each.service_id, each.cents) for each in day) for day in found.values()] == [
        [(1, 6700), (2, 6600)],
        [(1, 6400)],
    ]


def test_what_was_planned_can_be_dropped(desk: Desk, clock: ShiftedClock) -> None:
    plan_fees(desk, ODILE, {1: "66", 2: "67"}, DAY)
    assert drop_planned(desk, ODILE, DAY) == 2
    with pytest.raises(NotFound):
        drop_planned(desk, ODILE, DAY)
    clock.set_to(at(9, 0, DAY))
    assert let_fees_hold(desk) == 0 and fees(desk) == [6400, 6400]


def test_what_cannot_be_planned_is_refused_and_nothing_is_kept(desk: Desk) -> None:
    for day in (TODAY, TODAY - timedelta(days=1)):
        with pytest.raises(Refused, match="after today"):
            plan_fees(desk, ODILE, {1: "66"}, day)
    with pytest.raises(Problems) as wrong:
        plan_fees(desk, ODILE, {1: "66", 2: "abc"}, DAY)
    assert list(wrong.value.problems) == ["fee-2"]
    with pytest.raises(NotAllowed):
        plan_fees(desk, JUNO, {1: "66"}, DAY)
    assert scalar(desk, "SELECT COUNT(*) FROM planned_fee") == 0


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@example(plans=[(2, 5), (1, 1)], looks=set())
@example(plans=[(1, 3), (2, 3), (1, 4)], looks={2})
@given(
    plans=st.lists(st.tuples(st.integers(1, 4), st.integers(1, 9)), max_size=5),
    looks=st.sets(st.integers(0, 6)),
)
def test_however_often_the_worker_looks_the_last_plan_of_the_past_holds(
    desk: Desk, clock: ShiftedClock, plans: list[tuple[int, int]], looks: set[int]
) -> None:
    """A fee that would hold on that day anyhow is no change, and so no plan of its own."""
    clock.set_to(at(9, 0))
    set_fees(desk, ODILE, {1: "5.00"})
    with desk.engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM planned_fee")
    wanted: dict[int, int] = {}
    for days, dollars in plans:
        planned = plan_fees(desk, ODILE, {1: f"{dollars}.00"}, TODAY + timedelta(days=days))
        before = max((day for day in wanted if day <= days), default=None)
        changes = dollars != (5 if before is None else wanted[before])
        assert planned == changes
        if changes:
            wanted[days] = dollars
    for look in sorted({*looks, 6}):
        clock.set_to(at(9, 0, TODAY + timedelta(days=look)))
        let_fees_hold(desk)
        past = [days for days in wanted if days <= look]
        assert desk.clinic.services[1].fee_cents == (wanted[max(past)] if past else 5) * 100

"""What is used up counts for the coverage it was used of, from visit to visit."""

from __future__ import annotations

from datetime import date, timedelta

from sqlalchemy import insert, text

from tests.conftest import JUNO, ODILE, TODAY, add_patient, scalar, visit_at_checkout
from tests.desk.coverage.test_coverage import bill
from tests.desk.remits.test_insurers import answer
from tests.desk.remits.test_two_plans_and_denials import with_second_plan
from zax.core.coverage.member import member_key
from zax.demo.world import SERVICE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import LineForm, add_line
from zax.desk.day.checkout import finish_checkout
from zax.desk.remits.importing import import_file
from zax.store import schema


def covered(desk: Desk, patient: int, plan_id: int, since: date, until: date | None = None) -> int:
    with desk.engine.begin() as connection:
        made = connection.execute(
            insert(schema.coverage).values(
                patient_id=patient,
                plan_id=plan_id,
                subscriber_id=patient,
                member_id=f"N-{plan_id}",
                member_key=member_key(f"N-{plan_id}"),
                group_number="G1",
                from_day=since,
                to_day=until,
            )
        ).inserted_primary_key
    assert made is not None
    return int(made[0])


def earlier(desk: Desk, patient: int, days: int) -> int:
    """A filling that was finished so many days ago."""
    visit = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, visit)
    with desk.engine.begin() as connection:
        when = {"day": TODAY - timedelta(days=days), "id": visit}
        connection.execute(text("UPDATE visit SET day = :day WHERE id = :id"), when)
    return visit


def end(desk: Desk, patient: int, day: date) -> None:
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE coverage SET to_day = :day WHERE patient_id = :id"), {"day": day, "id": patient}
        )


def test_a_plan_that_begins_in_the_year_begins_with_nothing_used(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier(desk, patient, 60)
    before = bill(desk, visit_at_checkout(desk, patient, dental=True)).covers[0].used
    assert (before.deductible, before.paid) == (5_000, 18_880)
    end(desk, patient, TODAY - timedelta(days=31))
    covered(desk, patient, 2, TODAY - timedelta(days=30))
    visit = visit_at_checkout(desk, patient, dental=True, start="16:00")
    used = bill(desk, visit).covers[0].used
    assert (used.deductible, used.paid, used.lifetime) == (0, 0, {})
    assert {(each.code, each.paid) for each in used.done} == {("D2392", False)}  # done, not by this plan


def test_a_line_that_says_nothing_of_its_plan_counts_by_its_day(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier(desk, patient, 60)
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE charge_line SET first_coverage_id = NULL"))
    visit = visit_at_checkout(desk, patient, dental=True)
    assert bill(desk, visit).covers[0].used.paid == 18_880
    end(desk, patient, TODAY - timedelta(days=31))
    covered(desk, patient, 2, TODAY - timedelta(days=30))
    assert bill(desk, visit).covers[0].used.paid == 0


def test_the_same_plan_taken_up_again_goes_on_where_it_was(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier(desk, patient, 60)
    end(desk, patient, TODAY - timedelta(days=31))
    covered(desk, patient, 1, TODAY - timedelta(days=30))
    visit = visit_at_checkout(desk, patient, dental=True)
    assert bill(desk, visit).covers[0].used.paid == 18_880


def test_what_the_second_plan_used_is_gone_at_the_next_visit(desk: Desk) -> None:
    patient = with_second_plan(desk)
    earlier(desk, patient, 10)
    second = bill(desk, visit_at_checkout(desk, patient, dental=True)).covers[1].used
    # Guild, as second: 50.00 deductible, and of the 188.80 it would pay the 103.30 that were open
    assert (second.deductible, second.paid, second.pending) == (5_000, 10_330, 10_330)


def test_a_quadrant_counts_by_its_area(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True, start="13:00")
    add_line(desk, JUNO, visit, SERVICE_ID["D4341"], LineForm(area="10"))
    finish_checkout(desk, JUNO, visit)
    later = visit_at_checkout(desk, patient, dental=True, start="16:00")
    done = bill(desk, later).covers[0].used.done
    assert {(each.code, each.area) for each in done} == {("D2392", ""), ("D4341", "10")}


def test_what_the_payer_counted_as_the_patients_part_replaces_our_guess(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    visit = earlier(desk, patient, 5)
    line = scalar(desk, "SELECT id FROM charge_line WHERE visit_id = :id", id=visit)
    assert scalar(desk, "SELECT own_cents FROM charge_line WHERE id = :id", id=line) == 9_720
    number = scalar(desk, "SELECT number FROM claim WHERE visit_id = :id", id=visit)
    import_file(desk, ODILE, "x.835", answer(number, line, paid="206", cas="CAS*PR*1*20**2*60"))
    used = bill(desk, visit_at_checkout(desk, patient, dental=True)).covers[0].used
    assert (used.deductible, used.out_of_pocket, used.paid, used.pending) == (2_000, 8_000, 20_600, 0)

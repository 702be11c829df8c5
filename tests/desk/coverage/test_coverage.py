"""Coverages, plans, payers and fees against a real MariaDB: what is refused, what a correction touches, and
what the estimate makes of it.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, TODAY, add_patient, scalar, visit_at_checkout
from tests.desk.covering import OWN, bill, save, write_plan_as_biller
from zax.core.errors import Conflict, NotFound, Problems, Refused, Stale
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import LineForm, change_line
from zax.desk.claims.sending import send_ready
from zax.desk.coverage.coverages import end_coverage, order_words, save_coverage, set_elsewhere
from zax.desk.coverage.estimate_inputs import counting_on
from zax.desk.coverage.plans import (
    save_payer,
)
from zax.desk.day.checkout import finish_checkout
from zax.desk.patients.household import join_household
from zax.store.coverage.queries import coverages_of
from zax.web.shell.request_context import PostedForm

OUTSIDE = OWN | {
    "holder": "outside",
    "relationship": "01",
    "holder_first": "Anselmo",
    "holder_last": "Vasquez",
    "holder_birth": "6/14/1990",
    "holder_street": "1 Pier Road",
}


def problems(desk: Desk, patient_id: int, **changes: str) -> set[str]:
    with pytest.raises((Problems, Refused, Conflict)) as wrong:
        save(desk, patient_id, **changes)
    return set(wrong.value.problems)


def test_a_coverage_is_entered_and_corrected(desk: Desk) -> None:
    patient_id = add_patient(desk)
    number = save(desk, patient_id)
    assert (
        scalar(desk, "SELECT CONCAT(member_id, '|', member_key, '|', `rank`) FROM coverage")
        == "HG-1 22|HG122|1"
    )
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE coverage SET checked_at = NOW(), check_state = 'fine'"))
    save(desk, patient_id, number, group_number="G2")
    assert scalar(desk, "SELECT check_state FROM coverage") == "fine"
    save(desk, patient_id, number, member_id="HG-9")
    assert scalar(desk, "SELECT CONCAT(check_state, version) FROM coverage") == "3"
    with pytest.raises(Stale):
        save_coverage(desk, ODILE, patient_id, number, OWN, 1)
    with pytest.raises(NotFound):
        save_coverage(desk, ODILE, patient_id, 10**7, OWN, 1)


def test_every_wrong_field_of_a_coverage_is_named(desk: Desk) -> None:
    patient_id = add_patient(desk)
    assert problems(desk, patient_id, plan_id="77", rank="4", member_id="?", from_day="soon") == {
        "plan_id",
        "rank",
        "member_id",
        "from_day",
    }
    assert problems(desk, patient_id, from_day="2026-05-01", to_day="2026-04-30") == {"to_day"}
    assert problems(desk, patient_id, holder="patient") == {"relationship", "subscriber_id"}
    assert problems(desk, patient_id, holder="patient", relationship="01", subscriber_id=str(patient_id)) == {
        "subscriber_id"
    }
    wrong = problems(
        desk, patient_id, **(OUTSIDE | {"holder_first": "", "holder_birth": "x", "holder_zip": "1"})
    )
    assert wrong == {"holder_first", "holder_birth", "holder_zip"}


def test_two_of_one_rank_never_hold_on_one_day(desk: Desk) -> None:
    patient_id = add_patient(desk)
    save(desk, patient_id)
    with pytest.raises(
        Conflict, match="Harbor Guild Dental is already the first dental coverage, no end date"
    ):
        save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="2026-07-01")
    save(desk, patient_id, plan_id="4", member_id="CP-1")  # medical: another kind
    with pytest.raises(Conflict, match="start date after the other began"):
        save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="", end_other="yes")
    save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="2026-07-01", end_other="yes")
    with desk.engine.connect() as connection:
        assert [c.plan_name for c in counting_on(coverages_of(connection, [patient_id]), True, TODAY)] == [
            "Brightwater Family"
        ]
        assert [
            c.plan_name for c in counting_on(coverages_of(connection, [patient_id]), True, date(2026, 6, 30))
        ] == ["Harbor Guild Dental"]
    end_coverage(
        desk, JUNO, patient_id, scalar(desk, "SELECT id FROM coverage WHERE plan_id = 2"), "2026-11-23"
    )
    with desk.engine.connect() as connection:
        assert counting_on(coverages_of(connection, [patient_id]), True, TODAY) == []
    for day in ("", "2026-01-01", "x"):
        with pytest.raises(Refused):
            end_coverage(
                desk, JUNO, patient_id, scalar(desk, "SELECT id FROM coverage WHERE plan_id = 2"), day
            )


def test_nobody_is_covered_through_somebody_who_is_covered_through_them(desk: Desk) -> None:
    helen, mateo = add_patient(desk), add_patient(desk, first="Mateo")
    save(desk, helen)
    save(desk, mateo, holder="patient", relationship="19", subscriber_id=str(helen))
    with pytest.raises(
        Problems, match="Mateo is covered through Helen, so Helen can’t be covered through Mateo"
    ):
        save(desk, helen, rank="2", holder="patient", relationship="01", subscriber_id=str(mateo))


def test_a_member_id_of_somebody_else_is_a_slip_until_it_is_not(desk: Desk) -> None:
    ruth, helen = add_patient(desk, first="Ruth", last="Amadi"), add_patient(desk)
    save(desk, ruth)
    son = add_patient(desk, first="Tomi", last="Amadi")
    join_household(desk, JUNO, son, ruth)
    save(desk, son)  # a household shares its card
    with pytest.raises(Conflict, match="HG-1 22 is on file for Ruth Amadi") as wrong:
        save(desk, helen)
    assert set(wrong.value.problems) == {"member_id"}
    save(desk, helen, same_card="yes")


def test_a_holder_outside_goes_onto_the_claim(desk: Desk) -> None:
    patient_id = add_patient(desk)
    save(desk, patient_id, **OUTSIDE)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient_id, dental=True))
    assert scalar(desk, "SELECT findings FROM claim") == "[]"
    send_ready(desk, ODILE)
    assert "NM1*IL*1*VASQUEZ*ANSELMO" in scalar(desk, "SELECT text FROM x12_file WHERE direction = 'out'")


def test_two_coverages_are_coordinated_and_the_order_is_judged(desk: Desk) -> None:
    patient_id = add_patient(desk)
    save(
        desk,
        patient_id,
        plan_id="2",
        member_id="BW-1",
        **{k: v for k, v in OUTSIDE.items() if k.startswith(("holder", "relation"))},
    )
    save(desk, patient_id, rank="2")
    visit_id = visit_at_checkout(desk, patient_id, dental=True)
    found = bill(desk, visit_id)
    # Brightwater: 70 percent of 261.00; Guild would pay 80 percent of 236.00 and 103.30 is open
    assert [(e.first, e.second, e.patient) for e in found.estimates] == [(18270, 10330, 0)]
    assert [c.plan_name for c in found.coverages] == ["Brightwater Family", "Harbor Guild Dental"]
    assert (
        "other one pays first" in order_words(desk.clinic, list(found.coverages))
        and order_words(desk.clinic, []) == ""
    )
    assert (
        scalar(
            desk, "SELECT CONCAT(first_cents, '|', second_cents) FROM charge_line WHERE removed_at IS NULL"
        )
        == "18270|10330"
    )
    assert (
        scalar(desk, "SELECT CONCAT(patient_cents, '|', insurer_cents) FROM journal WHERE kind = 'charge'")
        == "0|28600"
    )


def test_what_is_used_counts_pending_claims_history_and_other_clinics(setup: Desk) -> None:
    desk = setup
    patient_id = add_patient(desk, 1)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient_id, dental=True))
    second = visit_at_checkout(desk, patient_id, dental=True, start="16:00")
    used = bill(desk, second).covers[0].used
    assert (used.deductible, used.paid, used.pending, used.by_category) == (
        5000,
        18880,
        18880,
        {"basic": 18880},
    )
    assert [d.code for d in used.done] == ["D2392"]
    coverage_id = scalar(desk, "SELECT id FROM coverage")
    set_elsewhere(desk, JUNO, patient_id, coverage_id, 0, 240_000, TODAY.year)
    short = bill(desk, second).estimates[0]
    assert (short.first, short.patient) == (0, 28600) and "used up" in short.why
    set_elsewhere(desk, JUNO, patient_id, coverage_id, 0, 240_000, TODAY.year - 1)
    assert bill(desk, second).estimates[0].first == 22880


def test_the_households_deductible_counts_everybody_on_the_plan(setup: Desk) -> None:
    desk = setup
    helen, rafael = add_patient(desk, 1), add_patient(desk, 1, first="Rafael")
    join_household(desk, JUNO, rafael, helen)
    plan = desk.clinic.plans[1]
    write_plan_as_biller(desk, plan.id, replace(plan.benefits, household_deductible_cents=6000))
    finish_checkout(desk, JUNO, visit_at_checkout(desk, helen, dental=True))
    estimate = bill(desk, visit_at_checkout(desk, rafael, dental=True, start="16:00")).estimates[0]
    assert estimate.deductible == 1000


def test_what_needs_authorization_is_paid_once_it_is_there(setup: Desk) -> None:
    plan = setup.clinic.plans[1]
    write_plan_as_biller(setup, 1, replace(plan.benefits, needs_authorization=frozenset({"D2392"})))
    visit_id = visit_at_checkout(setup, add_patient(setup, 1), dental=True)
    assert bill(setup, visit_id).estimates[0].why == "needs prior authorization"
    line = scalar(setup, "SELECT id FROM charge_line")
    change_line(
        setup,
        JUNO,
        visit_id,
        line,
        LineForm(units="1", tooth="14", surfaces="MO", billed=True, authorized=True),
    )
    assert bill(setup, visit_id).estimates[0].first == 18880


def test_a_payer_that_wants_the_group_gets_no_claim_without(setup: Desk) -> None:
    typed = PostedForm(
        {
            "name": "Harbor Guild Dental",
            "electronic_id": "HGD01",
            "filing_days": "365",
            "kind": "insurer",
            "eligibility": "auto",
            "required-group": "yes",
        }
    )
    save_payer(setup, ODILE, 1, typed, [])
    patient_id = add_patient(setup, 1)
    with setup.engine.begin() as connection:
        connection.execute(text("UPDATE coverage SET group_number = ''"))
    finish_checkout(setup, JUNO, visit_at_checkout(setup, patient_id, dental=True))
    assert "claims without a group number" in scalar(setup, "SELECT findings FROM claim")

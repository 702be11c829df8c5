"""Plans, contract fees and payers against a real MariaDB: what is refused, what a correction touches, what is
retired.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest

from tests.conftest import JUNO, ODILE, TODAY, add_patient, order, scalar
from tests.desk.covering import bill, save
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Stale
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.coverage.plans import (
    PlanTermsForm,
    delete_plan,
    end_schedule,
    retire_plan,
    save_fees,
    save_payer,
    save_plan,
)
from zax.store.coverage.queries import coverages_of, patients_with
from zax.web.shell.request_context import PostedForm

FORM = PlanTermsForm(
    PostedForm(
        {
            "percent-basic": "70",
            "percent-preventive": "100 %",
            "deductible": "25",
            "maximum": "1,500",
            "waiting-major": "12",
            "coordination": "standard",
            "year_starts": "1",
        }
    ),
    ["preventive"],
    [("D1110 d1120", "2", "12", "person", "done")],
    [("D1206", "", "18", "birthday")],
    [("D2740", "D2750")],
)


def test_a_plan_is_made_corrected_for_everybody_and_read_back(setup: Desk) -> None:
    desk = setup
    number = save_plan(desk, ODILE, 0, 1, "Guild Gold", True, "", FORM, 0)
    made = desk.clinic.plans[number]
    assert (made.benefits.percents, made.benefits.maximum_cents, made.benefits.waiting_months) == (
        {"basic": 70, "preventive": 100},
        150000,
        {"major": 12},
    )
    assert (
        made.benefits.frequencies[0].codes == {"D1110", "D1120"}
        and made.benefits.ages[0].oldest == 18
        and made.benefits.alternates == {"D2740": "D2750"}
    )
    patient_id = add_patient(desk, number)
    with desk.engine.connect() as connection:
        assert patients_with(connection, number, TODAY) == 1
        assert patients_with(connection, number, TODAY + timedelta(days=1)) == 1
    visit_id = book_visit(desk, JUNO, order(patient_id, 1, kind="Filling"))
    assert bill(desk, visit_id).estimates[0].first == 18270
    save_plan(
        desk,
        ODILE,
        number,
        1,
        "Guild Gold",
        True,
        "",
        replace(FORM, fields=FORM.fields | {"percent-basic": "50"}),
        1,
    )  # type: ignore[operator]
    assert bill(desk, visit_id).estimates[0].first == 13050
    with pytest.raises(Stale):
        save_plan(desk, ODILE, number, 1, "Guild Gold", True, "", FORM, 1)
    with pytest.raises(NotAllowed):
        save_plan(desk, JUNO, number, 1, "Guild Gold", True, "", FORM, 2)


def test_every_wrong_field_of_a_plan_is_named(setup: Desk) -> None:
    wrong_form = PlanTermsForm(
        PostedForm(
            {
                "percent-basic": "170",
                "out-basic": "x",
                "copay-major": "-3",
                "waiting-major": "999",
                "deductible": "50",
                "household_deductible": "20",
                "year_starts": "13",
                "coordination": "odd",
                "authorization": "D9999",
                "lifetime-orthodontics": "1.234",
            }
        ),
        [],
        [
            ("D1110", "0", "12", "person", "done"),
            ("D1110", "2", "12", "mouth", "done"),
            ("D1110", "2", "12", "tooth", "some"),
        ],
        [("D1206", "", "", "month"), ("D1206", "30", "18", "month"), ("D1206", "", "18", "easter")],
        [("D2740", "D2740")],
        [],
        [("D2740", "", ""), ("", "80", ""), ("D2740 D2750", "80", ""), ("D2740", "180", "")],
    )
    with pytest.raises(Problems) as wrong:
        save_plan(setup, ODILE, 0, 99, "x", True, "", wrong_form, 0)
    assert set(wrong.value.problems) == {
        "payer_id",
        "name",
        "percent-basic",
        "out-basic",
        "copay-major",
        "waiting-major",
        "year_starts",
        "authorization",
        "lifetime-orthodontics",
        "frequency-0",
        "frequency-1",
        "frequency-2",
        "age-0",
        "age-1",
        "age-2",
        *(f"single-{n}" for n in range(4)),
        "alternate-0",
        "coordination",
        "household_deductible",
    }
    with pytest.raises(Problems, match="with that name"):
        save_plan(setup, ODILE, 0, 1, "harbor guild dental", True, "", FORM, 0)
    with pytest.raises(NotFound):
        save_plan(setup, ODILE, 999, 1, "Nothing", True, "", FORM, 0)


def test_a_plan_in_use_is_retired_not_deleted(setup: Desk) -> None:
    patient_id = add_patient(setup, 2)
    with pytest.raises(Conflict, match="1 coverage on file name this plan"):
        delete_plan(setup, ODILE, 2)
    retire_plan(setup, ODILE, 2, False)
    with pytest.raises(Problems, match="Choose a plan"):
        save(setup, add_patient(setup), plan_id="2", member_id="BW-5")
    save(setup, patient_id, scalar(setup, "SELECT id FROM coverage"), plan_id="2", member_id="BW-6")
    retire_plan(setup, ODILE, 2, True)
    number = save_plan(setup, ODILE, 0, 1, "Never used", True, "", FORM, 0)
    delete_plan(setup, ODILE, number)
    assert number not in setup.clinic.plans


def test_contract_fees_hold_by_plan_provider_network_and_day(setup: Desk) -> None:
    desk = setup
    visit_id = book_visit(desk, JUNO, order(add_patient(desk, 1), 1, kind="Filling"))
    service = next(s.id for s in desk.clinic.services.values() if s.code == "D2392")
    typed = PostedForm(
        name="Guild fees",
        network="in",
        from_day="2026-01-01",
        to_day="",
        payer_id="1",
        plan_id="1",
        provider_id="",
    )
    number = save_fees(desk, ODILE, 0, typed, {service: "250"})
    line = bill(desk, visit_id).estimates[0]
    assert (line.write_off, line.first, line.patient) == (
        3600,
        16000,
        9000,
    ) and "contract fee $250.00" in line.why
    payer = PostedForm(
        name="Harbor Guild Dental",
        electronic_id="HGD01",
        filing_days="365",
        kind="insurer",
        eligibility="auto",
        phone="",
    )
    save_payer(desk, ODILE, 1, payer, [1])
    outside = bill(desk, visit_id).estimates[0]
    assert (outside.write_off, outside.first) == (0, 18880)
    save_payer(desk, ODILE, 1, payer, [])
    save_fees(desk, ODILE, number, typed | {"to_day": "2026-06-30"}, {service: "250"})
    assert bill(desk, visit_id).estimates[0].write_off == 0
    end_schedule(desk, ODILE, number)
    assert all(s.id != number for s in desk.clinic.contracts.schedules)
    with pytest.raises(Problems) as wrong:
        save_fees(
            desk,
            ODILE,
            0,
            PostedForm(
                name="",
                network="up",
                from_day="2026-02-01",
                to_day="2026-01-01",
                payer_id="99",
                plan_id="3",
                provider_id="",
            ),
            {service: "-1"},
        )
    assert set(wrong.value.problems) == {"name", "network", "to_day", "payer_id", "plan_id", f"fee-{service}"}


def test_a_payer_needs_its_ids(setup: Desk) -> None:
    with pytest.raises(Problems) as wrong:
        save_payer(
            setup,
            ODILE,
            0,
            PostedForm(name="", electronic_id="HGD01", filing_days="0", kind="odd", eligibility="fax"),
            [],
        )
    assert set(wrong.value.problems) == {"name", "electronic_id", "filing_days", "kind", "eligibility"}
    typed = PostedForm(
        {
            "name": "Saltmarsh Health",
            "electronic_id": "slt01",
            "filing_days": "120",
            "kind": "public",
            "eligibility": "phone",
            "required-group": "yes",
        }
    )
    number = save_payer(setup, ODILE, 0, typed, [])
    payer = setup.clinic.payers[number]
    assert (payer.electronic_id, payer.required, payer.filing_indicator) == ("SLT01", ["group"], "MC")
    with setup.engine.connect() as connection:
        assert list(coverages_of(connection, [10**7])) == []

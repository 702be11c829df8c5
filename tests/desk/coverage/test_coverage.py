"""Coverages, plans, payers and fees against a real MariaDB: what is refused, what a correction touches, and
what the estimate makes of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, ODILE, SETUP, TODAY, add_patient, order, scalar, visit_at_checkout
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused, Stale
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.charges.charges import LineForm, change_line
from zax.desk.coverage.coverages import end_coverage, order_words, save_coverage, set_elsewhere
from zax.desk.coverage.plans import (
    PlanTermsForm,
    correct_plan,
    delete_plan,
    end_schedule,
    retire_plan,
    save_fees,
    save_payer,
    save_plan,
)
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.ledger import Bill, bill_of
from zax.desk.patients.household import join_household
from zax.store.book.queries import one_visit
from zax.store.coverage.queries import coverages_of, coverages_on, patients_with
from zax.web.shell.request_context import PostedForm

OWN = PostedForm(
    plan_id="1",
    rank="1",
    member_id="hg-1 22",
    group_number="G1",
    holder="self",
    relationship="",
    from_day="2026-01-01",
    to_day="",
)
OUTSIDE = OWN | {
    "holder": "outside",
    "relationship": "01",
    "holder_first": "Anselmo",
    "holder_last": "Vasquez",
    "holder_birth": "6/14/1990",
    "holder_street": "1 Pier Road",
}
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
TABLES = ("payer", "plan", "fee_schedule", "fee", "out_of_network", "setting")


@pytest.fixture
def book(desk: Desk) -> Iterator[Desk]:
    """A desk whose payers and plans are put back afterwards."""
    assert set(TABLES) <= SETUP
    with desk.engine.begin() as connection:
        kept = {t: [dict(r._mapping) for r in connection.execute(text(f"SELECT * FROM {t}"))] for t in TABLES}
    yield desk
    with desk.engine.begin() as connection:
        connection.execute(text("SET foreign_key_checks=0"))
        for table, rows in kept.items():
            connection.execute(text(f"DELETE FROM {table}"))
            for row in rows:
                names = ", ".join(f"`{n}`" for n in row)
                connection.execute(
                    text(f"INSERT INTO {table} ({names}) VALUES ({', '.join(f':{n}' for n in row)})"), row
                )
        connection.execute(text("SET foreign_key_checks=1"))


def save(desk: Desk, patient_id: int, coverage_id: int = 0, **changes: str) -> int:
    return save_coverage(desk, JUNO, patient_id, coverage_id, PostedForm(OWN | changes), None)


def bill(desk: Desk, visit_id: int) -> Bill:
    with desk.engine.connect() as connection:
        return bill_of(connection, desk.clinic, one_visit(connection, visit_id))


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
        Conflict, match="Harbor Guild Dental is the first dental coverage already, with no end"
    ):
        save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="2026-07-01")
    save(desk, patient_id, plan_id="4", member_id="CP-1")  # medical: another kind
    with pytest.raises(Conflict, match="first day after the other began"):
        save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="", end_other="yes")
    save(desk, patient_id, plan_id="2", member_id="BW-1", from_day="2026-07-01", end_other="yes")
    with desk.engine.connect() as connection:
        assert [c.plan_name for c in coverages_on(connection, patient_id, True, TODAY)] == [
            "Brightwater Family"
        ]
        assert [c.plan_name for c in coverages_on(connection, patient_id, True, date(2026, 6, 30))] == [
            "Harbor Guild Dental"
        ]
    end_coverage(
        desk, JUNO, patient_id, scalar(desk, "SELECT id FROM coverage WHERE plan_id = 2"), "2026-11-23"
    )
    with desk.engine.connect() as connection:
        assert coverages_on(connection, patient_id, True, TODAY) == []
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
        Problems, match="Mateo is covered through Helen, so Helen cannot be covered through Mateo"
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
    findings = scalar(desk, "SELECT findings FROM claim")
    assert "full address of the subscriber" in findings and "birth date of the subscriber" not in findings
    save(
        desk,
        patient_id,
        scalar(desk, "SELECT id FROM coverage"),
        **(
            OUTSIDE
            | {"holder_city": "Marrow Harbor", "holder_state": "WA", "holder_zip": "98201", "holder_sex": "M"}
        ),
    )
    from zax.desk.claims.claims import recheck

    assert recheck(desk, ODILE, scalar(desk, "SELECT id FROM claim"))
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


def test_what_is_used_counts_pending_claims_history_and_other_clinics(book: Desk) -> None:
    desk = book
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


def test_the_households_deductible_counts_everybody_on_the_plan(book: Desk) -> None:
    desk = book
    helen, rafael = add_patient(desk, 1), add_patient(desk, 1, first="Rafael")
    join_household(desk, JUNO, rafael, helen)
    plan = desk.clinic.plans[1]
    write_plan_as_biller(desk, plan.id, replace(plan.benefits, household_deductible_cents=6000))
    finish_checkout(desk, JUNO, visit_at_checkout(desk, helen, dental=True))
    estimate = bill(desk, visit_at_checkout(desk, rafael, dental=True, start="16:00")).estimates[0]
    assert estimate.deductible == 1000


def write_plan_as_biller(desk: Desk, plan_id: int, benefits: Any) -> None:
    from zax.desk.acts.act import in_transaction

    in_transaction(
        desk, ODILE, lambda tx: correct_plan(tx, plan_id, benefits, tx.clinic.plans[plan_id].version)
    )


def test_a_plan_is_made_corrected_for_everybody_and_read_back(book: Desk) -> None:
    desk = book
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


def test_every_wrong_field_of_a_plan_is_named(book: Desk) -> None:
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
        save_plan(book, ODILE, 0, 99, "x", True, "", wrong_form, 0)
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
    with pytest.raises(Problems, match="of that name already"):
        save_plan(book, ODILE, 0, 1, "harbor guild dental", True, "", FORM, 0)
    with pytest.raises(NotFound):
        save_plan(book, ODILE, 999, 1, "Nothing", True, "", FORM, 0)


def test_a_plan_in_use_is_retired_not_deleted(book: Desk) -> None:
    patient_id = add_patient(book, 2)
    with pytest.raises(Conflict, match="1 coverage on file name this plan"):
        delete_plan(book, ODILE, 2)
    retire_plan(book, ODILE, 2, False)
    with pytest.raises(Problems, match="Choose a plan"):
        save(book, add_patient(book), plan_id="2", member_id="BW-5")
    save(book, patient_id, scalar(book, "SELECT id FROM coverage"), plan_id="2", member_id="BW-6")
    retire_plan(book, ODILE, 2, True)
    number = save_plan(book, ODILE, 0, 1, "Never used", True, "", FORM, 0)
    delete_plan(book, ODILE, number)
    assert number not in book.clinic.plans


def test_contract_fees_hold_by_plan_provider_network_and_day(book: Desk) -> None:
    desk = book
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
    ) and "contract fee 250.00" in line.why
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


def test_a_payer_needs_its_ids(book: Desk) -> None:
    with pytest.raises(Problems) as wrong:
        save_payer(
            book,
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
    number = save_payer(book, ODILE, 0, typed, [])
    payer = book.clinic.payers[number]
    assert (payer.electronic_id, payer.required, payer.filing_indicator) == ("SLT01", ["group"], "MC")
    with book.engine.connect() as connection:
        assert list(coverages_of(connection, [10**7])) == []


def test_what_needs_authorization_is_paid_once_it_is_there(book: Desk) -> None:
    plan = book.clinic.plans[1]
    write_plan_as_biller(book, 1, replace(plan.benefits, needs_authorization=frozenset({"D2392"})))
    visit_id = visit_at_checkout(book, add_patient(book, 1), dental=True)
    assert bill(book, visit_id).estimates[0].why == "needs prior authorization"
    line = scalar(book, "SELECT id FROM charge_line")
    change_line(
        book,
        JUNO,
        visit_id,
        line,
        LineForm(units="1", tooth="14", surfaces="MO", billed=True, authorized=True),
    )
    assert bill(book, visit_id).estimates[0].first == 18880


def test_a_payer_that_wants_the_group_gets_no_claim_without(book: Desk) -> None:
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
    save_payer(book, ODILE, 1, typed, [])
    patient_id = add_patient(book, 1)
    with book.engine.begin() as connection:
        connection.execute(text("UPDATE coverage SET group_number = ''"))
    finish_checkout(book, JUNO, visit_at_checkout(book, patient_id, dental=True))
    assert "no claim without a group number" in scalar(book, "SELECT findings FROM claim")

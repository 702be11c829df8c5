"""A service brings what it usually comes with: at booking, when it is charged, by set, and onto the claim."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from sqlalchemy import delete, insert

from tests.conftest import JUNO, SAM, TODAY, add_patient, order
from zax.core.claims.carried import Carried
from zax.core.claims.claim import Claim, Form
from zax.core.errors import Problems, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.charges.charges import LineForm, add_line, change_line
from zax.desk.charges.diagnoses import add_diagnosis, remove_diagnosis
from zax.desk.claims.content import _of_visit, _usual_drug, parts_of
from zax.desk.claims.habits import ClaimHabitsForm, save_claim_habits
from zax.desk.money.ledger import bill_of
from zax.desk.moving.lists_out import list_lines
from zax.desk.moving.services import said_otherwise
from zax.desk.setup.services import ServiceForm, save_service
from zax.store import schema
from zax.store.book.queries import one_visit
from zax.store.money import queries as money
from zax.store.money.records import ServiceLine

USUAL = {
    "units": "2",
    "modifiers": "SL",
    "diagnosis": "Z23",
    "ndc": "12345-6789-01",
    "ndc_quantity": "0.5",
    "ndc_unit": "ML",
}


@pytest.fixture
def vaccine(setup: Desk) -> Iterator[int]:
    """The first medical service, as one that comes with all of it."""
    with setup.engine.begin() as connection:
        known = [{"code": "Z23", "words": "Immunization", "billable": True}]
        known.append({"code": "Z2", "words": "A heading", "billable": False})
        connection.execute(insert(schema.diagnosis_code).prefix_with("IGNORE"), known)
    yield save(setup)
    # The codes are many; whoever brings in all of them finds none of these.
    with setup.engine.begin() as connection:
        connection.execute(delete(schema.visit_diagnosis))
        connection.execute(
            delete(schema.diagnosis_code).where(schema.diagnosis_code.c.code.in_(("Z23", "Z2")))
        )


def save(desk: Desk, **changes: str) -> int:
    medical = (each for each in desk.clinic.services.values() if not each.dental)
    service = next(each for each in medical if each.offered(TODAY))
    form = ServiceForm.model_validate(
        {"words": service.words, "category": service.category, "fee": "50.00"} | USUAL | changes
    )
    return save_service(desk, SAM, service.id, form)


def of_visit(desk: Desk, visit: int) -> tuple[list[ServiceLine], list[str]]:
    with desk.engine.connect() as connection:
        lines = list(money.visit_lines(connection, visit))
        return lines, [row.code for row in money.visit_diagnoses(connection, visit)]


def test_a_line_starts_with_it_and_what_is_typed_comes_first(setup: Desk, vaccine: int) -> None:
    visit = book_visit(setup, JUNO, order(add_patient(setup)))
    before, _ = of_visit(setup, visit)
    first = add_line(setup, JUNO, visit, vaccine)
    second = add_line(setup, JUNO, visit, vaccine, LineForm(units="3", modifiers="59"))
    lines, diagnoses = of_visit(setup, visit)
    made = {each.id: each for each in lines}
    assert (made[first].units, made[first].modifiers, list(made[first].points_to)) == (2, "SL", ["Z23"])
    assert (made[second].units, made[second].modifiers) == (3, "59")
    assert diagnoses == ["Z23"] and len(lines) == len(before) + 2
    change_line(setup, JUNO, visit, first, LineForm(units="1", billed=True))
    assert {each.id: each.units for each in of_visit(setup, visit)[0]}[first] == 1


def test_a_booking_brings_it_for_what_its_type_does_and_what_was_added(setup: Desk, vaccine: int) -> None:
    visit = book_visit(setup, JUNO, order(add_patient(setup), also=(f"service:{vaccine}|||",)))
    lines, diagnoses = of_visit(setup, visit)
    (line,) = [each for each in lines if each.service_id == vaccine]
    assert (line.units, line.modifiers, list(line.points_to)) == (2, "SL", ["Z23"]) and diagnoses == ["Z23"]


def test_the_claim_says_the_drug_by_units(setup: Desk, vaccine: int) -> None:
    visit = book_visit(setup, JUNO, order(add_patient(setup)))
    line = add_line(setup, JUNO, visit, vaccine)
    (made,) = [each for each in of_visit(setup, visit)[0] if each.id == line]
    drug = _usual_drug(setup.clinic, made)
    assert drug is not None and (drug.ndc, drug.quantity, drug.unit) == ("12345678901", "1", "ML")


def medical_visit(desk: Desk) -> int:
    """One that also has the first medical service, as it comes."""
    first = next(each for each in desk.clinic.services.values() if not each.dental and each.offered(TODAY))
    return book_visit(desk, JUNO, order(add_patient(desk, plan_id=4), also=(f"service:{first.id}|||",)))


def of_claims(desk: Desk, visit: int) -> list[Claim]:
    """What finishing the visit would make."""
    with desk.engine.connect() as connection:
        row = one_visit(connection, visit)
        assert row is not None
        bill = bill_of(connection, desk.clinic, row)
        assert bill.coverage is not None
        return [
            _of_visit(connection, desk.clinic, row, bill.coverage, part, Carried())
            for part in parts_of(connection, desk.clinic, row, bill)
        ]


def test_a_lab_test_of_ours_goes_under_our_clia_number_and_nothing_else_does(setup: Desk) -> None:
    save_claim_habits(setup, SAM, ClaimHabitsForm(clia="06D1234567"))
    visit = medical_visit(setup)
    (claim,) = of_claims(setup, visit)
    assert claim.form is Form.PROFESSIONAL and claim.clia == ""
    save(setup, lab="yes", diagnosis="")
    (claim,) = of_claims(setup, visit)
    assert claim.clia == "06D1234567"


def test_a_service_of_another_specialty_goes_on_a_claim_of_its_own(setup: Desk) -> None:
    visit = medical_visit(setup)
    (before,) = of_claims(setup, visit)
    save(setup, taxonomy="2084P0800X", diagnosis="")
    after = of_claims(setup, visit)
    own = {each.clinician.taxonomy: len(each.lines) for each in after if each.clinician}
    assert before.clinician is not None and len(before.lines) == sum(own.values())
    assert own["2084P0800X"] == 1 and set(own) == {"2084P0800X", before.clinician.taxonomy}
    assert sum(each.cents for each in after) == before.cents


def test_what_cannot_be_billed_is_refused_and_lists_carry_it(setup: Desk, vaccine: int) -> None:
    for code in ("Z2", "Z99.9X"):
        with pytest.raises((Refused, Problems)) as refused:
            save(setup, diagnosis=code)
        assert "diagnosis" in refused.value.problems
    with setup.engine.connect() as connection:
        text = "".join(list_lines(connection, setup.clinic, "services", TODAY))
    assert "Usual diagnosis" in text and "12345678901" in text


def test_it_comes_also_after_a_diagnosis_in_front_was_taken_away(setup: Desk, vaccine: int) -> None:
    visit = book_visit(setup, JUNO, order(add_patient(setup)))
    for code in ("J02.9", "R05.1"):
        add_diagnosis(setup, JUNO, visit, code)
    remove_diagnosis(setup, JUNO, visit, "J02.9")
    line = add_line(setup, JUNO, visit, vaccine)
    lines, diagnoses = of_visit(setup, visit)
    assert diagnoses == ["R05.1", "Z23"]
    assert {each.id: list(each.points_to) for each in lines}[line] == ["Z23"]


def test_a_list_that_says_the_same_in_another_way_changes_nothing(setup: Desk, vaccine: int) -> None:
    service = setup.clinic.services[vaccine]
    form = ServiceForm.model_validate(
        {"words": service.words, "category": service.category, "fee": "50.00"}
        | USUAL
        | {"modifiers": " sl ", "diagnosis": "z23"}
    )
    assert said_otherwise(service, form) == []
    assert said_otherwise(service, form.model_copy(update={"units": "3"})) == ["usual units 2 → 3"]

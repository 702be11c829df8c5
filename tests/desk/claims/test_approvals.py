"""What a payer approved goes on the claims it fits, is used up by them, and is said when it is; against a
real MariaDB.
"""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import pytest

from tests.conftest import JUNO, ODILE, TODAY, add_patient, scalar, visit_at_checkout
from tests.desk.claims.test_copying_claims import MONDAY
from tests.desk.claims.test_working_claims import abouts, spoil, state
from zax.core.errors import NotFound, Problems
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claims import recheck
from zax.desk.claims.copying import CopyForm, copy_claim
from zax.desk.claims.fixing import carry_subject
from zax.desk.coverage.approvals import ApprovalForm, add_approval, approvals_shown, end_approval
from zax.desk.day.checkout import finish_checkout, take_checkout_back


def approved(desk: Desk, patient: int, **more: Any) -> int:
    coverage = scalar(desk, "SELECT id FROM coverage WHERE patient_id = :id", id=patient)
    typed = {"coverage_id": coverage, "number": "A-1", "codes": "D23*", "units": "2"} | more
    return add_approval(desk, JUNO, patient, ApprovalForm(**typed))


def billed(desk: Desk, patient: int) -> int:
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    return int(scalar(desk, "SELECT MAX(id) FROM claim"))


def number_on(desk: Desk, claim: int) -> str:
    found = scalar(desk, "SELECT JSON_VALUE(carried, '$.authorization') FROM claim WHERE id = :id", id=claim)
    return str(found or "")


def used(desk: Desk, patient: int) -> list[tuple[str, int, int | None]]:
    with desk.engine.connect() as connection:
        return [(each.approval.number, each.used, each.left) for each in approvals_shown(connection, patient)]


def test_the_one_that_fits_goes_on_the_claim_and_is_used_up_by_its_copies(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    approved(desk, patient)
    claim = billed(desk, patient)
    assert number_on(desk, claim) == "A-1" and used(desk, patient) == [("A-1", 1, 1)]
    made = copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY, times=2))
    assert used(desk, patient) == [("A-1", 3, 0)]
    # Who came first has it.
    assert recheck(desk, ODILE, made.claims[0])
    assert not recheck(desk, ODILE, made.claims[1])
    assert "authorization" in abouts(desk, made.claims[1])


def test_a_copy_keeps_the_approval_that_came_on_file_since(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    claim = billed(desk, patient)
    approved(desk, patient)
    assert number_on(desk, claim) == ""
    (copy,) = copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY)).claims
    assert number_on(desk, copy) == "A-1"
    # What was typed on the earlier claim goes along before what is on file.
    carry_subject(desk, ODILE, claim, "authorization", {"authorization": "AUTH-7"})
    (other,) = copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY + timedelta(1))).claims
    assert number_on(desk, other) == "AUTH-7"


def test_what_was_taken_back_is_not_used(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    approved(desk, patient)
    claim = billed(desk, patient)
    visit = scalar(desk, "SELECT visit_id FROM claim WHERE id = :id", id=claim)
    take_checkout_back(desk, JUNO, visit, "once more")
    assert used(desk, patient) == [("A-1", 0, 2)]
    finish_checkout(desk, JUNO, visit)
    assert used(desk, patient) == [("A-1", 1, 1)]


@pytest.mark.parametrize(
    "more",
    [
        {"codes": "D27*"},
        {"from_day": "2027-01-01"},
        {"to_day": "2026-01-31"},
        {"kind": "referral", "codes": "D0*"},
    ],
)
def test_what_does_not_fit_stays_off_the_claim(desk: Desk, more: dict[str, str]) -> None:
    patient = add_patient(desk, 1)
    approved(desk, patient, **more)
    assert number_on(desk, billed(desk, patient)) == ""


def test_of_two_that_fit_a_person_says_which(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    approved(desk, patient)
    other = approved(desk, patient, number="A-2")
    claim = billed(desk, patient)
    assert number_on(desk, claim) == ""
    carry_subject(desk, ODILE, claim, "authorization", {"authorization": "A-2"})
    assert sorted(used(desk, patient)) == [("A-1", 0, 2), ("A-2", 1, 1)]
    assert end_approval(desk, JUNO, other) == patient
    assert number_on(desk, claim) == "A-2"


def test_a_plan_that_approves_beforehand_holds_the_claim_without_its_number(desk: Desk) -> None:
    """Kills: the plan's list of services to be approved, known to the estimate and not to the checks."""
    patient = add_patient(desk, 5)
    visit = visit_at_checkout(desk, patient, dental=True)
    spoil(desk, "UPDATE charge_line SET service_id = (SELECT id FROM service WHERE code = 'D2750')")
    finish_checkout(desk, JUNO, visit)
    claim = int(scalar(desk, "SELECT MAX(id) FROM claim"))
    assert state(desk, claim) == "held_back" and "authorization" in abouts(desk, claim)


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"number": " "}, "number"),
        ({"number": "x" * 51}, "number"),
        ({"codes": "D27-40"}, "codes"),
        ({"units": "0"}, "units"),
        ({"units": "many"}, "units"),
        ({"from_day": "2026-02-01", "to_day": "2026-01-01"}, "to_day"),
        ({"kind": "wish"}, "kind"),
        ({"coverage_id": 9999}, "coverage_id"),
        ({"note": "x" * 201}, "note"),
    ],
)
def test_what_is_wrong_is_said_at_its_field(desk: Desk, more: dict[str, Any], field: str) -> None:
    patient = add_patient(desk, 1)
    with pytest.raises(Problems) as wrong:
        approved(desk, patient, **more)
    assert set(wrong.value.problems) == {field}
    approved(desk, patient)
    with pytest.raises(Problems, match="already"):
        approved(desk, patient)
    with pytest.raises(NotFound):
        end_approval(desk, JUNO, 9999)
    assert date(2026, 1, 1) < TODAY

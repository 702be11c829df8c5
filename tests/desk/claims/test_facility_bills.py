"""A payer that wants facility bills gets them: from the charges of a visit, what is missing fixed in place,
valid by an independent reader; against a real MariaDB.
"""

from __future__ import annotations

import pytest

from tests.conftest import ODILE, TODAY
from tests.desk.claims.test_answers_before_payment import valid_by_pyx12
from tests.desk.claims.test_working_claims import abouts, finished, sent_text, state
from zax.core.claims.claim import Form
from zax.core.errors import Refused
from zax.core.x12.claim_reading import claim_in
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.fixing import carry_subject, fix
from zax.desk.claims.sending import send_ready
from zax.desk.coverage.plans import save_payer

COPPERLINE = {
    "name": "Copperline Health",
    "electronic_id": "CPL01",
    "filing_days": "180",
    "kind": "insurer",
    "eligibility": "auto",
}


@pytest.fixture
def claim(setup: Desk) -> int:
    """Of a medical visit with a payer that wants a facility's bill."""
    save_payer(setup, ODILE, 4, COPPERLINE | {"required-facility": "yes"}, [])
    return finished(setup, dental=False, plan_id=4)


def test_medical_work_goes_on_a_facility_bill_and_is_fixed_in_place(desk: Desk, claim: int) -> None:
    assert state(desk, claim) == "held_back"
    assert {"bill_type", "lines.1.revenue", "admission.discharge_status"} <= set(abouts(desk, claim))
    for typed, field in (("51", "revenue"), ("O510", "revenue")):
        with pytest.raises(Refused) as wrong:
            fix(desk, ODILE, claim, "lines.1.revenue", {"revenue": typed})
        assert set(wrong.value.problems) == {field}
    with pytest.raises(Refused, match="ends before"):
        fix(desk, ODILE, claim, "statement", {"first": "2026-11-24", "last": "2026-11-23"})
    fix(desk, ODILE, claim, "bill_type", {"bill_type": "73"})
    fix(desk, ODILE, claim, "lines.1.revenue", {"revenue": "0510"})
    assert fix(desk, ODILE, claim, "admission.discharge_status", {"discharge_status": "01"})
    assert send_ready(desk, ODILE).claims == 1
    text = sent_text(desk)
    assert valid_by_pyx12(text)
    sent = claim_in(text, f"C{claim:06d}")
    assert sent is not None and sent.form is Form.INSTITUTIONAL
    assert (sent.bill_type, sent.lines[0].revenue) == ("73", "0510")
    assert sent.attending is not None and sent.attending.last == "ABERNATHY"
    assert sent.stay is not None and (sent.stay.first, sent.stay.discharge_status) == (TODAY, "01")


def test_its_codes_are_typed_and_its_period_begins_as_the_visits_own(desk: Desk, claim: int) -> None:
    carry_subject(
        desk,
        ODILE,
        claim,
        "bill-codes",
        {
            "stay-occurrences": "11 11/20/2026, A3 11/21/2026",
            "stay-values": "80 3.00",
            "stay-conditions": "44",
        },
    )
    with desk.engine.connect() as connection:
        shown = claim_page(connection, desk.clinic, claim, TODAY)
    stay = shown.claim.stay
    assert stay is not None and stay.first == TODAY
    assert [each.code for each in stay.occurrences] == ["11", "A3"] and stay.values[0].cents == 300
    said = {part.subject.key: part.said for part in shown.parts}
    assert said["bill-codes"] == "11 11/20/2026, A3 11/21/2026, 80 3.00, 44"
    stay_part = next(part for part in shown.parts if part.subject.key == "stay")
    assert stay_part.values["stay-first"] == TODAY.isoformat()

"""What a claim will lack is said before there is one: at booking what can be known then, with the charges the
rest; against a real MariaDB.
"""

from __future__ import annotations

from tests.conftest import JUNO, add_patient, book_visit, order, scalar
from tests.desk.acting import in_room
from zax.desk.acts.transaction import Desk
from zax.desk.charges.diagnoses import add_diagnosis
from zax.desk.charges.finishing import ready_for_checkout
from zax.desk.claims.bill_ready import BillReady, bill_ready
from zax.desk.day.checkout import finish_checkout
from zax.store.book.queries import one_visit


def ready(desk: Desk, visit_id: int) -> BillReady | None:
    with desk.engine.connect() as connection:
        visit = one_visit(connection, visit_id)
        assert visit is not None
        return bill_ready(connection, desk.clinic, visit, desk.clock.now())


def abouts(found: BillReady | None) -> set[str]:
    assert found is not None
    return {each.about for each in found.findings}


def test_at_booking_what_is_missing_about_the_patient_is_said_and_nothing_that_comes_later(
    desk: Desk,
) -> None:
    patient = add_patient(desk, 4, street="", city="")
    visit = book_visit(desk, JUNO, order(patient, 5, "14:00", "Sick visit"))
    found = ready(desk, visit)
    assert abouts(found) == {"patient.address"}
    assert found is not None and not found.whole and found.cents > 0


def test_with_the_charges_everything_is_said_until_the_claim_is_ready(desk: Desk) -> None:
    visit = in_room(desk, add_patient(desk, 4))
    found = ready(desk, visit)
    assert "diagnoses" in abouts(found) and found is not None and found.whole
    add_diagnosis(desk, JUNO, visit, "J02.9")
    assert abouts(ready(desk, visit)) == set()
    ready_for_checkout(desk, JUNO, visit)
    assert abouts(ready(desk, visit)) == set()
    finish_checkout(desk, JUNO, visit)
    assert ready(desk, visit) is None
    assert scalar(desk, "SELECT state FROM claim WHERE visit_id = :id", id=visit) == "ready"


def test_without_a_plan_there_is_nothing_to_say(desk: Desk) -> None:
    assert ready(desk, in_room(desk, add_patient(desk))) is None

"""Work done elsewhere becomes a claim without a visit on the Book, and a claim is made again for other days;
against a real MariaDB.
"""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import date, timedelta
from typing import Any

import pytest

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, book_visit, order, scalar
from tests.desk.acting import lines, nothing_is_wrong
from tests.desk.claims.test_working_claims import finished, spoil, state
from zax.core.book.cancellation import Attendance
from zax.core.errors import NotAllowed, NotFound, Problems, Refused
from zax.demo.world import SERVICE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.charges.afterwards import WorkForm, enter_work
from zax.desk.charges.charges import LineForm, add_line
from zax.desk.claims.copying import CopyForm, copy_claim
from zax.desk.claims.fixing import carry_subject
from zax.desk.claims.habits import ClaimHabitsForm, save_claim_habits
from zax.desk.day.checkout import finish_checkout
from zax.store.book.queries import day_visits
from zax.store.claims.claims import events_of
from zax.store.patients.attendance import attendance_of

MONDAY = date(2026, 11, 2)


def work(day: date = MONDAY, **more: Any) -> WorkForm:
    return WorkForm(**({"day": day, "provider_id": 1, "site_id": 1, "key": ""} | more))


def on_the_book(desk: Desk, day: date) -> list[int]:
    with desk.engine.connect() as connection:
        return [each.id for each in day_visits(connection, day, 1)]


def last_event(desk: Desk, claim: int) -> str:
    with desk.engine.connect() as connection:
        said = [each.words for each in events_of(connection, claim)]
    return next(words for words in said if words.startswith("Copied"))


def test_work_done_elsewhere_is_charged_and_billed_without_a_visit_on_the_book(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    visit = enter_work(desk, ODILE, patient, work())
    assert on_the_book(desk, MONDAY) == []
    add_line(desk, ODILE, visit, SERVICE_ID["D1110"])
    finish_checkout(desk, ODILE, visit)
    claim = scalar(desk, "SELECT id FROM claim WHERE visit_id = :id", id=visit)
    assert state(desk, claim) == "ready"
    assert scalar(desk, "SELECT SUM(patient_cents + insurer_cents) FROM journal") > 0
    with desk.engine.connect() as connection:
        assert attendance_of(connection, patient) == Attendance()
    nothing_is_wrong(desk, visit)


def test_it_takes_nobodys_time(desk: Desk) -> None:
    """Kills: work entered for today that keeps anybody or any room from being booked."""
    enter_work(desk, ODILE, add_patient(desk, 1), work(TODAY))
    assert book_visit(desk, JUNO, order(add_patient(desk, 1, first="Ana"), 1, "14:00", "Filling"))


def test_pressed_twice_it_is_one_visit(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    assert len({enter_work(desk, ODILE, patient, work(key="k1")) for _ in range(2)}) == 1


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"day": TODAY + timedelta(days=1)}, "day"),
        ({"day": date(2015, 1, 1)}, "day"),
        ({"provider_id": 99}, "provider_id"),
        ({"site_id": 99}, "site_id"),
    ],
)
def test_what_cannot_be_is_said_at_its_field(desk: Desk, changes: dict[str, Any], field: str) -> None:
    with pytest.raises(Refused) as wrong:
        enter_work(desk, ODILE, add_patient(desk), work(**changes))
    assert set(wrong.value.problems) == {field}
    with pytest.raises(NotFound):
        enter_work(desk, ODILE, 9999, work())
    with pytest.raises(NotAllowed):
        enter_work(desk, JUNO, 1, work())


def test_a_claim_again_each_week_is_charged_at_todays_fee_and_says_what_stayed(desk: Desk) -> None:
    claim = finished(desk)
    carry_subject(desk, ODILE, claim, "authorization", {"authorization": "AUTH-7"})
    spoil(desk, "UPDATE charge_line SET fee_cents = 20000")
    made = copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY, every=1, times=3))
    assert len(made.claims) == 3 and made.left_behind == ("the earlier fee of D2392: it is $286.00 now",)
    days = [scalar(desk, "SELECT day FROM visit WHERE id = :id", id=each) for each in made.visits]
    assert days == [MONDAY, MONDAY + timedelta(7), MONDAY + timedelta(14)]
    for visit, each in zip(made.visits, made.claims, strict=True):
        (line,) = lines(desk, visit)
        assert (line.tooth, line.surfaces, line.fee_cents) == ("14", "MO", 28_600)
        assert "AUTH-7" in str(scalar(desk, "SELECT carried FROM claim WHERE id = :id", id=each))
        assert "Not carried over: the earlier fee" in last_event(desk, each)
    assert on_the_book(desk, MONDAY) == []
    nothing_is_wrong(desk, visit)


def test_what_is_charged_that_day_is_never_charged_again(desk: Desk) -> None:
    claim = finished(desk)
    copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY))
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    for form in (CopyForm(day=MONDAY), CopyForm(day=MONDAY - timedelta(7), times=2), CopyForm(day=TODAY)):
        with pytest.raises(Refused, match="charged for .* already"):
            copy_claim(desk, ODILE, claim, form)
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before
    with pytest.raises(Refused, match="still to come"):
        copy_claim(desk, ODILE, claim, CopyForm(day=TODAY - timedelta(1), times=2))
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before
    for wrong in ({"times": 0}, {"times": 99}, {"every": 0}):
        with pytest.raises((Refused, Problems)):
            copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY, **wrong))


def test_a_day_without_the_plan_is_charged_to_the_patient_and_says_so(desk: Desk) -> None:
    claim = finished(desk)
    made = copy_claim(desk, ODILE, claim, CopyForm(day=date(2024, 3, 4)))
    assert made.claims == () and any("none pays" in each for each in made.left_behind)
    assert scalar(desk, "SELECT SUM(insurer_cents) FROM journal WHERE visit_id = :id", id=made.visits[0]) == 0


def test_a_service_that_is_not_used_anymore_stays_behind(desk: Desk) -> None:
    visit = enter_work(desk, ODILE, add_patient(desk, 1), work(TODAY))
    for code in ("D1110", "D0274"):
        add_line(desk, ODILE, visit, SERVICE_ID[code], LineForm())
    finish_checkout(desk, ODILE, visit)
    claim = scalar(desk, "SELECT id FROM claim WHERE visit_id = :id", id=visit)
    service = desk.clinic.services[SERVICE_ID["D0274"]]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(type(service), "offered", lambda self, day: self.code != "D0274")
        made = copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY))
    assert made.left_behind == ("D0274, which isn’t used anymore",)
    assert [desk.clinic.services[each.service_id].code for each in lines(desk, made.visits[0])] == ["D1110"]


def test_work_of_long_ago_gets_its_claim_although_claims_are_made_in_the_evening(setup: Desk) -> None:
    """Kills: the evening that looks back two weeks and never finds what was entered for last month."""
    save_claim_habits(setup, SAM, ClaimHabitsForm(made="evening"))
    visit = enter_work(setup, ODILE, add_patient(setup, 1), work(date(2026, 9, 1)))
    add_line(setup, ODILE, visit, SERVICE_ID["D1110"])
    finish_checkout(setup, ODILE, visit)
    assert scalar(setup, "SELECT state FROM claim WHERE visit_id = :id", id=visit) == "ready"


def test_of_four_who_copy_to_one_day_at_once_one_does(desk: Desk) -> None:
    claim, together = finished(desk), threading.Barrier(4)

    def one(_: int) -> int:
        together.wait()
        try:
            return len(copy_claim(desk, ODILE, claim, CopyForm(day=MONDAY)).claims)
        except Refused:
            return 0

    with ThreadPoolExecutor(4) as pool:
        assert sorted(pool.map(one, range(4))) == [0, 0, 0, 1]
    assert scalar(desk, "SELECT COUNT(*) FROM visit WHERE minutes = 0") == 1

"""Learning who may not come from the database's past, once a night through the worker, and saying it of the
visits to come: on the sheet and first on the call sheet.
"""

from __future__ import annotations

import random
from datetime import datetime, timedelta

from sqlalchemy import insert

from tests.conftest import JUNO, TODAY, add_patient, at, order, scalar
from zax.clock import ShiftedClock
from zax.core.followup.call_sheet import Why
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.check_in import check_in
from zax.desk.book.booking import book_visit
from zax.desk.clinic.clinic import load
from zax.desk.followup.calls import call_sheet
from zax.desk.followup.missing import SETTING, learn_missing, model_of, past_cases, risks_of
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store import schema
from zax.web.money.documents import receipt_pdf

TOMORROW = TODAY + timedelta(days=1)


def past(desk: Desk, patients: dict[int, float], each: int = 12) -> None:
    """Visits of the last months: who has which chance of missing one."""
    dice = random.Random(7)
    rows = []
    for number, (patient, chance) in enumerate(patients.items()):
        for n in range(each):
            day = TODAY - timedelta(days=7 + 25 * n + number % 25)
            rows.append(
                {
                    "site_id": 1,
                    "patient_id": patient,
                    "provider_id": 1,
                    "room_id": 1,
                    "type_id": TYPE_ID["Filling"],
                    "day": day,
                    "start_min": 600,
                    "minutes": 40,
                    "state": "missed" if dice.random() < chance else "left",
                    "made_at": datetime(day.year, day.month, day.day) - timedelta(days=20),
                }
            )
    with desk.engine.begin() as connection:
        connection.execute(insert(schema.visit), rows)


def learn(desk: Desk) -> tuple[int, int]:
    """A clinic that has learned: somebody who misses half of their visits, and somebody who never does."""
    often, never = add_patient(desk, first="Often"), add_patient(desk, first="Never")
    people = {often: 0.5, never: 0.0}
    people |= {add_patient(desk, first=f"P{n}"): (0.4 if n % 8 == 0 else 0.02) for n in range(58)}
    past(desk, people)
    assert learn_missing(desk) == 60 * 12
    return often, never


def risk(desk: Desk, visit: int) -> int:
    with desk.engine.connect() as connection:
        found = risks_of(connection, load(connection), [visit], desk.clock.now()).get(visit)
    return found.percent if found else 0


def test_it_is_learned_and_said_of_visits_to_come(desk: Desk) -> None:
    often, never = learn(desk)
    model = model_of(desk.clinic)
    assert model is not None and model.helps and 0.03 < model.base < 0.2
    risky = book_visit(desk, JUNO, order(often, 1, "10:00", "Filling", day=TOMORROW))
    safe = book_visit(desk, JUNO, order(never, 1, "14:00", "Filling", day=TOMORROW))
    assert risk(desk, risky) >= 20 and risk(desk, safe) == 0
    assert risk(desk, 99_999) == 0
    here = book_visit(desk, JUNO, order(often, 1, "14:00", "Filling"))
    assert risk(desk, here) >= 10
    check_in(desk, JUNO, here)
    assert risk(desk, here) == 0


def test_who_may_not_come_is_called_first(desk: Desk) -> None:
    often, never = learn(desk)
    for patient, start in ((never, "9:00"), (often, "14:00")):
        book_visit(desk, JUNO, order(patient, 1, start, "Filling", day=TOMORROW))
    with desk.engine.connect() as connection:
        rows = call_sheet(connection, load(connection), desk.clock.now()).rows
    assert [row.patient_id for row in rows] == [often, never]
    (reason,) = rows[0].reasons
    assert reason.why is Why.UNCONFIRMED and reason.risk >= 20 and rows[1].reasons[0].risk == 0


def test_the_worker_learns_once_a_night(desk: Desk, outside: Outside, clock: ShiftedClock) -> None:
    past(desk, {add_patient(desk, first=f"P{n}"): (0.5 if n % 6 == 0 else 0.03) for n in range(60)})
    for _ in range(3):
        run_once(desk, outside, receipt_pdf)
    version = scalar(desk, "SELECT value FROM setting WHERE name = 'setup_version'")
    first = model_of(desk.clinic)
    assert first is not None and first.fitted_on == TODAY
    clock.set_to(at(15, 0))
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT value FROM setting WHERE name = 'setup_version'") == version
    clock.set_to(at(3, 0, TOMORROW))
    run_once(desk, outside, receipt_pdf)
    again = model_of(desk.clinic)
    assert again is not None and again.fitted_on == TOMORROW


def test_with_too_little_past_nothing_is_said(desk: Desk) -> None:
    patient = add_patient(desk)
    past(desk, {patient: 1.0}, each=3)
    learn_missing(desk)
    assert model_of(desk.clinic) is None and desk.clinic.about[SETTING]["weights"] == []
    visit = book_visit(desk, JUNO, order(patient, 1, "10:00", "Filling", day=TOMORROW))
    assert risk(desk, visit) == 0


def test_a_past_visit_is_seen_as_it_was_known_before_it(desk: Desk) -> None:
    """What came later teaches nothing about it: neither its own outcome nor a confirmation after the look."""
    patient = add_patient(desk)
    past(desk, {patient: 1.0}, each=3)
    with desk.engine.connect() as connection:
        cases, missed = past_cases(connection, TODAY, desk.clinic.first_site.timezone)
    assert [(each.visits, each.missed) for each in cases] == [(0, 0), (1, 1), (2, 2)]
    assert missed == [True] * 3 and not any(each.confirmed for each in cases)
    assert all(1 <= each.days_ahead <= 14 <= each.lead_days for each in cases)

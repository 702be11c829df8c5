"""What the worker does with overdue returns by the clock: up one step at a time, each once, and never for one
that is booked.
"""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.conftest import INES, JUNO, SAM, add_patient, scalar
from tests.desk.followup.test_returns import asked, booked, make_old, one, words_of
from zax.clock import ShiftedClock
from zax.core.errors import Refused
from zax.core.followup.escalation import Rise, To
from zax.desk.acts.transaction import Desk
from zax.desk.followup.returns import change_due, hang_on
from zax.desk.followup.rising import RiseRule, keep_rise_rule, raise_overdue, rise_rule
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside


def work(desk: Desk, outside: Outside) -> None:
    run_once(desk, outside, lambda *_: b"")


def test_an_overdue_one_goes_to_a_person_then_the_clinician_then_a_letter(
    setup: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    number = asked(setup, add_patient(setup))
    seen = []
    for days, holder in ((2, None), (3, SAM.id), (7, INES.id), (14, INES.id), (300, INES.id)):
        make_old(setup, number, days)
        clock.set_to(clock.now() + timedelta(minutes=11))
        work(setup, outside)
        work(setup, outside)
        assert one(setup, number).holder_id == holder
        seen.append(one(setup, number).risen)
    assert seen == [0, 1, 2, 3, 3]
    assert [words for words in words_of(setup, number) if "goes to" in words] == [
        "3 days over and not booked: goes to a named person",
        "7 days over and not booked: goes to the clinician",
        "14 days over and not booked: goes to a letter",
    ]


def test_a_worker_that_slept_for_a_month_makes_up_for_it_at_once(desk: Desk) -> None:
    number = asked(desk, add_patient(desk))
    make_old(desk, number, 30)
    assert raise_overdue(desk) == 1 and raise_overdue(desk) == 0
    assert one(desk, number).risen == 3


def test_what_is_booked_or_in_time_stays_where_it_is_and_a_grave_one_goes_the_next_day(desk: Desk) -> None:
    patient = add_patient(desk)
    held, calm, urgent = asked(desk, patient), asked(desk, patient), asked(desk, patient, urgent=True)
    hang_on(desk, JUNO, held, booked(desk, patient))
    make_old(desk, held, 20), make_old(desk, calm, 1), make_old(desk, urgent, 1)
    assert raise_overdue(desk) == 1
    assert [one(desk, each).risen for each in (held, calm, urgent)] == [0, 0, 1]
    change_due(desk, INES, urgent, "3 weeks", "heals slowly")
    assert (one(desk, urgent).risen, one(desk, urgent).holder_id) == (0, None)


def test_the_clinics_own_steps_and_person(setup: Desk) -> None:
    own = RiseRule((Rise(1, To.PERSON), Rise(2, To.CLINICIAN), Rise(5, To.LETTER)), JUNO.id)
    keep_rise_rule(setup, SAM, own)
    assert rise_rule(setup.clinic) == own
    number = asked(setup, add_patient(setup))
    make_old(setup, number, 1)
    assert raise_overdue(setup) == 1 and one(setup, number).holder_id == JUNO.id
    with pytest.raises(Refused, match="later than"):
        keep_rise_rule(setup, SAM, RiseRule((Rise(3, To.PERSON), Rise(3, To.LETTER))))
    with pytest.raises(Refused, match="someone who signs in"):
        keep_rise_rule(setup, SAM, RiseRule((Rise(3, To.PERSON),), 999))
    assert scalar(setup, "SELECT COUNT(*) FROM return_event WHERE kind = 'rose'") == 1

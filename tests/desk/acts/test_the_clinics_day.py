"""Days are the clinic's, never UTC's, which begins while the clinic is still at work."""

from __future__ import annotations

import re
from datetime import date, timedelta
from pathlib import Path

import pytest

from tests.conftest import JUNO, SAM, TODAY, add_patient, at, scalar
from zax.clock import ShiftedClock
from zax.core.coverage.member import check_group_number
from zax.core.errors import Refused
from zax.desk.acts.act import in_transaction
from zax.desk.acts.transaction import Desk
from zax.desk.patients.notes import NoteForm, add_note

SOURCE = Path(__file__).parents[3] / "src" / "zax"
# `now` of these is the wall clock already.
WALL = {"cancellation.py", "eligibility.py", "placing.py"}
_OF_A_MOMENT = re.compile(r"\b(now|at|made_at|entered_at|clock\.now\(\))\.date\(\)")


def test_no_day_is_read_off_a_moment_in_utc() -> None:
    found = [
        f"{path.name}: {line.strip()}"
        for floor in ("desk", "web", "store")
        for path in (SOURCE / floor).rglob("*.py")
        for line in path.read_text().splitlines()
        if re.search(r"\b(now|at|made_at|entered_at|clock\.now\(\))\.date\(\)", line)
        and path.name not in WALL
    ]
    assert found == []


@pytest.fixture
def evening(clock: ShiftedClock) -> date:
    """9 at night: in UTC it is tomorrow."""
    clock.set_to(at(21))
    assert clock.now().date() == TODAY + timedelta(days=1)
    return TODAY


def test_a_note_may_end_this_evening(desk: Desk, evening: date) -> None:
    patient = add_patient(desk)
    add_note(desk, JUNO, patient, NoteForm(note="call back", until=evening.isoformat()))
    assert scalar(desk, "SELECT MAX(until_day) FROM patient_note") == evening
    with pytest.raises(Refused, match="That day is over"):
        yesterday = (evening - timedelta(days=1)).isoformat()
        add_note(desk, JUNO, patient, NoteForm(note="x", until=yesterday))


def test_the_clinics_day_is_that_of_its_wall_clock(desk: Desk, evening: date) -> None:
    assert in_transaction(desk, SAM, lambda tx: tx.clinic_day) == evening


@pytest.mark.parametrize("typed", ["x" * 31, "G*1", "G~1", "Gruppe ä", "a\x00b"])
def test_a_group_number_that_no_file_could_carry_is_refused(typed: str) -> None:
    with pytest.raises(Refused, match="group number"):
        check_group_number(typed)


def test_a_group_number_is_kept_as_on_the_card() -> None:
    assert [check_group_number(each) for each in ("", " g 104-a ", "0904")] == ["", "G 104-A", "0904"]

"""When claims are made and go out by themselves, through the worker by the clock; and every file that is kept
written out.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    add_patient,
    at,
    scalar,
    visit_at_checkout,
)
from tests.desk.claims.test_working_claims import finished, spoil, state
from tests.fakes import FakeClearinghouse
from zax.clock import ShiftedClock
from zax.core.claims.claim import Form
from zax.core.errors import NotAllowed, Problems, Refused
from zax.core.x12.syntax import read
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import remove_line
from zax.desk.claims.habits import ClaimHabitsForm, claim_habits, save_claim_habits
from zax.desk.claims.sending import send_ready
from zax.desk.claims.thread import correct_claim
from zax.desk.day.checkout import change_what_was_billed, finish_checkout, take_checkout_back
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.claims.files import every_file
from zax.web.money.documents import receipt_pdf


@pytest.fixture(autouse=True)
def as_usual(desk: Desk) -> Iterator[None]:
    """The clinic's setup outlives a test."""
    yield
    save_claim_habits(desk, SAM, ClaimHabitsForm())


def turn(desk: Desk, outside: Outside) -> None:
    """A round of the worker that looks at every duty."""
    spoil(desk, "DELETE FROM beat")
    run_once(desk, outside, receipt_pdf)


def count(desk: Desk) -> int:
    return int(scalar(desk, "SELECT COUNT(*) FROM claim WHERE state <> 'closed'"))


def test_claims_are_made_in_the_evening_and_go_out_by_themselves(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    save_claim_habits(desk, SAM, ClaimHabitsForm(made="evening", sent="evening", hour="18"))
    visit = visit_at_checkout(desk, add_patient(desk, 1), dental=True)
    finish_checkout(desk, JUNO, visit)
    turn(desk, outside)
    assert count(desk) == 0
    clock.set_to(at(17, 59))
    turn(desk, outside)
    assert count(desk) == 0
    clock.set_to(at(18, 1))
    turn(desk, outside)
    turn(desk, outside)
    assert count(desk) == 1 and scalar(desk, "SELECT state FROM claim") == "sent"
    assert isinstance(outside.clearinghouse, FakeClearinghouse) and len(outside.clearinghouse.delivered) == 1


def test_a_visit_whose_checkout_was_undone_gets_another_claim(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    claim = finished(desk)
    visit = scalar(desk, "SELECT visit_id FROM claim")
    take_checkout_back(desk, JUNO, visit, "one more")
    save_claim_habits(desk, SAM, ClaimHabitsForm(made="evening", hour="18"))
    finish_checkout(desk, JUNO, visit)
    clock.set_to(at(19))
    turn(desk, outside)
    assert state(desk, claim) == "closed" and count(desk) == 1
    assert scalar(desk, "SELECT state FROM claim ORDER BY id DESC LIMIT 1") == "ready"  # it goes by a key


@pytest.mark.parametrize(("emptied", "frequency"), [(False, "7"), (True, "8")])
def test_what_replaces_a_claim_is_made_in_the_evening_too(
    desk: Desk, outside: Outside, clock: ShiftedClock, emptied: bool, frequency: str
) -> None:
    claim = finished(desk)
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', payer_claim = 'HG-778', sent_at = NOW()")
    visit = scalar(desk, "SELECT visit_id FROM claim")
    change_what_was_billed(desk, ODILE, visit)
    if emptied:
        remove_line(desk, ODILE, visit, scalar(desk, "SELECT MIN(id) FROM charge_line"))
    save_claim_habits(desk, SAM, ClaimHabitsForm(made="evening", hour="18"))
    finish_checkout(desk, JUNO, visit)
    clock.set_to(at(19))
    turn(desk, outside)
    turn(desk, outside)
    assert count(desk) == 1
    assert scalar(desk, "SELECT frequency FROM claim WHERE follows_id = :id", id=claim) == frequency


def test_a_correction_that_was_withdrawn_is_made_in_the_evening_too(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    claim = finished(desk)
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', payer_claim = 'HG-778', sent_at = NOW()")
    correct_claim(desk, ODILE, claim)
    visit = scalar(desk, "SELECT visit_id FROM claim LIMIT 1")
    take_checkout_back(desk, JUNO, visit, "one more")
    save_claim_habits(desk, SAM, ClaimHabitsForm(made="evening", hour="18"))
    finish_checkout(desk, JUNO, visit)
    clock.set_to(at(19))
    turn(desk, outside)
    assert scalar(desk, "SELECT frequency FROM claim WHERE state = 'ready'") == "7"


def test_by_key_nothing_leaves_by_itself(desk: Desk, outside: Outside, clock: ShiftedClock) -> None:
    claim = finished(desk)
    clock.set_to(at(23))
    turn(desk, outside)
    assert state(desk, claim) == "ready"


def test_a_file_is_marked_as_a_test_only_where_the_door_is_set_to_it(desk: Desk) -> None:
    finished(desk)
    send_ready(desk, ODILE)
    save_claim_habits(desk, SAM, ClaimHabitsForm(mode="test", clia="06D1234567"))
    finished(desk, start="15:00", first="Iris")
    send_ready(desk, ODILE)
    with desk.engine.connect() as connection:
        files = list(every_file(connection))
    assert [each.text.split("*")[15] for each in files] == ["P", "T"]
    assert [read(each.text).controls[0] for each in files] == [f"{each.id:09d}" for each in files]


def test_habits_are_the_managers_and_are_checked(desk: Desk) -> None:
    with pytest.raises(NotAllowed):
        save_claim_habits(desk, JUNO, ClaimHabitsForm())
    with pytest.raises(Problems):
        ClaimHabitsForm(hour="25")
    with pytest.raises(Refused, match="ten characters"):
        save_claim_habits(desk, SAM, ClaimHabitsForm(clia="123"))
    with pytest.raises(Refused, match="Millimeters"):
        save_claim_habits(desk, SAM, ClaimHabitsForm(down_d="40"))


def test_what_a_printer_is_off_is_kept_for_each_form(desk: Desk) -> None:
    save_claim_habits(desk, SAM, ClaimHabitsForm(right_p="1.5", down_p="-2", down_i="3"))
    habits = claim_habits(desk.clinic)
    assert [habits.offset(form) for form in Form] == [(1.5, -2.0), (0.0, 0.0), (0.0, 3.0)]


def test_every_file_is_written_under_its_name(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from zax.cli import importing

    finished(desk)
    send_ready(desk, ODILE)
    for name, said in (("../a.999", "one"), ("a.999", "two")):
        spoil(
            desk,
            "INSERT INTO x12_file (direction, kind, name, digest, text, at) VALUES ('in', '999', :name,"
            " :said, :said, NOW())",
            name=name,
            said=said,
        )
    monkeypatch.setattr(importing, "desk_of", lambda _: desk)
    assert importing.export_x12(tmp_path / "out") == 0
    names = sorted(path.name for path in (tmp_path / "out").iterdir())
    assert len(names) == 3 and "a.999" in names and not (tmp_path / "a.999").exists()
    assert {path.read_text() for path in (tmp_path / "out").glob("a*")} == {"one", "two"}

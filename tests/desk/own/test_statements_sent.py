"""Statements by wish: no paper for who wants none, a notice with a link and nothing else, paper for what
nobody opened.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from tests.conftest import JUNO, SAM, add_patient, known_patient, rows_of, scalar, visit_at_checkout
from tests.desk.online.test_asking import PHONE, code
from tests.fakes import FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import NotFound
from zax.core.money.statement import Rule
from zax.desk.acts.transaction import Desk
from zax.desk.money.statements import carry_on, start_run
from zax.desk.notices.rules import habits_of, keep_habits
from zax.desk.online.habits import OnlineHabits, keep_online_habits
from zax.desk.own.signing_in import Own, finish, signed_in
from zax.desk.own.statements import (
    begin_by_link,
    own_statement,
    print_unopened,
    print_waiting,
    tell_of_statements,
)
from zax.desk.patients.details import set_reach
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore


@pytest.fixture(autouse=True)
def pages(desk: Desk) -> None:
    keep_online_habits(desk, SAM, OnlineHabits(runs=True))
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address="https://visits.example.org"))


@pytest.fixture
def helen(desk: Desk) -> int:
    number = known_patient(desk)
    visit_at_checkout(desk, number)
    set_reach(desk, JUNO, number, {"money": "text"}, 1)
    return number


def runs(desk: Desk, tmp_path: Path) -> None:
    run_id = start_run(desk, SAM, Rule(minimum=1, days=0))
    carry_on(desk, FileStore(tmp_path), lambda _, made: [b"%PDF-1.7" for _ in made], run_id, 30)


def one(desk: Desk) -> dict[str, object]:
    return rows_of(desk, "SELECT * FROM statement ORDER BY id LIMIT 1")[0]


def opens(desk: Desk) -> Own:
    number = begin_by_link(desk, PHONE, str(one(desk)["link"]), "en")
    found = signed_in(desk, PHONE, finish(desk, PHONE, number, code(desk)))
    assert found is not None
    return found


def test_who_wants_no_paper_gets_a_link_that_says_nothing(
    desk: Desk, outside: Outside, helen: int, tmp_path: Path
) -> None:
    runs(desk, tmp_path)
    assert one(desk)["way"] == "text" and print_waiting(desk, SAM) == []
    run_once(desk, outside, None)  # type: ignore[arg-type]
    run_once(desk, outside, None)  # type: ignore[arg-type]
    assert isinstance(outside.texts, FakeTexts)
    ((to, words),) = outside.texts.sent.values()
    assert to == "3605550148" and f"https://visits.example.org/my/s/{one(desk)['link']}" in words
    assert "$" not in words and "Sick" not in words and not any(ch.isdigit() for ch in words.split("http")[0])
    assert tell_of_statements(desk) == 0
    me = opens(desk)
    assert me.patient.id == helen
    own_statement(desk, me, int(str(one(desk)["id"])))
    assert one(desk)["opened_at"] is not None


def test_paper_by_default_and_printed_once(desk: Desk, tmp_path: Path) -> None:
    visit_at_checkout(desk, known_patient(desk))
    runs(desk, tmp_path)
    assert one(desk)["way"] == "paper" and tell_of_statements(desk) == 0
    assert len(print_waiting(desk, SAM)) == 1 and print_waiting(desk, SAM) == []


def test_what_nobody_opened_goes_on_paper_after_all(
    desk: Desk, helen: int, tmp_path: Path, clock: ShiftedClock
) -> None:
    runs(desk, tmp_path)
    assert tell_of_statements(desk) == 1 and print_unopened(desk) == 0
    clock.set_to(clock.now() + timedelta(days=7, minutes=1))
    assert print_unopened(desk) == 1 and print_unopened(desk) == 0
    assert [each.id for each in print_waiting(desk, SAM)] == [one(desk)["id"]]


def test_what_was_opened_in_time_stays_without_paper(
    desk: Desk, helen: int, tmp_path: Path, clock: ShiftedClock
) -> None:
    runs(desk, tmp_path)
    tell_of_statements(desk)
    own_statement(desk, opens(desk), int(str(one(desk)["id"])))
    clock.set_to(clock.now() + timedelta(days=30))
    assert print_unopened(desk) == 0


def test_who_can_t_be_reached_gets_paper_at_once(desk: Desk, helen: int, tmp_path: Path) -> None:
    runs(desk, tmp_path)
    keep_habits(desk, SAM, replace(habits_of(desk.clinic), address=""))
    tell_of_statements(desk)
    assert (one(desk)["way"], one(desk)["told_at"]) == ("paper", None)


def test_a_statement_is_opened_by_who_pays_for_the_household_alone(
    desk: Desk, helen: int, tmp_path: Path
) -> None:
    runs(desk, tmp_path)
    me, number = opens(desk), int(str(one(desk)["id"]))
    other = add_patient(desk, first="Otto", last="Berg")
    with desk.engine.connect() as connection:
        from zax.store.patients.patients import known_patient as patient_row

        stranger = patient_row(connection, other)
    for patient in (stranger, replace(me.patient, guarantor=False)):
        with pytest.raises(NotFound):
            own_statement(desk, replace(me, patient=patient), number)
    for link in ("", "nothing", "x" * 30):
        with pytest.raises(NotFound):
            begin_by_link(desk, PHONE, link, "en")
    assert scalar(desk, "SELECT COUNT(*) FROM statement WHERE opened_at IS NOT NULL") == 0

"""Asking payers: now and for everybody booked, answers kept as they came, verdicts on visits, and what a
biller takes over.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest
from sqlalchemy import text

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    minutes,
    order,
    scalar,
)
from tests.fakes import FakeCalls, FakeClearinghouse, FakeMail, FakeTerminal, FakeTexts
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.coverage.eligibility import (
    MOST_TRIES,
    HabitsForm,
    ask,
    ask_for_booked,
    cover_mark,
    habits_of,
    handled,
    mark_of,
    nightly,
    plan_differences,
    save_habits,
    take_over,
    take_over_used,
    used_elsewhere,
)
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, OutsideTrouble
from zax.standin.eligibility import GARBAGE, answer, read_question
from zax.store.coverage.checks import checks_to_mend as needs_a_person
from zax.store.coverage.checks import listed_batches
from zax.store.coverage.queries import day_states, one_coverage
from zax.store.listing import Wanted


class Payer(FakeClearinghouse):
    """Answers as the stand-in would, in the mode a test sets."""

    mode = "active"

    def ask(self, text: str) -> str:
        self.asked.append(text)
        if self.mode == "down":
            raise OutsideTrouble("The clearinghouse returned an error (503).")
        from datetime import UTC, datetime

        return answer(read_question(text), self.mode, len(self.asked), datetime(2026, 11, 24, tzinfo=UTC))


@pytest.fixture
def payer() -> Payer:
    return Payer()


@pytest.fixture
def plans(desk: Desk) -> Iterator[Desk]:
    """A desk whose plans and settings are put back."""
    with desk.engine.connect() as connection:
        kept = connection.execute(text("SELECT id, terms, version FROM plan")).all()
    yield desk
    with desk.engine.begin() as connection:
        for row in kept:
            connection.execute(
                text("UPDATE plan SET terms = :terms, version = :version WHERE id = :id"), row._asdict()
            )
        connection.execute(text("DELETE FROM setting WHERE name LIKE 'eligibility%'"))


def covered(desk: Desk, plan: int = 1, **changes: Any) -> tuple[int, int]:
    patient_id = add_patient(desk, plan, **changes)
    return patient_id, scalar(desk, "SELECT id FROM coverage WHERE patient_id = :id", id=patient_id)


def check(desk: Desk) -> Any:
    with desk.engine.connect() as connection:
        return connection.execute(text("SELECT * FROM eligibility_check ORDER BY id DESC LIMIT 1")).one()


def test_one_question_is_kept_with_its_answer_as_they_went(desk: Desk, payer: Payer) -> None:
    _, coverage_id = covered(desk)
    judged = ask(desk, JUNO, payer, coverage_id, TODAY)
    assert judged.state == "fine" and judged.words == "Active, Guild Dental."
    row = check(desk)
    assert (
        row.answer.startswith("ISA")
        and row.question == payer.asked[0]
        and f"TRN*1*{row.trace}*" in row.question
    )
    assert scalar(desk, "SELECT check_state FROM coverage") == "fine"


@pytest.mark.parametrize(
    ("mode", "state", "says"),
    [
        ("inactive", "problem", "ended on Aug 31, 2026"),
        ("not_found", "problem", "not found"),
        ("wrong_birth", "problem", "birth date"),
        ("other", "problem", "someone else (Barnaby Quillfeather)"),
        ("garbage", "failed", "can’t be read"),
        ("down", "failed", "503"),
    ],
)
def test_what_can_come_back(desk: Desk, payer: Payer, mode: str, state: str, says: str) -> None:
    _, coverage_id = covered(desk)
    payer.mode = mode
    judged = ask(desk, JUNO, payer, coverage_id, TODAY)
    assert judged.state == state and says in judged.words
    assert check(desk).answer is None if mode == "down" else check(desk).answer
    if mode == "garbage":
        assert check(desk).answer == GARBAGE


def test_a_failed_question_leaves_the_earlier_answer_on_file(
    desk: Desk, payer: Payer, clock: ShiftedClock
) -> None:
    _, coverage_id = covered(desk)
    ask(desk, JUNO, payer, coverage_id, TODAY)
    first = scalar(desk, "SELECT checked_at FROM coverage")
    clock.set_to(clock.now() + minutes(60))
    payer.mode = "down"
    ask(desk, JUNO, payer, coverage_id, TODAY)
    assert (
        scalar(desk, "SELECT checked_at FROM coverage") == first
        and scalar(desk, "SELECT check_state FROM coverage") == "failed"
    )
    assert scalar(desk, "SELECT COUNT(*) FROM eligibility_check") == 2


def test_what_cannot_be_asked(desk: Desk, payer: Payer) -> None:
    _, coverage_id = covered(desk)
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE coverage SET member_id = ''"))
    with pytest.raises(Refused, match="member ID first. Payers need it"):
        ask(desk, JUNO, payer, coverage_id, TODAY)
    with pytest.raises(NotFound):
        ask(desk, JUNO, payer, 10**7, TODAY)
    assert payer.asked == []


def test_a_dependent_is_asked_about_through_the_holder(desk: Desk, payer: Payer) -> None:
    helen, _ = covered(desk)
    _, coverage_id = covered(desk, first="Mateo")
    with desk.engine.begin() as connection:
        connection.execute(
            text("UPDATE coverage SET subscriber_id = :helen, relationship = '19' WHERE id = :id"),
            {"helen": helen, "id": coverage_id},
        )
    assert ask(desk, JUNO, payer, coverage_id, TODAY).state == "fine"
    assert "NM1*IL*1*VASQUEZ*HELEN" in payer.asked[0] and "NM1*03*1*VASQUEZ*MATEO" in payer.asked[0]


def test_the_night_asks_once_for_everybody_booked(desk: Desk, payer: Payer, clock: ShiftedClock) -> None:
    patient, coverage_id = covered(desk, 4)
    book_visit(desk, JUNO, order(patient))
    other, _ = covered(desk, 3, first="Rafael", phone="3605550150")
    book_visit(desk, JUNO, order(other, day=TODAY + timedelta(days=1), start="15:00"))
    far, _ = covered(desk, 4, first="Mateo", phone="3605550151")
    book_visit(desk, JUNO, order(far, day=TODAY + timedelta(days=7), start="16:00"))
    dental, _ = covered(desk, 1, first="Ana", phone="3605550152")
    book_visit(desk, JUNO, order(dental, start="15:30"))  # a medical visit, dental coverage
    outside = Outside(FakeTerminal(), payer, FakeMail(), FakeTexts(), FakeCalls())
    run_once(desk, outside, None)
    run_once(desk, outside, None)
    assert len(payer.asked) == 2 and nightly(desk) == 0
    with desk.engine.connect() as connection:
        (batch,) = listed_batches(connection, Wanted()).rows
        states = day_states(connection, TODAY, 1)
    assert (batch.total, batch.fine, batch.asking, batch.by_id) == (2, 2, 0, None)
    marks = {mark_of(desk.clinic, row, clock.now()) for row in states.values()}
    assert marks == {"fine", ""}
    clock.set_to(clock.now() + timedelta(days=8))
    assert {mark_of(desk.clinic, row, clock.now()) for row in states.values()} == {"unchecked", ""}
    assert cover_mark(desk.clinic, None, clock.now()) == "" and mark_of(desk.clinic, None, clock.now()) == ""


def test_before_the_set_hour_nobody_is_asked(desk: Desk, clock: ShiftedClock) -> None:
    patient, _ = covered(desk, 4)
    book_visit(desk, JUNO, order(patient))
    clock.set_to(clock.now() - minutes(60 * 8))
    assert nightly(desk) == 0 and scalar(desk, "SELECT COUNT(*) FROM eligibility_batch") == 0
    clock.set_to(clock.now() + minutes(60 * 4))
    assert nightly(desk) == 1


def test_a_payer_that_is_down_is_asked_again_and_then_given_to_a_person(
    desk: Desk, payer: Payer, clock: ShiftedClock
) -> None:
    patient, _ = covered(desk, 4)
    book_visit(desk, JUNO, order(patient))
    payer.mode = "down"
    outside = Outside(FakeTerminal(), payer, FakeMail(), FakeTexts(), FakeCalls())
    for _ in range(MOST_TRIES + 1):
        run_once(desk, outside, None)
        clock.set_to(clock.now() + minutes(11))
    assert len(payer.asked) == MOST_TRIES
    with desk.engine.connect() as connection:
        (row,) = needs_a_person(connection, TODAY)
    assert "Try again later, or call the payer." in row.words and row.first == "Helen"
    handled(desk, JUNO, row.id)
    with pytest.raises(Conflict):
        handled(desk, ODILE, row.id)
    with desk.engine.connect() as connection:
        assert needs_a_person(connection, TODAY) == []
    payer.mode = "active"
    assert ask_for_booked(desk, JUNO, 3, "by hand") == 1  # a failed one is not fresh
    assert ask_for_booked(desk, JUNO, 3, "by hand") == 0
    with pytest.raises(Refused):
        ask_for_booked(desk, JUNO, 99, "too far")


def test_a_biller_takes_over_what_the_payer_says(plans: Desk, payer: Payer) -> None:
    desk = plans
    _, coverage_id = covered(desk, 2)
    ask(desk, JUNO, payer, coverage_id, TODAY)
    row = check(desk)
    with desk.engine.connect() as connection:
        found = plan_differences(connection, desk.clinic, row)
    assert [(d.key, d.on_file, d.says) for d in found] == [
        ("percents.basic", "70 percent", "50 percent"),
        ("maximum_cents", "$2,000.00", "$1,500.00"),
    ]
    with pytest.raises(NotAllowed):
        take_over(desk, JUNO, row.id, "percents.basic")
    assert take_over(desk, ODILE, row.id, "percents.basic") == "Brightwater Family"
    assert desk.clinic.plans[2].benefits.percents["basic"] == 50
    with pytest.raises(Conflict, match="The plan already matches the response"):
        take_over(desk, ODILE, row.id, "percents.basic")
    with pytest.raises(NotFound):
        take_over(desk, ODILE, 10**7, "percents.basic")


def test_what_was_used_elsewhere_is_reckoned_with(desk: Desk, payer: Payer) -> None:
    _, coverage_id = covered(desk, 1)  # born on the 3rd: deductible met, 120 of the maximum used
    ask(desk, JUNO, payer, coverage_id, TODAY)
    row = check(desk)
    with desk.engine.connect() as connection:
        assert used_elsewhere(connection, desk.clinic, row) == (5000, 12000)
    take_over_used(desk, JUNO, row.id)
    with desk.engine.connect() as connection:
        kept = one_coverage(connection, coverage_id)
        assert kept is not None and (
            kept.elsewhere_deductible_cents,
            kept.elsewhere_paid_cents,
            kept.elsewhere_year,
        ) == (5000, 12000, 2026)
        assert used_elsewhere(connection, desk.clinic, row) is None
    with pytest.raises(Conflict):
        take_over_used(desk, JUNO, row.id)
    with pytest.raises(NotFound):
        take_over_used(desk, JUNO, 10**7)


def test_when_payers_are_asked_is_the_clinics_choice(plans: Desk) -> None:
    save_habits(plans, SAM, HabitsForm(hour="6", days="5", fresh_days="10"))
    assert (
        habits_of(plans.clinic).hour,
        habits_of(plans.clinic).days,
        habits_of(plans.clinic).fresh_days,
    ) == (
        6,
        5,
        10,
    )
    with pytest.raises(Problems) as wrong:
        save_habits(plans, SAM, HabitsForm(hour="25", days="x", fresh_days="0"))
    assert set(wrong.value.problems) == {"hour", "days", "fresh_days"} and habits_of(plans.clinic).hour == 6


def test_the_stand_in_answers_over_http(tmp_path: Path) -> None:
    from fastapi.testclient import TestClient

    from tests.conftest import free_port
    from zax.standin.app import create_app

    question = (
        "ISA*00*          *00*          "
        "*ZZ*JUNIPERQ       *ZZ*FERRYHUB       *261124*1842*^*00501*000000001*0*T*:~"
        "HL*1**20*1~"
        "NM1*PR*2*GUILD*****PI*HGD01~"
        "HL*3*2*22*0~"
        "TRN*1*T1*9X~"
        "NM1*IL*1*A*B****MI*{}~"
        "DMG*D8*19840503*F~"
    )
    with TestClient(create_app(tmp_path, free_port())) as client:
        fine = client.post("/clearinghouse/eligibility", content=question.format("HG-1"))
        assert fine.status_code == 200 and "EB*1*IND*35" in fine.text and "TRN*2*T1" in fine.text
        assert (
            client.post("/clearinghouse/eligibility", content=question.format("CP-44141")).status_code == 503
        )
        assert client.post("/clearinghouse/eligibility", content=question.format("NM-44145")).text == GARBAGE


def test_trouble_on_the_line_is_told_without_the_line(monkeypatch: pytest.MonkeyPatch) -> None:
    from zax.outside.adapters import HttpClearinghouse

    door = HttpClearinghouse("http://127.0.0.1:9")
    with pytest.raises(OutsideTrouble, match=r"The clearinghouse can’t be reached \(ConnectError\)"):
        door.ask("x")
    monkeypatch.setattr(
        door,
        "client",
        httpx.Client(transport=httpx.MockTransport(lambda request: httpx.Response(503)), base_url="http://x"),
    )
    with pytest.raises(OutsideTrouble, match=r"error \(503\)"):
        door.ask("x")

"""What the worker does by the clock and by the outbox, each shown through the worker itself on a database
where it is due.
"""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import (
    JUNO,
    ODILE,
    TODAY,
    add_patient,
    at,
    order,
    scalar,
    state_of,
    visit_at_checkout,
)
from tests.desk.paying import agrees, all_lines, items_of, pay
from tests.fakes import FakeClearinghouse, FakeMail, FakeTerminal
from tests.x12_samples import acknowledgement
from zax.clock import ShiftedClock
from zax.core.errors import Refused
from zax.core.money.statement import Rule
from zax.core.money.tender import TenderForm
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout
from zax.desk.money import statements
from zax.desk.money.payment_plans import PaymentPlanForm, make_plan
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.receipts import send_receipt
from zax.desk.money.statements import start_run
from zax.desk.moving.jobs import open_import, start_import
from zax.desk.worker import errands
from zax.desk.worker.tools import Lane, Tools
from zax.desk.worker.worker import run_once
from zax.outside.doors import Incoming, Outside, Sale
from zax.store.acts.outbox import Errand
from zax.store.files import FileStore
from zax.web.money.documents import receipt_pdf, statement_pdfs


@pytest.fixture
def files(tmp_path: Path) -> FileStore:
    return FileStore(tmp_path)


def work(desk: Desk, outside: Outside, files: FileStore | None = None) -> int:
    return run_once(desk, outside, receipt_pdf, files, statement_pdfs=statement_pdfs)


def owing(desk: Desk) -> int:
    """Somebody who owes 286.00 and left."""
    patient = add_patient(desk)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    return patient


def with_plan(desk: Desk, terminal: FakeTerminal) -> int:
    """Somebody with four installments on a card on file, the first due today; the patient."""
    patient = owing(desk)
    deposit = PayForm(tenders=[TenderForm("card", "1", keep_card=True)], items=[Item()], key="keep")
    take_payment(desk, JUNO, terminal, patient, deposit)
    card = scalar(desk, "SELECT MAX(id) FROM card_on_file")
    lines = [each.line_id for each in items_of(desk, patient).lines]
    form = PaymentPlanForm(
        lines=lines, amount="286", count="4", first=TODAY.isoformat(), every="month", card_id=card
    )
    make_plan(desk, JUNO, patient, form)
    terminal.asked.clear()
    return patient


def test_due_installments_are_charged_to_the_card_on_file(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    terminal = outside.terminal
    assert isinstance(terminal, FakeTerminal)
    patient = with_plan(desk, terminal)
    before = items_of(desk, patient).due
    work(desk, outside)
    assert [cents for _, cents in terminal.asked] == [7_150]
    work(desk, outside)
    clock.set_to(at(15))
    work(desk, outside)
    assert len(terminal.asked) == 1  # once a day, whoever looks
    clock.set_to(at(9, 0, TODAY + timedelta(days=30)))
    work(desk, outside)
    assert len(terminal.asked) == 2 and items_of(desk, patient).due == before - 14_300 and agrees(desk)


def test_the_night_asks_the_payers_about_everybody_booked(desk: Desk, outside: Outside) -> None:
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    book_visit(desk, JUNO, order(add_patient(desk, 4)))
    work(desk, outside)  # writes the questions down
    work(desk, outside)  # asks them
    assert len(house.asked) == 1 and house.asked[0].startswith("ISA")
    assert scalar(desk, "SELECT run_key FROM eligibility_batch") == f"night-{TODAY}"


def test_a_request_that_nobody_answered_in_time_frees_its_time(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    visit = book_visit(desk, JUNO, order(add_patient(desk), held_until=at(12)))
    clock.set_to(at(11, 59))
    work(desk, outside)
    assert state_of(desk, visit) == "held"
    clock.set_to(at(12, 1))
    assert work(desk, outside) == 1
    assert state_of(desk, visit) == "canceled"


def test_a_run_of_statements_and_an_import_are_carried_out(
    desk: Desk, outside: Outside, files: FileStore
) -> None:
    owing(desk)
    run = start_run(desk, ODILE, Rule())
    job = open_import(desk, ODILE, files, "patients", "list.csv", b"first,last,birth\nAna,Ruiz,1/1/1990\n")
    start_import(desk, ODILE, job, {"first": 0, "last": 1, "birth": 2}, False)
    work(desk, outside, files)
    assert scalar(desk, "SELECT state FROM statement_run WHERE id = :id", id=run) == "done"
    assert files.get(scalar(desk, "SELECT digest FROM statement")).startswith(b"%PDF")
    assert scalar(desk, "SELECT made FROM import_job") == 1


def test_claims_and_receipts_go_out_and_answers_come_in(
    desk: Desk, outside: Outside, files: FileStore
) -> None:
    house, mail = outside.clearinghouse, outside.mail
    assert isinstance(house, FakeClearinghouse) and isinstance(mail, FakeMail)
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True)
    pay(desk, patient, [Item(visit)], ("cash", "97.20"), receipt="email")
    finish_checkout(desk, JUNO, visit)
    send_ready(desk, ODILE)
    work(desk, outside, files)
    assert scalar(desk, "SELECT state FROM claim") == "sent" and len(house.delivered) == 1
    assert [message["To"] for message in mail.sent] == ["helen@example.org"]
    control = scalar(desk, "SELECT control FROM x12_file WHERE direction = 'out'")
    house.mailbox = [Incoming("1", "a.999", acknowledgement(control))]
    work(desk, outside, files)
    assert scalar(desk, "SELECT state FROM claim") == "accepted" and house.mailbox == []


def test_a_payment_that_got_no_answer_is_asked_about(
    desk: Desk, outside: Outside, clock: ShiftedClock
) -> None:
    terminal = outside.terminal
    assert isinstance(terminal, FakeTerminal)
    patient = owing(desk)
    terminal.answers.append(Sale(state="unknown", words="no response"))
    pay(desk, patient, all_lines(desk, patient), ("card", "286"), key="slow", terminal=terminal)
    terminal.later["slow-1"] = Sale(state="approved", words="", card_ending="4417", reference="T1")
    clock.set_to(at(11))
    work(desk, outside)
    assert items_of(desk, patient).due == 0 and agrees(desk)


def test_long_runs_have_a_lane_of_their_own_and_take_turns(
    desk: Desk, outside: Outside, files: FileStore, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Kills: a receipt that waits for statements, an import that waits for a run to end."""
    monkeypatch.setattr(errands, "SLICE_SECONDS", 0.0)
    monkeypatch.setattr(statements, "BATCH", 1)
    order: list[str] = []

    def noted(kind: str, real: Any) -> Any:
        def carry_out(tools: Tools, errand: Errand) -> None:
            if tools.desk is desk:  # the worker of the browser walks may live in this process too
                order.append(kind)
            real(tools, errand)

        return carry_out

    monkeypatch.setattr(errands, "HANDLERS", {k: noted(k, real) for k, real in errands.HANDLERS.items()})
    for n in range(3):
        patient = add_patient(desk, 1 if n == 0 else None, first=f"P{n}", last=f"Q{n}")
        finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True, start=f"{13 + n}:00"))
    send_ready(desk, ODILE)
    start_run(desk, ODILE, Rule())
    content = b"first,last,birth\n" + b"".join(b"A%c,Ruiz,1/1/1990\n" % (65 + n) for n in range(3))
    job = open_import(desk, ODILE, files, "patients", "list.csv", content)
    start_import(desk, ODILE, job, {"first": 0, "last": 1, "birth": 2}, False)

    def run(lane: Lane) -> list[str]:
        order.clear()
        run_once(desk, outside, receipt_pdf, files, statement_pdfs=statement_pdfs, lane=lane)
        return list(order)

    # A question about coverage asked before its time is asked again a moment later: on a slow machine, here.
    assert set(run(Lane.SHORT)) - {"eligibility"} == {"claim_file"}
    assert run(Lane.LONG)[:3] == ["statements", "import", "statements"]
    assert set(order) == {"statements", "import"}
    assert set(run(Lane.SHORT)) <= {"eligibility"} and run(Lane.LONG) == []
    assert scalar(desk, "SELECT made FROM import_job") == 3
    assert scalar(desk, "SELECT COUNT(*) FROM statement") >= 2


@pytest.mark.parametrize("answer", ["approved", "declined"])
def test_a_receipt_by_email_waits_for_a_silent_terminal_and_holds_up_nobody(
    desk: Desk, outside: Outside, answer: str, files: FileStore
) -> None:
    """Kills: a checkout that cannot be finished, a receipt that never goes or goes without anything taken."""
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True)
    outside.terminal.answers.append(Sale(state="unknown", words="no response"))  # type: ignore[attr-defined]
    pay(desk, patient, [Item(visit)], ("card", "97.20"), terminal=outside.terminal)
    finish_checkout(desk, JUNO, visit, receipt="email")
    receipt = scalar(desk, "SELECT MAX(id) FROM receipt")
    with pytest.raises(Refused, match="Nothing was taken yet"):
        send_receipt(desk, JUNO, receipt)
    key = scalar(desk, "SELECT request_key FROM payment")
    later = Sale(state=answer, words="", card_ending="4417", reference="T1")
    outside.terminal.later[key] = later  # type: ignore[attr-defined]
    desk.clock.set_to(desk.clock.now() + timedelta(minutes=2))  # type: ignore[attr-defined]
    work(desk, outside, files)
    work(desk, outside, files)
    sent = [mail["To"] for mail in outside.mail.sent]  # type: ignore[attr-defined]
    assert sent == (["helen@example.org"] if answer == "approved" else []) and agrees(desk)

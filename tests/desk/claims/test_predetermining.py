"""A plan is asked beforehand about planned work: sent, answered, and its amounts are what counts from then
on; against a real MariaDB and the stand-in's own reading and answer.
"""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.conftest import INES, JUNO, ODILE, TODAY, add_patient, known_patient, scalar
from tests.desk.charges.test_charge_acts import in_room, offered, view
from tests.desk.claims.test_working_claims import sent_text, spoil, state
from zax.core.errors import Conflict, NotAllowed, Refused
from zax.core.x12.claim_reading import claim_in
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import add_planned
from zax.desk.charges.treatment_options import make_proposal, put_away
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.claims import recheck
from zax.desk.claims.fixing import fix
from zax.desk.claims.predetermining import ask_about_planned, asked_options
from zax.desk.claims.sending import send_ready
from zax.desk.claims.thread import bill_next_plan, correct_claim, void_claim
from zax.desk.claims.worklist import worklist
from zax.desk.money.ledger import bill_of
from zax.desk.remits.importing import import_file
from zax.standin.answers import remittance
from zax.standin.claims import read_claim_file
from zax.standin.keep import Keep
from zax.store.book.queries import one_visit
from zax.store.remits.remits import count_open_answers


def asked(desk: Desk) -> tuple[int, int]:
    """(planned work, the claim that asks about it)."""
    work = offered(desk, known_patient(desk, 1))
    claim = ask_about_planned(desk, ODILE, work, "A")
    for at in (1, 2, 3):
        fix(desk, ODILE, claim, f"lines.{at}.prosthesis", {"placement": "first"})
    return work, claim


def went(desk: Desk) -> str:
    """The file it left in, as the payer has it."""
    send_ready(desk, ODILE)
    spoil(desk, "UPDATE claim SET state = 'accepted', sent_at = NOW() WHERE state = 'going'")
    return sent_text(desk)


def answered(desk: Desk, folder: Path) -> str:
    """The stand-in answers what left, and the answer comes in."""
    file = read_claim_file(went(desk))
    said = remittance(file, file.claims[0], Keep(folder), 5, desk.clock.now())
    import_file(desk, ODILE, "answer.835", said)
    return said


def estimates(desk: Desk, work: int) -> list[tuple[int, int, str]]:
    """(plan pays, patient, why) of each service."""
    return [
        (line.estimate.insurer, line.estimate.patient, line.estimate.why)
        for phase in view(desk, work).options[0].phases
        for line in phase.lines
    ]


def test_planned_work_is_asked_about_without_days_and_owes_nothing(desk: Desk) -> None:
    work, claim = asked(desk)
    assert state(desk, claim) == "ready"
    with desk.engine.connect() as connection:
        assert worklist(connection, TODAY).groups[0].cents == 0
        options = asked_options(connection, view(desk, work))
    assert options["A"].claim is not None and options["A"].claim.id == claim
    number = scalar(desk, "SELECT number FROM claim WHERE id = :id", id=claim)
    sent = claim_in(went(desk), number)
    assert sent is not None and sent.predetermination and sent.cents == 354_000
    assert [line.day for line in sent.lines] == [None] * 3 and [line.tooth for line in sent.lines] == [
        "14",
        "3",
        "19",
    ]
    with desk.engine.connect() as connection:
        view_of_list = worklist(connection, TODAY)
    assert (view_of_list.out_number, view_of_list.out_cents) == (1, 0)


def test_its_answer_replaces_our_estimate_and_nothing_is_posted(desk: Desk, tmp_path: Path) -> None:
    work, claim = asked(desk)
    ours = estimates(desk, work)
    assert [each[0] for each in ours] == [56_500, 59_000, 56_500]
    said = answered(desk, tmp_path)
    assert "CAS*OA*101*" in said and "BPR*I*0*" in said
    assert state(desk, claim) == "closed" and scalar(desk, "SELECT COUNT(*) FROM journal") == 0
    # The deductible once, on the first: the payer looks at them together.
    assert [each[:2] for each in estimates(desk, work)] == [
        (56_500, 61_500),
        (59_000, 59_000),
        (59_000, 59_000),
    ]
    assert all("the plan’s own answer" in each[2] for each in estimates(desk, work))
    with desk.engine.connect() as connection:
        option = asked_options(connection, view(desk, work))["A"]
        assert (option.claim, option.answered, option.on) == (None, 3, TODAY)
        assert count_open_answers(connection) == 0
    assert ask_about_planned(desk, ODILE, work, "A") != claim


def test_the_answer_holds_at_the_visit_that_does_the_work(desk: Desk, tmp_path: Path) -> None:
    work, _ = asked(desk)
    answered(desk, tmp_path)
    spoil(desk, "UPDATE planned_service SET answered_pays_cents = 30000 WHERE tooth = '19'")
    spoil(desk, "UPDATE proposal SET signed_option = 'A', signed_at = NOW()")
    patient = scalar(desk, "SELECT patient_id FROM proposal WHERE id = :id", id=work)
    visit = in_room(desk, patient, dental=True)
    planned = scalar(desk, "SELECT id FROM planned_service WHERE tooth = '19'")
    line = add_planned(desk, JUNO, visit, planned)

    def share() -> tuple[int, int]:
        with desk.engine.connect() as connection:
            row = one_visit(connection, visit)
            assert row is not None
            bill = bill_of(connection, desk.clinic, row)
        made = next(each for each in bill.estimates if each.line_id == line)
        return made.first, made.patient

    assert share() == (30_000, 88_000)
    # Another plan pays first by now: what the old one said is nothing to it.
    spoil(desk, "UPDATE planned_service SET answered_coverage_id = NULL")
    assert share()[0] != 30_000


def test_work_that_was_put_away_is_not_asked_about_anymore(desk: Desk) -> None:
    work, claim = asked(desk)
    put_away(desk, INES, work)
    assert not recheck(desk, ODILE, claim)
    assert send_ready(desk, ODILE).claims == 0
    with pytest.raises(Conflict, match="isn’t planned"):
        ask_about_planned(desk, ODILE, work, "A")


def test_it_is_no_bill_so_nothing_of_it_is_corrected_taken_back_or_billed_next(
    desk: Desk, tmp_path: Path
) -> None:
    _, claim = asked(desk)
    for act in (correct_claim, void_claim, bill_next_plan):
        with pytest.raises((Conflict, Refused)):
            act(desk, ODILE, claim)
    answered(desk, tmp_path)
    for act in (correct_claim, void_claim, bill_next_plan):
        with pytest.raises((Conflict, Refused)):
            act(desk, ODILE, claim)
    with desk.engine.connect() as connection:
        shown = claim_page(connection, desk.clinic, claim, TODAY)
    assert not shown.held and not shown.next_payer and len(shown.case) == 1


def test_an_answer_that_pays_or_asks_otherwise_goes_to_a_person(desk: Desk, tmp_path: Path) -> None:
    work, claim = asked(desk)
    ours = estimates(desk, work)
    file = read_claim_file(went(desk))
    file.claims[0].planned = False
    import_file(desk, ODILE, "a.835", remittance(file, file.claims[0], Keep(tmp_path), 6, desk.clock.now()))
    assert state(desk, claim) == "accepted" and estimates(desk, work) == ours
    with desk.engine.connect() as connection:
        assert count_open_answers(connection) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == 0


@pytest.mark.parametrize("letter", ["Z", ""])
def test_what_cannot_be_asked_is_said(desk: Desk, letter: str) -> None:
    with pytest.raises(Refused, match="no services"):
        ask_about_planned(desk, ODILE, offered(desk, add_patient(desk, 1)), letter)
    with pytest.raises(Refused, match="no dental plan"):
        ask_about_planned(desk, ODILE, offered(desk, add_patient(desk)), "A")
    medical = make_proposal(desk, INES, add_patient(desk, 4), "Work", 5)
    with pytest.raises(Refused, match="Only dental"):
        ask_about_planned(desk, ODILE, medical, "A")
    with pytest.raises(NotAllowed):
        ask_about_planned(desk, INES, medical, "A")


def test_of_four_who_ask_at_once_one_claim_is_made(desk: Desk) -> None:
    work, together = offered(desk, known_patient(desk, 1)), threading.Barrier(4)

    def one(_: int) -> int:
        together.wait()
        return ask_about_planned(desk, ODILE, work, "A")

    with ThreadPoolExecutor(4) as pool:
        assert len(set(pool.map(one, range(4)))) == 1
    assert scalar(desk, "SELECT COUNT(*) FROM claim") == 1


def test_asking_twice_is_the_same_claim(desk: Desk) -> None:
    work, claim = asked(desk)
    assert ask_about_planned(desk, ODILE, work, "A") == claim
    with desk.engine.connect() as connection:
        found = connection.execute(text("SELECT COUNT(*) FROM claim")).scalar_one()
    assert (found, date(2026, 1, 1) < TODAY) == (1, True)

"""What an answer does by itself and what it leaves to a person: a second plan, denied lines in a paid claim,
and a payer that pays more than was left.
"""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import Engine, bindparam, insert, text

from tests.conftest import JUNO, ODILE, SAM, TODAY, add_patient, at, scalar, state_of, visit_at_checkout
from tests.desk.paying import agrees, items_of, pay, relative
from tests.desk.remits.test_insurers import answer
from zax.clock import ShiftedClock
from zax.core.coverage.member import member_key
from zax.core.money.aging import aging
from zax.core.remits.placing import FOR_A_PERSON
from zax.desk.acts.transaction import Desk
from zax.desk.charges.charges import add_line
from zax.desk.claims.thread import bill_next_plan
from zax.desk.day.checkout import finish_checkout
from zax.desk.money.account import account_of
from zax.desk.money.corrections import HandOverForm, OffForm, hand_over, write_off
from zax.desk.money.ledger_audit import recount
from zax.desk.money.payments import Item
from zax.desk.remits.importing import import_file
from zax.store import schema
from zax.store.remits.shortfalls import OpenShortfall, open_shortfalls


def finished(desk: Desk, patient: int) -> tuple[int, str, int]:
    """(visit, claim number, line) of a filling whose checkout is finished."""
    visit = visit_at_checkout(desk, patient, dental=True)
    finish_checkout(desk, JUNO, visit)
    number = scalar(desk, "SELECT number FROM claim WHERE visit_id = :id", id=visit)
    return visit, number, scalar(desk, "SELECT MIN(id) FROM charge_line WHERE visit_id = :id", id=visit)


def parts(desk: Desk, visit: int) -> tuple[int, int]:
    """Cents open with the patient and with the insurers."""
    found = "SELECT CONCAT(SUM(patient_cents), ' ', SUM(insurer_cents)) FROM journal WHERE visit_id = :id"
    patient, insurer = str(scalar(desk, found, id=visit)).split()
    return int(patient), int(insurer)


def waiting(desk: Desk) -> list[tuple[str, str]]:
    found = text("SELECT outcome, why FROM remit_claim WHERE outcome IN :open ORDER BY id")
    with desk.engine.connect() as connection:
        rows = connection.execute(found.bindparams(bindparam("open", list(FOR_A_PERSON), expanding=True)))
        return [(row.outcome, row.why) for row in rows]


def open_shorts(desk: Desk) -> list[OpenShortfall]:
    with desk.engine.connect() as connection:
        return open_shortfalls(connection)


def with_second_plan(desk: Desk) -> int:
    """Brightwater pays first (70 percent of 261.00 is 182.70), Guild second what is left: 103.30."""
    patient = add_patient(desk, 2)
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.coverage).values(
                patient_id=patient,
                plan_id=1,
                subscriber_id=patient,
                member_id="HG-9",
                member_key=member_key("HG-9"),
                group_number="G1",
                from_day=TODAY - timedelta(days=300),
                rank=2,
            )
        )
    return patient


def test_what_the_second_plan_should_pay_is_not_asked_of_the_patient(desk: Desk) -> None:
    visit, number, line = finished(desk, with_second_plan(desk))
    assert scalar(desk, "SELECT second_cents FROM charge_line WHERE id = :id", id=line) == 10_330
    told = answer(number, line, paid="182.7", cas="CAS*PR*1*25**2*78.3")
    result = import_file(desk, ODILE, "x.835", told)
    assert result.for_a_person == 0 and parts(desk, visit) == (0, 10_330)
    second = "SELECT CONCAT(`rank`, ' ', state) FROM claim WHERE number <> :number"
    assert waiting(desk) == [] and scalar(desk, second, number=number) == "S ready"
    assert state_of(desk, visit) == "left" and agrees(desk)


def test_a_denied_line_in_a_paid_claim_waits_and_the_rest_is_posted(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    visit = visit_at_checkout(desk, patient, dental=True)
    add_line(desk, JUNO, visit, scalar(desk, "SELECT id FROM service WHERE code = 'D1110'"))
    finish_checkout(desk, JUNO, visit)
    number = scalar(desk, "SELECT number FROM claim WHERE visit_id = :id", id=visit)
    filling, cleaning = _lines(desk, visit)
    fee = scalar(desk, "SELECT fee_cents FROM charge_line WHERE id = :id", id=cleaning)
    before = parts(desk, visit)
    paid = answer(number, filling, charge=f"{(28_600 + fee) / 100:g}", paid="188.8", total="188.8")
    two = paid.replace(
        "SE*",
        f"SVC*AD:D1110*{fee / 100:g}*0~DTM*472*20261124~CAS*CO*16*{fee / 100:g}~REF*6R*L{cleaning}~SE*",
    )
    two = two.replace(f"SVC*AD:D2392*{(28_600 + fee) / 100:g}", "SVC*AD:D2392*286").replace("SE*18", "SE*22")
    result = import_file(desk, ODILE, "x.835", two)
    assert result.for_a_person == 1
    assert waiting(desk) == [] and scalar(desk, "SELECT state FROM claim") == "denied"
    (short,) = open_shorts(desk)
    assert (short.words, short.work) == ("D1110 wasn’t paid: CO 16: information missing.", "fix")
    assert (short.line_id, short.cents, short.reasons) == (cleaning, fee, ["CO 16"])
    assert parts(desk, visit) == (before[0], before[1] - 18_880)
    off = "SELECT COUNT(*) FROM journal WHERE kind = 'writeoff'"
    assert scalar(desk, off) == 0 and agrees(desk)


def _lines(desk: Desk, visit: int) -> list[int]:
    with desk.engine.connect() as connection:
        found = "SELECT id FROM charge_line WHERE visit_id = :id AND removed_at IS NULL ORDER BY id"
        return [*connection.execute(text(found), {"id": visit}).scalars()]


@pytest.mark.parametrize("how", ["forgiven", "handed over"])
def test_more_than_was_left_is_a_credit_with_a_name(desk: Desk, how: str) -> None:
    patient = add_patient(desk, 1)
    visit, number, line = finished(desk, patient)
    if how == "forgiven":
        write_off(desk, SAM, OffForm(line_id=line, amount="97.20", reason_id=1, why="courtesy"))
    else:
        rafael = relative(desk, patient)
        hand_over(desk, SAM, HandOverForm(line_id=line, to_patient=rafael, amount="97.20", why="his"))
    import_file(desk, ODILE, "x.835", answer(number, line, paid="250", cas="CAS*PR*2*36"))
    assert parts(desk, visit) == (0, 0) and state_of(desk, visit) == "settled" and agrees(desk)
    (credit,) = items_of(desk, patient).credits
    assert (
        credit.cents == 6_120
        and credit.words == f"Copperline Health paid more than was left on claim {number}"
    )
    with desk.engine.connect() as connection:
        account = account_of(connection, desk.clinic, patient, TODAY, only=True)
        assert account.open.patient == -6_120 == -account.credit


def test_the_recount_finds_a_line_below_nothing(desk: Desk, engine: Engine) -> None:
    visit, _, line = finished(desk, add_patient(desk, 1))
    assert recount(desk.engine).faults == []
    with engine.begin() as connection:
        connection.execute(
            text("UPDATE journal SET patient_cents = -200, insurer_cents = 28800 WHERE line_id = :id"),
            {"id": line},
        )
    assert any(f"line {line} is below nothing" in each for each in recount(desk.engine).faults)


def test_an_old_debt_stays_old_when_a_little_is_added(desk: Desk, clock: ShiftedClock) -> None:
    patient = add_patient(desk, 1)
    visit, number, line = finished(desk, patient)
    later = TODAY + timedelta(days=80)
    clock.set_to(at(10, 0, later))
    import_file(desk, ODILE, "x.835", answer(number, line, paid="180", cas="CAS*PR*1*50**2*56"))
    with desk.engine.connect() as connection:
        account = account_of(connection, desk.clinic, patient, later)
    assert account.patient_aging == [880, 0, 9_720, 0]
    assert account.lines[line].since == TODAY
    pay(desk, patient, [Item(visit, line, 9_720)], ("cash", "97.20"))
    with desk.engine.connect() as connection:
        after = account_of(connection, desk.clinic, patient, later)
    assert after.patient_aging == [880, 0, 0, 0] == aging(after.lines[line].pieces.patient, later)


def test_a_claim_the_payer_passed_on_waits_for_the_next_plan_and_is_not_billed_twice(desk: Desk) -> None:
    visit, number, line = finished(desk, with_second_plan(desk))
    told = answer(number, line, paid="182.7", cas="CAS*PR*1*25**2*78.3").replace("*1*286*", "*19*286*")
    told = told.replace("NM1*QC", "NM1*TT*2*GUILD BENEFITS*****PI*00202~NM1*QC").replace("SE*18", "SE*19")
    assert import_file(desk, ODILE, "x.835", told).for_a_person == 0
    assert parts(desk, visit) == (0, 10_330) and agrees(desk) and waiting(desk) == []
    claim = int(scalar(desk, "SELECT MIN(id) FROM claim"))
    stands_for_it = bill_next_plan(desk, ODILE, claim)
    assert scalar(desk, "SELECT state FROM claim WHERE id = :id", id=stands_for_it) == "accepted"
    # The next plan answers under the number that it was passed on with.
    decided = "CAS*OA*23*182.7~CAS*PR*2*3.3"
    later = answer(number, line, trace="G1", paid="100", cas=decided, status="2").replace("SE*18", "SE*19")
    assert import_file(desk, ODILE, "g.835", later).for_a_person == 0, waiting(desk)
    assert parts(desk, visit) == (330, 0) and agrees(desk)
    paid = "SELECT paid_cents FROM claim WHERE id = :id"
    assert (scalar(desk, paid, id=claim), scalar(desk, paid, id=stands_for_it)) == (18_270, 10_000)


def test_a_denial_asks_the_patient_for_nothing_and_a_later_answer_asks_for_the_share(desk: Desk) -> None:
    visit, number, line = finished(desk, add_patient(desk, 1))
    before = parts(desk, visit)
    assert before[0] > 0
    denied = answer(number, line, paid="0", cas="CAS*CO*16*286", status="4")
    assert import_file(desk, ODILE, "x.835", denied).for_a_person == 1
    assert parts(desk, visit) == (0, sum(before)) and agrees(desk)
    assert scalar(desk, "SELECT state FROM claim") == "denied"
    events = "SELECT GROUP_CONCAT(words SEPARATOR '|') FROM claim_event"
    assert "Denied: CO 16" in scalar(desk, events) and "paid $0.00" not in scalar(desk, events)


def test_what_a_patient_paid_of_a_denied_service_stays_paid(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    visit, number, line = finished(desk, patient)
    before = parts(desk, visit)
    pay(desk, patient, [Item(visit)], ("cash", f"{before[0] / 100:.2f}"))
    import_file(desk, ODILE, "x.835", answer(number, line, paid="0", cas="CAS*CO*16*286", status="4"))
    assert parts(desk, visit) == (0, before[1]) and agrees(desk)

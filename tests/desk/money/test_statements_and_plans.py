"""Payment plans and statements: what is charged when, what is asked for, what is kept."""

import io
import json
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from sqlalchemy import insert

from tests.conftest import (
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    at,
    known_patient,
    rows_of,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import patient_open
from tests.desk.paying import agrees, all_lines, items_of, pay
from tests.fakes import FakeTerminal
from zax.clock import ShiftedClock
from zax.core.errors import Conflict, NotAllowed, NotFound, Problems, Refused
from zax.core.money.statement import Rule
from zax.core.money.tender import TenderForm
from zax.desk.acts.act import in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk
from zax.desk.day.checkout import finish_checkout
from zax.desk.money import payment_plans as payplans
from zax.desk.money import statements
from zax.desk.money.account import account_of
from zax.desk.money.cards_on_file import remove_card
from zax.desk.money.explain_amount import explain
from zax.desk.money.payment_plans import (
    PaymentPlanForm,
    PlanView,
    charge_due,
    charge_installment,
    end_plan,
    make_plan,
    plans_of,
)
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.statements import (
    candidates,
    carry_on,
    make_statement,
    preview,
    run_of,
    start_run,
    statement_of,
    stop_run,
)
from zax.desk.money.terminal import close_payment
from zax.desk.setup.money import save_habits
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, Sale
from zax.store import schema
from zax.store.acts.outbox import finish_errand
from zax.store.files import FileStore
from zax.store.money.statements import statements_of
from zax.web.money.documents import receipt_pdf, statement_pdfs
from zax.web.shell import pdf as press
from zax.web.shell.pdf import joined_pdf


@pytest.fixture
def owing(desk: Desk) -> int:
    """Helen with a finished visit over 286.00; the patient."""
    patient = add_patient(desk)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, dental=True))
    return patient


def card(desk: Desk, patient: int) -> int:
    take_payment(
        desk,
        JUNO,
        FakeTerminal(),
        patient,
        PayForm(tenders=[TenderForm("card", "1", keep_card=True)], items=[Item()], key="keeps"),
    )
    return int(scalar(desk, "SELECT id FROM card_on_file WHERE removed_at IS NULL"))


def form(desk: Desk, patient: int, **changes: Any) -> PaymentPlanForm:
    values: dict[str, Any] = {
        "lines": [each.line_id for each in items_of(desk, patient).lines],
        "amount": "286",
        "count": "4",
        "first": TODAY.isoformat(),
        "every": "month",
        "card_id": None,
    }
    return PaymentPlanForm(**(values | changes))


def plan(desk: Desk, patient: int, today: date = TODAY) -> PlanView:
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=patient)
    with desk.engine.connect() as connection:
        return plans_of(connection, household, today)[0]


def charge(desk: Desk, terminal: FakeTerminal) -> int:
    """What the worker does about plans, without a defect being set aside: how many cards were charged."""
    due = charge_due(desk)
    waiting = "SELECT id, payload FROM outbox WHERE kind = 'installment' AND state = 'waiting'"
    for errand in rows_of(desk, waiting):
        charge_installment(desk, terminal, json.loads(errand["payload"])["plan_id"])
        in_transaction(desk, WORKER, lambda tx, id=errand["id"]: finish_errand(tx.connection, id, tx.now))
    return due


# --- plans
def test_a_plan_charges_the_card_on_file_as_installments_fall_due(
    desk: Desk, owing: int, clock: ShiftedClock
) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=card(desk, owing)))
    terminal = FakeTerminal()
    assert charge(desk, terminal) == 1 and terminal.asked[0][1] == 7_150
    assert charge(desk, terminal) == 0  # once
    assert plan(desk, owing).standing.paid == 7_150
    for months, day in enumerate((date(2026, 12, 24), date(2027, 1, 24), date(2027, 2, 24)), 1):
        clock.set_to(at(9, 0, day))
        assert charge(desk, terminal) == 1, months
    assert items_of(desk, owing).due == 0 and sum(cents for _, cents in terminal.asked) == 28_600
    charge(desk, terminal)
    assert scalar(desk, "SELECT why_ended FROM payment_plan") == "paid" and agrees(desk)


def test_money_from_anywhere_moves_the_plan(desk: Desk, owing: int) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing))
    pay(desk, owing, all_lines(desk, owing), ("cash", "100"))
    found = plan(desk, owing).standing
    assert (found.paid, found.due) == (10_000, 0) and found.next is not None and found.next.number == 2
    assert plan(desk, owing, date(2026, 12, 25)).standing.overdue == 4_300


def test_a_failed_installment_is_tried_again_and_then_waits_for_the_desk(
    desk: Desk, owing: int, clock: ShiftedClock
) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=card(desk, owing)))
    no = Sale(state="declined", words="the bank refuses this card")
    terminal = FakeTerminal([no, no, no])
    for days in (0, 1, 3, 4, 6, 9, 30):
        clock.set_to(at(9, 0, TODAY + timedelta(days=days)))
        charge(desk, terminal)
    assert len(terminal.asked) == 3 and items_of(desk, owing).due == 28_600
    found = plan(desk, owing, TODAY + timedelta(days=30))
    assert found.needs_a_person and found.tries == 3 and "the bank refuses" in found.failed
    pay(desk, owing, all_lines(desk, owing), ("cash", "143"), key="at the desk")
    assert not plan(desk, owing, TODAY + timedelta(days=30)).needs_a_person and agrees(desk)


def test_an_unclear_installment_is_never_charged_twice(
    desk: Desk, owing: int, clock: ShiftedClock, outside: Outside
) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=card(desk, owing)))
    outside.terminal.answers.append(Sale(state="unknown", words="no response"))
    charge(desk, outside.terminal)
    key = outside.terminal.asked[0][0]
    outside.terminal.later[key] = Sale(state="approved", words="", card_ending="4417", reference="T1")
    clock.set_to(at(12))
    run_once(desk, outside, receipt_pdf)
    assert len(outside.terminal.asked) == 1 and plan(desk, owing).standing.paid == 7_150 and agrees(desk)


def test_an_unclear_installment_that_was_refused_after_all_is_tried_again(
    desk: Desk, owing: int, clock: ShiftedClock
) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=card(desk, owing)))
    terminal = FakeTerminal([Sale(state="unknown", words="no response")])
    charge(desk, terminal)
    clock.set_to(at(9, 0, TODAY + timedelta(days=5)))
    assert charge(desk, terminal) == 0  # not while nobody knows
    close_payment(desk, WORKER, terminal.asked[0][0], Sale(state="declined", words="no funds"))
    found = plan(desk, owing, TODAY + timedelta(days=5))
    assert (found.tries, found.failed) == (1, "no funds")
    assert charge(desk, terminal) == 1 and plan(desk, owing).standing.paid == 7_150 and agrees(desk)


def test_a_try_that_broke_off_before_the_terminal_was_asked_does_not_hold_up_the_plan(
    desk: Desk, owing: int, clock: ShiftedClock, monkeypatch: pytest.MonkeyPatch
) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=card(desk, owing)))

    def breaks(*_: Any) -> None:
        raise OSError("the power went off")

    with monkeypatch.context() as broken, pytest.raises(OSError, match="power"):
        broken.setattr(payplans, "take_payment", breaks)
        charge(desk, FakeTerminal())
    assert scalar(desk, "SELECT COUNT(*) FROM plan_try") == 1
    assert charge(desk, FakeTerminal()) == 0  # once a day
    clock.set_to(at(9, 0, TODAY + timedelta(days=1)))
    assert charge(desk, FakeTerminal()) == 1 and plan(desk, owing).standing.paid == 7_150


def test_plans_that_do_not_fit(desk: Desk, owing: int) -> None:
    for changes, field in (
        ({"amount": "300"}, "amount"),
        ({"amount": "200"}, "amount"),
        ({"count": "1"}, "count"),
        ({"lines": []}, "lines"),
        ({"first": "soon"}, "first"),
        ({"first": "2026-11-23"}, "first"),
        ({"every": "eclipse"}, "every"),
        ({"card_id": 999_999}, "tender-1"),
    ):
        with pytest.raises((Problems, Refused)) as wrong:
            make_plan(desk, JUNO, owing, form(desk, owing, **changes))
        assert field in wrong.value.problems, changes
    number = make_plan(desk, JUNO, owing, form(desk, owing))
    with pytest.raises(Refused, match="on a plan"):
        make_plan(desk, JUNO, owing, form(desk, owing))
    with pytest.raises(Refused, match="why"):
        end_plan(desk, JUNO, number, "")
    assert end_plan(desk, JUNO, number, "paid at once") == owing
    with pytest.raises(NotFound):
        end_plan(desk, JUNO, number, "again")


def test_a_card_taken_off_file_stops_its_plan_from_charging(desk: Desk, owing: int) -> None:
    number = card(desk, owing)
    make_plan(desk, JUNO, owing, form(desk, owing, card_id=number))
    remove_card(desk, JUNO, number)
    assert charge(desk, FakeTerminal()) == 0 and plan(desk, owing).card is None
    assert plan(desk, owing, TODAY + timedelta(days=2)).needs_a_person


# --- statements
def test_what_is_on_a_plan_is_not_asked_for_twice(desk: Desk, owing: int) -> None:
    make_plan(desk, JUNO, owing, form(desk, owing, first=(TODAY + timedelta(days=20)).isoformat()))
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=owing)
    with desk.engine.connect() as connection:
        made = statement_of(connection, desk.clinic, household, None, 1, TODAY)
        later = statement_of(connection, desk.clinic, household, None, 1, TODAY + timedelta(days=20))
        listed = preview(connection, Rule(), TODAY)
    assert (made.account.open.patient, made.asked, later.asked) == (28_600, 0, 7_150)
    assert [each.why_not for each in listed] == ["on a payment plan, nothing due"]


def test_a_statement_is_kept_as_it_was_made(desk: Desk, owing: int, tmp_path: Path) -> None:
    store = FileStore(tmp_path)
    household = scalar(desk, "SELECT household_id FROM patient WHERE id = :id", id=owing)
    number = make_statement(desk, JUNO, statement_pdfs, store, household, None)
    alone = make_statement(desk, JUNO, statement_pdfs, store, household, owing)
    with desk.engine.connect() as connection:
        rows = statements_of(connection, household)
    assert [(row.id, row.cents, row.patient_id) for row in rows] == [
        (alone, 28_600, owing),
        (number, 28_600, None),
    ]
    kept = store.get(rows[1].digest)
    assert kept.startswith(b"%PDF") and store.is_whole(rows[1].digest, kept) and len(kept) == rows[1].bytes
    pay(desk, owing, all_lines(desk, owing), ("cash", "286"))
    assert store.get(rows[1].digest) == kept
    assert joined_pdf([kept, kept]).startswith(b"%PDF")


def test_a_run_makes_one_statement_for_everybody_the_rule_picks(
    desk: Desk, owing: int, tmp_path: Path, outside: Outside
) -> None:
    store = FileStore(tmp_path)
    others = [add_patient(desk, first=f"P{n}", last=f"Q{n}") for n in range(3)]
    for n, patient in enumerate(others):
        finish_checkout(desk, JUNO, visit_at_checkout(desk, patient, start=f"{15 + n // 2}:{n % 2 * 30:02d}"))
    flag = next(iter(desk.clinic.flags))
    with desk.engine.begin() as connection:
        connection.execute(
            insert(schema.patient_flag).values(
                patient_id=others[0], flag_id=flag, at=desk.clock.now(), by_id=1
            )
        )
    rule = Rule(minimum=1_000, without=(flag,))
    with pytest.raises(NotAllowed):
        start_run(desk, JUNO, rule)
    run_id = start_run(desk, ODILE, rule)
    with pytest.raises(Conflict, match=r"A run is in progress\. Wait"):
        start_run(desk, SAM, rule)
    sizes: list[int] = []

    def pdfs(where: Desk, made: Any) -> list[bytes]:
        sizes.append(len(made))
        return statement_pdfs(where, made)

    run_once(desk, outside, receipt_pdf, store, statement_pdfs=pdfs)
    assert sizes == [1, 2]  # the first alone, so that progress shows soon
    with desk.engine.connect() as connection:
        run, rows, kept = run_of(connection, run_id)
        again = preview(connection, rule, TODAY)
    assert (run.state, run.done, run.total, kept) == ("done", 3, 3, rule)
    assert [row.name for row in rows] == ["Q1", "Q2", "Vasquez"] and all(
        store.get(row.digest).startswith(b"%PDF") for row in rows
    )
    assert sorted(each.why_not for each in again) == ["got one 0 days ago"] * 3 + ["has a skipped flag"]
    with pytest.raises(Refused, match="No one gets a statement"):
        start_run(desk, ODILE, rule)


def test_a_run_that_broke_off_goes_on_and_one_that_is_stopped_does_not(
    desk: Desk, owing: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(statements, "BATCH", 1)
    store = FileStore(tmp_path)
    finish_checkout(desk, JUNO, visit_at_checkout(desk, add_patient(desk, first="Iris"), start="16:00"))
    run_id = start_run(desk, SAM, Rule())
    broken = 0

    def breaks(where: Desk, made: Any) -> list[bytes]:
        nonlocal broken
        broken += 1
        if broken == 2:
            raise OSError("the disk is full")
        return statement_pdfs(where, made)

    with pytest.raises(OSError, match="disk"):
        carry_on(desk, store, breaks, run_id, 60)
    assert scalar(desk, "SELECT CONCAT(done, state) FROM statement_run") == "1waiting"
    assert carry_on(desk, store, statement_pdfs, run_id, 60)
    assert scalar(desk, "SELECT CONCAT(done, state) FROM statement_run") == "2done"
    with pytest.raises(Conflict):
        stop_run(desk, SAM, run_id)
    second = start_run(desk, SAM, Rule(days=0))
    stop_run(desk, SAM, second)
    assert carry_on(desk, store, statement_pdfs, second, 60)
    assert scalar(desk, "SELECT done FROM statement_run WHERE id = :id", id=second) == 0


def test_interest_is_charged_once_a_month_on_what_is_old(desk: Desk, owing: int, clock: ShiftedClock) -> None:
    typed = {
        "returned_fee": "25",
        "drawer_float": "150",
        "interest": "1.5",
        "interest_after": "60",
        "limit_receptionist": "25",
        "limit_biller": "250",
        "limit_clinician": "0",
    }
    save_habits(desk, SAM, typed)
    try:
        clock.set_to(at(9, 0, TODAY + timedelta(days=61)))
        start_run(desk, SAM, Rule(interest=True))
        assert items_of(desk, owing).due == 28_600 + 429
        with desk.engine.begin() as connection:
            connection.exec_driver_sql("UPDATE statement_run SET state = 'done'")
        start_run(desk, SAM, Rule(interest=True))
        assert items_of(desk, owing).due == 28_600 + 429 and agrees(desk)
    finally:
        save_habits(desk, SAM, typed | {"interest": "0"})


def test_of_four_runs_at_once_one_is_made_and_interest_is_charged_once(
    desk: Desk, owing: int, clock: ShiftedClock
) -> None:
    typed = {"returned_fee": "25", "drawer_float": "150", "interest": "1.5", "interest_after": "60"}
    limits = {"limit_receptionist": "25", "limit_biller": "250", "limit_clinician": "0"}
    save_habits(desk, SAM, typed | limits)
    together = threading.Barrier(4)

    def one(_: int) -> str:
        together.wait()
        try:
            return f"run {start_run(desk, SAM, Rule(interest=True))}"
        except Conflict as error:
            return error.message

    try:
        clock.set_to(at(9, 0, TODAY + timedelta(days=61)))
        with ThreadPoolExecutor(4) as pool:
            said = list(pool.map(one, range(4)))
        assert sum(each.startswith("run ") for each in said) == 1, said
        assert items_of(desk, owing).due == 28_600 + 429 and agrees(desk)
        assert scalar(desk, "SELECT COUNT(*) FROM statement_run") == 1
    finally:
        save_habits(desk, SAM, typed | limits | {"interest": "0"})


def test_households_with_nothing_open_are_not_even_candidates(desk: Desk, owing: int) -> None:
    settled = known_patient(desk, first="Ivo", last="Zeller")
    visit = visit_at_checkout(desk, settled, start="16:00")
    pay(desk, settled, all_lines(desk, settled), ("cash", "128"))
    finish_checkout(desk, JUNO, visit)
    with desk.engine.connect() as connection:
        found = candidates(connection, TODAY)
    assert [(each.name, each.patient_cents) for each in found] == [("Vasquez, Helen", 28_600)]
    assert patient_open(desk, visit) == 0


# --- how an amount came about
def test_every_amount_of_an_account_explains_itself(desk: Desk) -> None:
    patient = add_patient(desk, plan_id=1)
    visit = visit_at_checkout(desk, patient, dental=True)
    pay(desk, patient, [Item(visit, None, 5_000)], ("cash", "50"))
    finish_checkout(desk, JUNO, visit)
    with desk.engine.connect() as connection:
        account = account_of(connection, desk.clinic, patient, TODAY)
    whole = explain(account, "t")
    assert whole.cents == 4_720 == sum(row.cents for row in whole.rows)
    assert whole.say.startswith(
        "Helen’s filling on Nov 24, 2026 came to $286.00. Harbor Guild Dental should pay $188.80."
        " You’ve paid $50.00. The remaining $47.20 is your share. It’s for White filling"
    )
    for key, cents in ((f"v{visit}", 4_720), (f"i{visit}", 18_880)):
        found = explain(account, key)
        assert found.cents == cents == sum(row.cents for row in found.rows)
    for entry in account.entries:
        found = explain(account, f"e{entry.id}")
        assert (
            found.cents == sum(row.cents for row in found.rows) == entry.patient_cents + entry.insurer_cents
        )
        assert any("by Juno Park" in note for note in found.notes)
    paid = next(e for e in account.entries if e.kind == "payment")
    assert [(line.words, cents) for line, cents in explain(account, f"e{paid.id}").pays] == [
        ("White filling, back, two surfaces, tooth 14", 5_000)
    ]
    charge = next(e for e in account.entries if e.kind == "charge")
    assert (
        set(account.links[charge.id]) >= {f"p{paid.id}", f"c{account.visits[0].claims[0].id}"}
        and f"p{paid.id}" in account.links[paid.id]
    )
    for wrong in ("e999999", "x1", "v", "o1"):
        with pytest.raises(NotFound):
            explain(account, wrong)


@pytest.mark.slow
def test_many_papers_are_made_on_every_core_in_their_order() -> None:
    made = press.write_all([f"<p>{n} {'word ' * 40 * n}</p>" for n in range(6)])
    assert all(each.startswith(b"%PDF") for each in made)
    sizes = []
    for each in made:
        with pikepdf.open(io.BytesIO(each)) as paper:
            sizes.append(len(paper.pages[0].Contents.read_bytes()))
    assert sizes == sorted(sizes) and len(set(sizes)) == 6


def test_a_plan_of_the_wrong_shape_names_every_field(desk: Desk, owing: int) -> None:
    """Nothing is made; every wrong field is told at once, in words for people."""
    with pytest.raises(Problems) as wrong:
        form(desk, owing, amount="x", count="61", first="soon", every="now", card_id="one")
    assert set(wrong.value.problems) == {"amount", "count", "first", "every", "card_id"}
    assert wrong.value.problems["count"] == "Between 2 and 60 installments."
    for count in ("1", "six"):
        with pytest.raises(Problems, match="Between 2 and 60"):
            form(desk, owing, count=count)

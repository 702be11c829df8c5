"""Payment plans: made from open charges, charged to a card on file as installments fall due, ended when paid
or by somebody.

A failed installment is tried again every three days, three times in all; then it waits for the desk, and the
plan shows among the jobs of Money.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import partial
from typing import Annotated

from pydantic import Field

from zax.clock import local
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.form import Cents, Form, ReferenceOrNone, References, a_day, a_number, one_of
from zax.core.money.journal import line_parts
from zax.core.money.payment_plan import (
    EVERY,
    MOST_INSTALLMENTS,
    MOST_TRIES,
    Installment,
    Standing,
    check_first,
    check_plan,
    may_try,
    schedule,
    standing,
)
from zax.core.money.tender import PaymentState, TenderForm
from zax.core.wording import dollars
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.money.cards_on_file import usable_card
from zax.desk.money.dues import open_items
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.posting import lock_household
from zax.outside.doors import Terminal
from zax.store.engine import Connection
from zax.store.money import journal, payments
from zax.store.money import payment_plans as stored
from zax.store.money import queries as money
from zax.store.money.records import CardOnFile, NamedPlan, PlanTry


class PaymentPlanForm(Form):
    """A plan as asked for; `lines` are the charges it is for."""

    lines: References = Field(default=(), validation_alias="line")
    amount: Cents
    count: Annotated[int, a_number(2, MOST_INSTALLMENTS, f"Between 2 and {MOST_INSTALLMENTS} installments.")]
    first: Annotated[date, a_day("Choose the day of the first installment.")]
    every: Annotated[str, one_of(EVERY, "Choose how often an installment is due.")]
    card_id: ReferenceOrNone = Field(default=None, validation_alias="card")


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanView:
    """A plan as it stands; `open` are the cents open on its charges by line, `failed` what the card said last
    of the installment that is due.
    """

    row: NamedPlan
    first: str
    installments: Sequence[Installment]
    standing: Standing
    open: dict[int, int]
    card: CardOnFile | None
    failed: str
    tries: int

    @property
    def needs_a_person(self) -> bool:
        """The card was tried as often as it may be, or there is none and an installment is overdue."""
        return (
            self.row.ended_at is None
            and self.standing.due > 0
            and (self.tries >= MOST_TRIES or (self.card is None and self.standing.overdue > 0))
        )


@act("payments")
def make_plan(tx: Transaction, patient_id: int, form: PaymentPlanForm) -> int:
    """Put open charges of the household on a plan; its number. Raises Problems beside the fields."""
    household_id = lock_household(tx, patient_id)
    open_lines = {
        each.line_id: each.cents for each in open_items(tx.connection, tx.clinic, household_id).lines
    }
    wanted = [line for line in dict.fromkeys(form.lines) if line in open_lines]
    if stored.any_on_plan(tx.connection, wanted):
        raise Refused("One of these charges is already on a plan. End that plan first.", "lines")
    check_plan(form.amount, form.count, sum(open_lines[line] for line in wanted))
    check_first(form.first, tx.clinic_day)
    if form.card_id is not None:
        usable_card(tx, form.card_id, patient_id)
    plan_id = stored.add_plan(
        tx.connection,
        patient_id=patient_id,
        cents=form.amount,
        every=form.every,
        count=form.count,
        first_day=form.first,
        card_id=form.card_id,
        made_at=tx.now,
        made_by=tx.actor.id,
        lines={line: open_lines[line] for line in wanted},
    )
    tx.audit("plan.made", patient_id=patient_id, plan=plan_id, cents=form.amount, count=form.count)
    tx.tell("money", patient_id=patient_id)
    return plan_id


@act("payments")
def end_plan(tx: Transaction, plan_id: int, why: str) -> int:
    """End a plan early: what is open is due again as before. The patient."""
    row = stored.running_plan_for_update(tx.connection, plan_id)
    if row is None:
        raise NotFound("There is no such plan, or it has ended.")
    if not why.strip():
        raise Refused("Say why it ends.", "why")
    stored.end_plan(tx.connection, plan_id, tx.now, why.strip())
    tx.audit("plan.ended", patient_id=row.patient_id, plan=plan_id, why=why.strip())
    tx.tell("money", patient_id=row.patient_id)
    return row.patient_id


def plans_of(connection: Connection, household_id: int, today: date) -> list[PlanView]:
    """The household's plans that run, the newest first."""
    return [_view(connection, row, today) for row in stored.running_plans(connection, household_id)]


def running_plans(connection: Connection, today: date) -> list[PlanView]:
    """Every plan that runs."""
    return [_view(connection, row, today) for row in stored.running_plans(connection)]


def _view(connection: Connection, row: NamedPlan, today: date) -> PlanView:
    still = _open_of(connection, row.id)
    installments = schedule(row.cents, row.count, row.first_day, row.every)
    found = standing(row.cents, installments, sum(still.values()), today)
    tries = _tries(connection, row.id, found.next.number if found.next else 0)
    card = payments.card_of(connection, row.card_id) if row.card_id else None
    declined = [each for each in tries if each.state == PaymentState.DECLINED]
    failed = declined[-1].words if declined else ""
    return PlanView(
        row=row,
        first=row.first,
        installments=installments,
        standing=found,
        open=still,
        card=card,
        failed=failed,
        tries=len(declined),
    )


def _open_of(connection: Connection, plan_id: int) -> dict[int, int]:
    """{line_id: the patient's cents still open on it} for a plan's charges."""
    ids = stored.lines_of_plan(connection, plan_id)
    parts = line_parts(
        journal.entries_of_lines(connection, ids), journal.allocations_of_lines(connection, ids)
    )
    return {line_id: max(0, each.patient) for line_id, each in parts.items()}


def _tries(connection: Connection, plan_id: int, number: int) -> list[PlanTry]:
    """The tries of an installment, oldest first. What came of one is what its payment says now; without a
    payment it was refused before the terminal was asked, or broke off.
    """
    tries = {
        f"{_try_key(plan_id, number, each.day)}-1": each
        for each in stored.tries_of(connection, plan_id, number)
    }
    paid = payments.payments_by_keys(connection, tries)
    return [
        replace(each, state=paid[key].state, words=paid[key].words) if key in paid else each
        for key, each in tries.items()
    ]


def _try_key(plan_id: int, number: int, day: date) -> str:
    return f"plan-{plan_id}-{number}-{day:%y%m%d}"


def charge_due(desk: Desk) -> int:
    """See that every installment that is due is charged to its card on file, once a day each; end plans that
    are paid. How many are to be charged: each is an errand for itself.
    """
    today = local(desk.clock.now(), desk.clinic.first_site.timezone).date()
    with desk.engine.connect() as connection:
        plans = running_plans(connection, today)
        due = [plan for plan in plans if _may_be_charged(connection, plan, today)]
    for plan in plans:
        if plan.standing.done:
            _end_paid(desk, plan.row.id)
    for plan in due:
        in_transaction(desk, WORKER, partial(_send_installment, plan=plan, today=today))
    return len(due)


def _may_be_charged(connection: Connection, plan: PlanView, today: date) -> bool:
    if plan.standing.done or plan.card is None or not plan.standing.due or plan.standing.next is None:
        return False
    tries = _tries(connection, plan.row.id, plan.standing.next.number)
    today_once = all(row.day != today for row in tries)
    return today_once and may_try([(row.day, row.state) for row in tries], today)


def _send_installment(tx: Transaction, *, plan: PlanView, today: date) -> None:
    assert plan.standing.next is not None
    key = _try_key(plan.row.id, plan.standing.next.number, today)
    tx.send("installment", f"errand-{key}", {"plan_id": plan.row.id})


def charge_installment(desk: Desk, terminal: Terminal, plan_id: int) -> None:
    """Charge what is due of a plan today, if it still is."""
    today = local(desk.clock.now(), desk.clinic.first_site.timezone).date()
    with desk.engine.connect() as connection:
        row = next((each for each in stored.running_plans(connection) if each.id == plan_id), None)
        plan = _view(connection, row, today) if row else None
        due = plan is not None and _may_be_charged(connection, plan, today)
    if plan is not None and due:
        _charge(desk, terminal, plan, today)


def _charge(desk: Desk, terminal: Terminal, plan: PlanView, today: date) -> None:
    assert plan.standing.next is not None
    number = plan.standing.next.number
    if not _claim_try(desk, plan.row.id, number, today):
        return
    with desk.engine.connect() as connection:
        lines = {line.id: line for line in money.lines_of(connection, list(plan.open))}
    items = [Item(lines[line].visit_id, line, None) for line in sorted(plan.open) if plan.open[line]]
    cents = plan.standing.due
    card_id = plan.card.id if plan.card else None
    form = PayForm(
        tenders=[TenderForm("file", dollars(cents), card_id=card_id)],
        items=items,
        key=_try_key(plan.row.id, number, today),
    )
    try:
        take_payment(desk, WORKER, terminal, plan.row.patient_id, form)
    except Mendable as error:
        _note_refused(desk, plan.row.id, number, today, error.message)


def _claim_try(desk: Desk, plan_id: int, number: int, today: date) -> bool:
    """Note that this installment is tried today; False when another worker already did."""
    return in_transaction(
        desk, WORKER, lambda tx: stored.claim_try(tx.connection, plan_id, number, today, tx.now)
    )


def _note_refused(desk: Desk, plan_id: int, number: int, today: date, words: str) -> None:
    """The card was not even asked: it is off file, or nothing is open anymore."""

    def write(tx: Transaction) -> None:
        stored.note_try(tx.connection, plan_id, number, today, PaymentState.DECLINED, words)
        tx.tell("money")

    in_transaction(desk, WORKER, write)


def _end_paid(desk: Desk, plan_id: int) -> None:
    def write(tx: Transaction) -> None:
        stored.end_plan(tx.connection, plan_id, tx.now, "paid")
        tx.audit("plan.paid", plan=plan_id)

    in_transaction(desk, WORKER, write)

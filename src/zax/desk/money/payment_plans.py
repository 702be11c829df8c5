"""Payment plans: made from open charges, charged to a card on file as instalments fall due, ended when paid or by somebody.

A failed instalment is tried again every three days, three times in all; then it waits for the desk, and the plan shows among the jobs of Money.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, insert, select, update
from sqlalchemy.dialects.mysql import insert as mysql_insert

from zax.clock import local
from zax.core.errors import Mendable, NotFound, Refused
from zax.core.money.cents import plain
from zax.core.money.journal import Allocation, line_parts
from zax.core.money.payment_plan import (
    EVERY,
    MOST_TRIES,
    Instalment,
    Standing,
    check_first,
    check_plan,
    may_try,
    schedule,
    standing,
)
from zax.core.money.tender import PaymentState, TenderForm
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.money.cards_on_file import usable_card
from zax.desk.money.dues import open_items
from zax.desk.money.payments import Item, PayForm, take_payment
from zax.desk.money.posting import lock_household
from zax.outside.doors import Terminal
from zax.store import schema
from zax.store.money import queries as money


@dataclass(frozen=True, slots=True)
class PaymentPlanForm:
    """A plan as typed; `lines` are the charges it is for."""

    lines: Sequence[int]
    amount: str
    count: str
    first: str
    every: str
    card_id: int | None = None


@dataclass(frozen=True, slots=True)
class PlanView:
    """A plan as it stands; `open` are the cents open on its charges by line, `failed` what the card said last of the instalment that is due."""

    row: Any
    first: str
    instalments: Sequence[Instalment]
    standing: Standing
    open: dict[int, int]
    card: Any
    failed: str
    tries: int

    @property
    def needs_a_person(self) -> bool:
        """The card was tried as often as it may be, or there is none and an instalment is overdue."""
        return self.row.ended_at is None and self.standing.due > 0 and (
            self.tries >= MOST_TRIES or (self.card is None and self.standing.overdue > 0)
        )  # fmt: skip


@act("payments")
def make_plan(tx: Transaction, patient_id: int, form: PaymentPlanForm) -> int:
    """Put open charges of the household on a plan; its number. Raises Problems beside the fields."""
    household_id = lock_household(tx, patient_id)
    open_lines = {each.line_id: each.cents for each in open_items(tx.connection, tx.clinic, household_id).lines}
    wanted = [line for line in dict.fromkeys(form.lines) if line in open_lines]
    k, p = schema.plan_line, schema.payment_plan
    taken = (
        select(k.c.line_id)
        .join(p, p.c.id == k.c.plan_id)
        .where(p.c.ended_at.is_(None), k.c.line_id.in_(wanted or [0]))
    )
    if tx.one(taken.limit(1)) is not None:
        raise Refused("One of these charges is on a plan already. End that plan first.", "lines")
    cents, count = check_plan(form.amount, form.count, sum(open_lines[line] for line in wanted))
    first = _first_day(form.first)
    check_first(first, tx.business_day(tx.clinic.first_site.id))
    if form.every not in EVERY:
        raise Refused("Choose how often an instalment is due.", "every")
    if form.card_id is not None:
        usable_card(tx, form.card_id, patient_id)
    plan_id = tx.add(
        p, patient_id=patient_id, cents=cents, every=form.every, count=count, first_day=first, card_id=form.card_id, made_at=tx.now, made_by=tx.actor.id
    )  # fmt: skip
    tx.connection.execute(
        insert(k), [{"plan_id": plan_id, "line_id": line, "cents": open_lines[line]} for line in wanted]
    )
    tx.audit("plan.made", patient_id=patient_id, plan=plan_id, cents=cents, count=count)
    tx.tell("money", patient_id=patient_id)
    return plan_id


def _first_day(text: str) -> date:
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise Refused("Choose the day of the first instalment.", "first") from None


@act("payments")
def end_plan(tx: Transaction, plan_id: int, why: str) -> int:
    """End a plan early: what is open is due again as before. The patient."""
    p = schema.payment_plan
    row = tx.one(select(p).where(p.c.id == plan_id, p.c.ended_at.is_(None)).with_for_update())
    if row is None:
        raise NotFound("There is no such plan, or it has ended.")
    if not why.strip():
        raise Refused("Say why it ends.", "why")
    tx.connection.execute(
        update(p)
        .where(p.c.id == plan_id)
        .values(ended_at=tx.now, why_ended=why.strip()[:120], version=row.version + 1)
    )
    tx.audit("plan.ended", patient_id=row.patient_id, plan=plan_id, why=why.strip())
    tx.tell("money", patient_id=row.patient_id)
    return int(row.patient_id)


def plans_of(connection: Connection, household_id: int, today: date) -> list[PlanView]:
    """The household's plans that run, the newest first."""
    x = schema.patient
    return _views(connection, today, x.c.household_id == household_id)


def running_plans(connection: Connection, today: date) -> list[PlanView]:
    """Every plan that runs."""
    return _views(connection, today)


def _views(connection: Connection, today: date, *where: Any) -> list[PlanView]:
    p, x, c = schema.payment_plan, schema.patient, schema.card_on_file
    query = (
        select(p, x.c.first, x.c.last, x.c.household_id)
        .join(x, x.c.id == p.c.patient_id)
        .where(p.c.ended_at.is_(None), *where)
    )
    made = []
    for row in connection.execute(query.order_by(p.c.id.desc())).all():
        still = _open_of(connection, row)
        instalments = schedule(row.cents, row.count, row.first_day, row.every)
        found = standing(row.cents, instalments, sum(still.values()), today)
        tries = _tries(connection, row.id, found.next.number if found.next else 0)
        card = connection.execute(select(c).where(c.c.id == row.card_id)).first() if row.card_id else None
        declined = [each for each in tries if each.state == PaymentState.DECLINED]
        made.append(
            PlanView(
                row, row.first, instalments, found, still, card, declined[-1].words if declined else "", len(declined)
            )
        )
    return made


def _open_of(connection: Connection, row: Any) -> dict[int, int]:
    """{line_id: the patient's cents still open on it} for a plan's charges."""
    k, j, a = schema.plan_line, schema.journal, schema.allocation
    ids = [each.line_id for each in connection.execute(select(k.c.line_id).where(k.c.plan_id == row.id))]
    entries = [
        money.entry_of(each)
        for each in connection.execute(select(j).where(j.c.line_id.in_(ids or [0])).order_by(j.c.id))
    ]
    given = [
        Allocation(each.credit_id, each.line_id, each.cents)
        for each in connection.execute(select(a).where(a.c.line_id.in_(ids or [0])))
    ]
    return {line_id: max(0, parts.patient) for line_id, parts in line_parts(entries, given).items()}


@dataclass(frozen=True, slots=True)
class _Try:
    day: date
    state: str
    words: str


def _tries(connection: Connection, plan_id: int, number: int) -> list[_Try]:
    """The tries of an instalment, oldest first. What came of one is what its payment says now; without a payment it was refused before the terminal was asked, or broke off."""
    t, y = schema.plan_try, schema.payment
    rows = connection.execute(select(t).where(t.c.plan_id == plan_id, t.c.number == number).order_by(t.c.id)).all()
    keys = {f"{_try_key(plan_id, number, row.day)}-1": row for row in rows}
    paid = {row.request_key: row for row in connection.execute(select(y).where(y.c.request_key.in_(keys or [""])))}
    return [
        _Try(row.day, paid[key].state, paid[key].words) if key in paid else _Try(row.day, row.state, row.words)
        for key, row in keys.items()
    ]


def _try_key(plan_id: int, number: int, day: date) -> str:
    return f"plan-{plan_id}-{number}-{day:%y%m%d}"


def charge_due(desk: Desk, terminal: Terminal) -> int:
    """Charge every instalment that is due to its card on file, once a day each; end plans that are paid. How many cards were asked."""
    today = local(desk.clock.now(), desk.clinic.first_site.timezone).date()
    with desk.engine.connect() as connection:
        plans = running_plans(connection, today)
    asked = 0
    for plan in plans:
        if plan.standing.done:
            _end_paid(desk, plan.row.id)
        elif plan.card is not None and plan.standing.due and plan.standing.next is not None:
            asked += _charge(desk, terminal, plan, today)
    return asked


def _charge(desk: Desk, terminal: Terminal, plan: PlanView, today: date) -> int:
    assert plan.standing.next is not None
    number = plan.standing.next.number
    with desk.engine.connect() as connection:
        tries = [(row.day, row.state) for row in _tries(connection, plan.row.id, number)]
    if not may_try(tries, today) or not _claim_try(desk, plan.row.id, number, today):
        return 0
    with desk.engine.connect() as connection:
        lines = {line.id: line for line in money.lines_of(connection, list(plan.open))}
    items = [Item(lines[line].visit_id, line, None) for line in sorted(plan.open) if plan.open[line]]
    cents = plan.standing.due
    form = PayForm(
        [TenderForm("file", plain(cents), card_id=plan.card.id)], items, _try_key(plan.row.id, number, today)
    )
    try:
        take_payment(desk, WORKER, terminal, plan.row.patient_id, form)
    except Mendable as error:
        _note_refused(desk, plan.row.id, number, today, error.message)
    return 1


def _claim_try(desk: Desk, plan_id: int, number: int, today: date) -> bool:
    """Note that this instalment is tried today; False when another worker already did."""
    t = schema.plan_try

    def write(tx: Transaction) -> bool:
        row = mysql_insert(t).prefix_with("IGNORE").values(plan_id=plan_id, number=number, day=today, at=tx.now)
        return bool(tx.connection.execute(row).rowcount)

    return in_transaction(desk, WORKER, write)


def _note_refused(desk: Desk, plan_id: int, number: int, today: date, words: str) -> None:
    """The card was not even asked: it is off file, or nothing is open any more."""
    t = schema.plan_try

    def write(tx: Transaction) -> None:
        values = {"state": PaymentState.DECLINED, "words": words[:200]}
        tx.connection.execute(
            update(t).where(t.c.plan_id == plan_id, t.c.number == number, t.c.day == today).values(**values)
        )
        tx.tell("money")

    in_transaction(desk, WORKER, write)


def _end_paid(desk: Desk, plan_id: int) -> None:
    p = schema.payment_plan

    def write(tx: Transaction) -> None:
        tx.connection.execute(
            update(p).where(p.c.id == plan_id, p.c.ended_at.is_(None)).values(ended_at=tx.now, why_ended="paid")
        )
        tx.audit("plan.paid", plan=plan_id)

    in_transaction(desk, WORKER, write)

"""Statements: one for a household or a person, or a run for everybody with a balance by a rule. Each is kept as it was made, under its number.

A run is written down whole, then made by the worker a slice at a time; what is made is kept, so a run that breaks off goes on where it stopped.
"""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import partial
from typing import Any

from sqlalchemy import Connection, func, insert, select, text, update

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.cents import plain
from zax.core.money.journal import Kind
from zax.core.money.statement import Candidate, Rule, interest_on, kept, old_enough, rule_from, why_not
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.money.account import Account, account_of
from zax.desk.money.corrections import charge_own
from zax.desk.money.ledger import OwnLedger
from zax.desk.money.payment_plans import PlanView, plans_of, running_plans
from zax.store import schema
from zax.store.files import FileStore

StatementPdfs = Callable[[Desk, Sequence["Statement"]], list[bytes]]
BATCH = 16  # made at once, so that every core has work
# Households with something open on the patient's side, with what insurers owe on top.
_OPEN = text(
    "SELECT p.household_id, h.name, MIN(CASE WHEN p.guarantor THEN p.first END) AS first, SUM(j.patient_cents) AS patient_cents, SUM(j.insurer_cents) AS insurer_cents FROM journal j "
    "JOIN patient p ON p.id = j.patient_id JOIN household h ON h.id = p.household_id GROUP BY p.household_id HAVING patient_cents > 0 ORDER BY h.name, h.id"
)


@dataclass(frozen=True, slots=True)
class Statement:
    """What a statement says: the account as it is, the plans, what is asked for now (cents), and the number it is kept under."""

    number: int
    account: Account
    plans: Sequence[PlanView]
    day: date
    asked: int


@dataclass(frozen=True, slots=True)
class Preview:
    """A household of a run and, when it gets none, why."""

    each: Candidate
    why_not: str


def candidates(connection: Connection, today: date) -> list[Candidate]:
    """Every household with something open."""
    s, f, p = schema.statement, schema.patient_flag, schema.patient
    last = {
        row.household_id: row.day
        for row in connection.execute(
            select(s.c.household_id, func.max(s.c.day).label("day"))
            .where(s.c.state == "made")
            .group_by(s.c.household_id)
        )
    }
    flags: dict[int, set[int]] = defaultdict(set)
    for row in connection.execute(
        select(p.c.household_id, f.c.flag_id).join(p, p.c.id == f.c.patient_id).where(f.c.ended_at.is_(None))
    ):
        flags[row.household_id].add(row.flag_id)
    waiting: dict[int, int] = defaultdict(int)
    for plan in running_plans(connection, today):
        waiting[plan.row.household_id] += _not_due(plan)
    return [
        Candidate(
            row.household_id, f"{row.name}, {row.first}" if row.first else row.name, int(row.patient_cents), int(row.insurer_cents), frozenset(flags.get(row.household_id, ())), last.get(row.household_id),
            waiting.get(row.household_id, 0),
        )
        for row in connection.execute(_OPEN)
    ]  # fmt: skip


def _not_due(plan: PlanView) -> int:
    return sum(plan.open.values()) - plan.standing.due


def preview(connection: Connection, rule: Rule, today: date) -> list[Preview]:
    return [Preview(each, why_not(each, rule, today)) for each in candidates(connection, today)]


def statement_of(
    connection: Connection, clinic: Any, household_id: int, patient_id: int | None, number: int, today: date
) -> Statement:
    """What a statement of the household, or of one person, says today."""
    p = schema.patient
    anybody = (
        patient_id
        or connection.execute(
            select(p.c.id).where(p.c.household_id == household_id).order_by(p.c.guarantor.desc(), p.c.id).limit(1)
        ).scalar()
    )
    if anybody is None:
        raise NotFound("There is no such household.")
    account = account_of(connection, clinic, int(anybody), today, patient_id is not None)
    plans = plans_of(connection, household_id, today)
    lines = account.lines
    asked = account.open.patient - sum(_not_due(plan) for plan in plans if set(plan.open) <= set(lines))
    return Statement(number, account, plans, today, asked)


@act("payments")
def make_statement(
    tx: Transaction, pdf: StatementPdfs, store: FileStore, household_id: int, patient_id: int | None
) -> int:
    """One statement now; its number."""
    today = tx.business_day(tx.clinic.first_site.id)
    number = tx.add(
        schema.statement,
        household_id=household_id,
        patient_id=patient_id,
        day=today,
        made_at=tx.now,
        by_id=tx.actor.id,
    )
    made = statement_of(tx.connection, tx.clinic, household_id, patient_id, number, today)
    _keep(tx, number, made.asked, store, pdf(tx.desk, [made])[0])
    tx.audit("statement.made", patient_id=made.account.patient.id, statement=number, cents=made.asked)
    return number


def _keep(tx: Transaction, number: int, cents: int, store: FileStore, content: bytes) -> None:
    s = schema.statement
    values = {
        "cents": cents,
        "digest": store.put(content),
        "bytes": len(content),
        "state": "made",
        "made_at": tx.now,
    }
    tx.connection.execute(update(s).where(s.c.id == number).values(**values))


@act("statements")
def start_run(tx: Transaction, rule: Rule) -> int:
    """Write a run down for everybody the rule picks; the worker makes them. Refused when it picks nobody, Conflict while another is made."""
    today = tx.business_day(tx.clinic.first_site.id)
    r, s = schema.statement_run, schema.statement
    if tx.one(select(r.c.id).where(r.c.state == "waiting").with_for_update()) is not None:
        raise Conflict("A run is being made. Wait until it is done, or stop it.")
    if rule.interest:
        _charge_interest(tx, today)
    chosen = [each.each for each in preview(tx.connection, rule, today) if not each.why_not]
    if not chosen:
        raise Refused(
            "Nobody gets a statement by this rule. Lower the minimum, or the days since the last.", "minimum"
        )
    run_id = tx.add(r, rule=kept(rule), day=today, total=len(chosen), made_at=tx.now, by_id=tx.actor.id)
    rows = [
        {
            "household_id": each.household_id,
            "run_id": run_id,
            "day": today,
            "made_at": tx.now,
            "by_id": tx.actor.id,
        }
        for each in chosen
    ]
    tx.connection.execute(insert(s), rows)
    tx.send("statements", f"statements-{run_id}", {"run_id": run_id})
    tx.audit("statements.run", run=run_id, total=len(chosen))
    return run_id


def _charge_interest(tx: Transaction, today: date) -> None:
    """A month's interest on what has been open longer than the set days, once a month a household."""
    setup = tx.clinic.money
    if not setup.interest:
        return
    j, p = schema.journal, schema.patient
    lately = (
        select(p.c.household_id)
        .join(p, p.c.id == j.c.patient_id)
        .where(j.c.kind == Kind.INTEREST, j.c.day > date.fromordinal(today.toordinal() - 28))
    )
    had = {row.household_id for row in tx.rows(lately.distinct())}
    for each in candidates(tx.connection, today):
        if each.household_id in had:
            continue
        made = statement_of(tx.connection, tx.clinic, each.household_id, None, 0, today)
        planned = {line for plan in made.plans for line in plan.open}
        lines = [line for line in made.account.lines.values() if line.id not in planned and line.since is not None]
        old = old_enough([(line.open.patient, line.since) for line in lines], today, setup.interest_after)
        cents = interest_on(old, setup.interest)
        if cents:
            words = (
                f"Interest, {setup.interest / 100:g} percent of {plain(old)} open over {setup.interest_after} days"
            )
            charge_own(
                tx,
                OwnLedger(made.account.members[0].id, tx.clinic.first_site.id),
                "interest",
                Kind.INTEREST,
                cents,
                words,
            )


@act("statements")
def stop_run(tx: Transaction, run_id: int) -> None:
    """Stop a run; what was made is kept."""
    r = schema.statement_run
    row = tx.one(select(r).where(r.c.id == run_id, r.c.state == "waiting").with_for_update())
    if row is None:
        raise Conflict("This run is not being made any more.")
    tx.connection.execute(update(r).where(r.c.id == run_id).values(state="stopped", ended_at=tx.now))
    tx.audit("statements.stopped", run=run_id)


def carry_on(desk: Desk, store: FileStore, pdf: StatementPdfs, run_id: int, seconds: float) -> bool:
    """Make statements of a run for so many seconds; whether it is done. Each is its own transaction."""
    until = time.monotonic() + seconds
    s, r = schema.statement, schema.statement_run
    while time.monotonic() < until:
        with desk.engine.connect() as connection:
            run = connection.execute(select(r).where(r.c.id == run_id)).one()
            waiting = select(s).where(s.c.run_id == run_id, s.c.state == "waiting").order_by(s.c.id).limit(BATCH)
            rows = connection.execute(waiting).all()
            going = run.state == "waiting" and bool(rows)
            made = (
                [
                    statement_of(connection, desk.clinic, row.household_id, row.patient_id, row.id, row.day)
                    for row in rows
                ]
                if going
                else []
            )
        if not going:
            _finish(desk, run_id)
            return True
        for statement, content in zip(made, pdf(desk, made), strict=True):
            in_transaction(
                desk, WORKER, partial(_made, statement=statement, content=content, store=store, run_id=run_id)
            )
        in_transaction(desk, WORKER, lambda tx: tx.tell("statements"))
    return False


def _made(tx: Transaction, *, statement: Statement, content: bytes, store: FileStore, run_id: int) -> None:
    r = schema.statement_run
    _keep(tx, statement.number, statement.asked, store, content)
    tx.connection.execute(update(r).where(r.c.id == run_id).values(done=r.c.done + 1))


def _finish(desk: Desk, run_id: int) -> None:
    r = schema.statement_run

    def write(tx: Transaction) -> None:
        tx.connection.execute(
            update(r).where(r.c.id == run_id, r.c.state == "waiting").values(state="done", ended_at=tx.now)
        )
        tx.tell("statements")

    in_transaction(desk, WORKER, write)


def statements_of(connection: Connection, household_id: int) -> list[Any]:
    """The household's statements, the newest first."""
    s = schema.statement
    query = select(s).where(s.c.household_id == household_id, s.c.state == "made").order_by(s.c.id.desc()).limit(20)
    return list(connection.execute(query).all())


def runs(connection: Connection) -> list[Any]:
    r, u = schema.statement_run, schema.user
    return list(
        connection.execute(
            select(r, u.c.name.label("by_name")).join(u, u.c.id == r.c.by_id).order_by(r.c.id.desc()).limit(12)
        ).all()
    )


def run_of(connection: Connection, run_id: int) -> tuple[Any, list[Any], Rule]:
    """A run, its statements with the household's name, and its rule; NotFound for an unknown one."""
    r, s, h = schema.statement_run, schema.statement, schema.household
    run = connection.execute(select(r).where(r.c.id == run_id)).first()
    if run is None:
        raise NotFound("There is no such run of statements.")
    rows = connection.execute(
        select(s, h.c.name).join(h, h.c.id == s.c.household_id).where(s.c.run_id == run_id).order_by(h.c.name, s.c.id)
    ).all()
    return run, list(rows), rule_from(run.rule)

"""Statements: one for a household or a person, or a run for everybody with a balance by a rule. Each is kept
as it was made, under its number.

A run is written down whole, then made by the worker a slice at a time; what is made is kept, so a run that
breaks off goes on where it stopped.
"""

from __future__ import annotations

import secrets
import time
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.money.journal import Kind
from zax.core.money.statement import (
    PAPER,
    Candidate,
    Rule,
    StatementState,
    interest_on,
    kept,
    old_enough,
    rule_from,
    way_wished,
    why_not,
)
from zax.core.wording import dollars
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.account import Account, account_of
from zax.desk.money.corrections import charge_own
from zax.desk.money.ledger import OwnLedger
from zax.desk.money.payment_plans import PlanView, plans_of, running_plans
from zax.store.engine import Connection
from zax.store.files import FileStore
from zax.store.money import statements as stored
from zax.store.money.records import StatementRun
from zax.store.money.statements import NamedStatement

StatementPdfs = Callable[[Desk, Sequence["Statement"]], list[bytes]]
BATCH = 8  # made at once, so that every core has work and progress shows soon


@dataclass(frozen=True, slots=True)
class Statement:
    """What a statement says: the account as it is, the plans, what is asked for now (cents), and the number
    it is kept under.
    """

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
    last, flags = stored.last_statements(connection), stored.flags_by_household(connection)
    waiting: dict[int, int] = defaultdict(int)
    for plan in running_plans(connection, today):
        waiting[plan.row.household_id] += _not_due(plan)
    return [
        Candidate(
            each.household_id,
            f"{each.name}, {each.first}" if each.first else each.name,
            each.patient_cents,
            each.insurer_cents,
            frozenset(flags.get(each.household_id, ())),
            last.get(each.household_id),
            waiting.get(each.household_id, 0),
        )
        for each in stored.owing_households(connection)
    ]


def _not_due(plan: PlanView) -> int:
    return sum(plan.open.values()) - plan.standing.due


def preview(connection: Connection, rule: Rule, today: date) -> list[Preview]:
    return [Preview(each, why_not(each, rule, today)) for each in candidates(connection, today)]


def statement_of(
    connection: Connection,
    clinic: Clinic,
    household_id: int,
    patient_id: int | None,
    number: int,
    today: date,
) -> Statement:
    """What a statement of the household, or of one person, says today."""
    anybody = patient_id or stored.anybody_of(connection, household_id)
    if anybody is None:
        raise NotFound("There is no such household.")
    account = account_of(connection, clinic, anybody, today, patient_id is not None)
    plans = plans_of(connection, household_id, today)
    lines = account.lines
    asked = account.open.patient - sum(_not_due(plan) for plan in plans if set(plan.open) <= set(lines))
    return Statement(number, account, plans, today, asked)


@act("payments")
def make_statement(
    tx: Transaction, pdf: StatementPdfs, store: FileStore, household_id: int, patient_id: int | None
) -> int:
    """One statement now; its number."""
    today = tx.clinic_day
    number = stored.add_statement(
        tx.connection,
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
    digest = store.put(content)
    stored.keep_statement(
        tx.connection, number, cents=cents, digest=digest, size=len(content), made_at=tx.now
    )


@act("statements")
def start_run(tx: Transaction, rule: Rule) -> int:
    """Write a run down for everybody the rule picks; the worker makes them. Refused when it picks nobody,
    Conflict while another is made.
    """
    today = tx.clinic_day
    if stored.run_being_made(tx.connection):
        raise Conflict("A run is in progress. Wait until it’s done, or stop it.")
    if rule.interest:
        _charge_interest(tx, today)
    chosen = [each.each for each in preview(tx.connection, rule, today) if not each.why_not]
    if not chosen:
        raise Refused(
            "No one gets a statement with these settings. Lower the minimum, or the days since the last one.",
            "minimum",
        )
    run_id = stored.add_run(
        tx.connection,
        rule=kept(rule),
        day=today,
        made_at=tx.now,
        by_id=tx.actor.id,
        households=[each.household_id for each in chosen],
    )
    tx.send("statements", f"statements-{run_id}", {"run_id": run_id})
    tx.audit("statements.run", run=run_id, total=len(chosen))
    return run_id


def _charge_interest(tx: Transaction, today: date) -> None:
    """A month's interest on what has been open longer than the set days, once a charge and month."""
    setup = tx.clinic.money
    if not setup.interest:
        return
    for each in candidates(tx.connection, today):
        made = statement_of(tx.connection, tx.clinic, each.household_id, None, 0, today)
        planned = {line for plan in made.plans for line in plan.open}
        lines = {
            line.id: cents
            for line in made.account.lines.values()
            if line.id not in planned
            and (cents := old_enough(line.pieces.patient, today, setup.interest_after))
        }
        bearing = stored.claim_interest(tx.connection, lines, today, today - timedelta(days=28))
        old = sum(lines[line] for line in bearing)
        cents = interest_on(old, setup.interest)
        if cents:
            words = (
                f"Interest, {setup.interest / 100:g} percent of {dollars(old)} open"
                f" over {setup.interest_after} days"
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
    if stored.waiting_run_for_update(tx.connection, run_id) is None:
        raise Conflict("This run is no longer in progress.")
    stored.end_run(tx.connection, run_id, StatementState.STOPPED, tx.now)
    tx.audit("statements.stopped", run=run_id)


def carry_on(
    desk: Desk,
    store: FileStore,
    pdf: StatementPdfs,
    run_id: int,
    seconds: float,
    alive: Callable[[], None] = lambda: None,
) -> bool:
    """Make statements of a run for so many seconds, at least a handful; whether it is done. Each is its own
    transaction; `alive` is called after each handful.
    """
    until = time.monotonic() + seconds
    while True:
        with desk.engine.connect() as connection:
            run = stored.run_row(connection, run_id)
            # The first alone: it is written before the helpers for many have started.
            most = BATCH if run is not None and run.done else 1
            rows = stored.waiting_statements(connection, run_id, most)
            going = run is not None and run.state == StatementState.WAITING and bool(rows)
            made = [
                statement_of(connection, desk.clinic, row.household_id, row.patient_id, row.id, row.day)
                for row in (rows if going else ())
            ]
        if not going:
            _finish(desk, run_id)
            return True
        for statement, content in zip(made, pdf(desk, made), strict=True):
            in_transaction(
                desk, WORKER, partial(_made, statement=statement, content=content, store=store, run_id=run_id)
            )
        in_transaction(desk, WORKER, lambda tx: tx.tell("statements"))
        alive()
        if time.monotonic() >= until:
            return False


def _made(tx: Transaction, *, statement: Statement, content: bytes, store: FileStore, run_id: int) -> None:
    """Kept, and by which way it goes: whoever wants no paper gets none, from any run."""
    _keep(tx, statement.number, statement.asked, store, content)
    way = _way_of(tx, statement)
    link = secrets.token_urlsafe(15) if way != PAPER else None
    stored.set_way(tx.connection, statement.number, way=way, link=link)
    stored.count_made(tx.connection, run_id)


def _way_of(tx: Transaction, statement: Statement) -> str:
    payer = next((each for each in statement.account.members if each.guarantor), statement.account.patient)
    wish = payer.reach.get("money", {}).get("by", "")
    return way_wished(wish, bool(payer.email), bool(payer.phone) and payer.texts_to != "none")


def _finish(desk: Desk, run_id: int) -> None:
    def write(tx: Transaction) -> None:
        stored.end_run(tx.connection, run_id, StatementState.DONE, tx.now)
        tx.tell("statements")

    in_transaction(desk, WORKER, write)


def run_of(connection: Connection, run_id: int) -> tuple[StatementRun, list[NamedStatement], Rule]:
    """A run, its statements with the household's name, and its rule; NotFound for an unknown one."""
    run = stored.run_row(connection, run_id)
    if run is None:
        raise NotFound("There is no such run of statements.")
    return run, stored.statements_of_run(connection, run_id), rule_from(run.rule)

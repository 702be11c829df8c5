"""What somebody owes, as their own page explains it. Who pays for a household sees all of it, anybody else
what is their own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.own.explaining import Explained, explain_line
from zax.core.own.suggesting import OpenCharge
from zax.desk.clinic.clinic import Clinic
from zax.desk.money.account import Account, LedgerView, account_of
from zax.desk.money.payment_plans import PlanView, plans_of
from zax.store.engine import Connection
from zax.store.patients.records import Patient


@dataclass(frozen=True, slots=True)
class OwnVisit:
    """A visit, or (without `id`) what belongs to none, with its charges; cents. `other` is what stands on no
    charge: fees, an opening balance, a payment not applied yet.
    """

    view: LedgerView
    lines: Sequence[Explained]
    other: int

    @property
    def yours(self) -> int:
        return self.view.open.patient


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnAccount:
    """`owed` is open with them, `asked` what is asked for now: less what a payment plan asks for later."""

    owner: Patient
    visits: Sequence[OwnVisit]
    plans: Sequence[PlanView]
    owed: int
    asked: int
    waiting: int

    @property
    def charges(self) -> list[OpenCharge]:
        return [
            OpenCharge(line.line_id, line.yours, line.day, each.view.id)
            for each in self.visits
            for line in each.lines
            if line.yours > 0
        ]

    @property
    def open_visits(self) -> list[OwnVisit]:
        """Those with something open, the newest first."""
        return [each for each in self.visits if each.yours != 0]


def own_account(connection: Connection, clinic: Clinic, owner: Patient, today: date) -> OwnAccount:
    account = account_of(connection, clinic, owner.id, today, only=not owner.guarantor)
    plans = plans_of(connection, owner.household_id, today) if owner.guarantor else []
    running = [plan for plan in plans if plan.row.ended_at is None]
    later = sum(sum(plan.open.values()) - plan.standing.due for plan in running)
    return OwnAccount(
        owner=owner,
        visits=[_visit(account, view) for view in account.visits],
        plans=running,
        owed=account.open.patient,
        asked=max(0, account.open.patient - later),
        waiting=account.open.insurer,
    )


def _visit(account: Account, view: LedgerView) -> OwnVisit:
    entries = [each.entry for each in view.entries]
    ids = dict.fromkeys(entry.line_id for entry in entries if entry.line_id in account.lines)
    lines = []
    for number in ids:
        line = account.lines[number or 0]
        lines.append(
            explain_line(
                line.id, line.words, view.day, entries, line.open, any(e.insurer_cents for e in entries)
            )
        )
    return OwnVisit(view, lines, view.open.patient - sum(line.yours for line in lines))

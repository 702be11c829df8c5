"""A payer's own account: what it took from or added to payments beside its claims, and refunds sent to it.
It only grows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import Connection, case, func, select, text

from zax.store.claims.tables import claim
from zax.store.coverage.tables import coverage, payer, plan
from zax.store.remits.tables import payer_entry, remit
from zax.store.rows import add, many

_e = payer_entry


@dataclass(frozen=True, slots=True, kw_only=True)
class PayerEntry:
    id: int
    remit_id: int | None
    payer: str
    claim_id: int | None
    day: date
    reason: str
    reference: str
    cents: int
    words: str
    trace: str | None
    at: datetime


@dataclass(frozen=True, slots=True)
class PayerBalance:
    """`open_cents` of what is only carried between payments (above zero: the payer took more than it gave
    back), `kept_cents` of interest, fees and the like, which end where they are.
    """

    payer: str
    open_cents: int
    kept_cents: int
    number: int
    latest: date


@dataclass(frozen=True, slots=True, kw_only=True)
class OverpaidCredit:
    """A credit on a patient's own ledger that came of a payer's overpayment; `left_cents` isn't used yet."""

    id: int
    patient_id: int
    first: str
    last: str
    words: str
    claim_id: int
    left_cents: int


@dataclass(frozen=True, slots=True)
class PayerName:
    id: int
    name: str


def add_entry(connection: Connection, *, reference: str, payer: str, words: str, **values: Any) -> int:
    return add(connection, _e, reference=reference[:50], payer=payer[:80], words=words[:200], **values)


def balance(connection: Connection, name: str, carried: Sequence[str]) -> int:
    """What stands on its account of what is only carried between payments, in cents."""
    query = select(func.coalesce(func.sum(_e.c.cents), 0))
    query = query.where(_e.c.payer == name[:80], _e.c.reason.in_(carried))
    return int(connection.execute(query).scalar_one())


def balances(connection: Connection, carried: Sequence[str]) -> list[PayerBalance]:
    """Every payer with such an account, by name."""
    moved = case((_e.c.reason.in_(carried), _e.c.cents), else_=0)
    query = select(
        _e.c.payer,
        func.sum(moved).label("open_cents"),
        func.sum(_e.c.cents - moved).label("kept_cents"),
        func.count().label("number"),
        func.max(_e.c.day).label("latest"),
    ).group_by(_e.c.payer)
    return many(connection, query.order_by(_e.c.payer), PayerBalance)


def entries_of(connection: Connection, name: str) -> list[PayerEntry]:
    """The account of one payer, the newest first."""
    query = select(_e, remit.c.trace).join(remit, remit.c.id == _e.c.remit_id, isouter=True)
    return many(connection, query.where(_e.c.payer == name[:80]).order_by(_e.c.id.desc()), PayerEntry)


_OVERPAID = text(
    """
    SELECT j.id, j.patient_id, a.first, a.last, j.words, s.claim_id,
      -j.patient_cents
        - COALESCE((SELECT SUM(d.patient_cents) FROM journal d WHERE d.of_id = j.id), 0)
        + COALESCE((SELECT SUM(r.patient_cents) FROM journal r WHERE r.reverses_id = j.id), 0) * -1
        - COALESCE((SELECT SUM(g.cents) FROM allocation g WHERE g.credit_id = j.id), 0) AS left_cents
    FROM journal j
    JOIN journal s ON s.id = j.of_id
    JOIN patient a ON a.id = j.patient_id
    WHERE j.visit_id IS NULL AND j.kind = 'transfer' AND j.patient_cents < 0 AND s.claim_id IS NOT NULL
      AND s.insurer_cents > 0
    ORDER BY j.id
    """
)


def overpaid(connection: Connection) -> list[OverpaidCredit]:
    """Every credit that came of a payer's overpayment, the oldest first."""
    return many(connection, _OVERPAID, OverpaidCredit)


def payer_of_claim(connection: Connection, claim_id: int) -> PayerName:
    query = (
        select(payer.c.id, payer.c.name)
        .join(plan, plan.c.payer_id == payer.c.id)
        .join(coverage, coverage.c.plan_id == plan.c.id)
        .join(claim, claim.c.coverage_id == coverage.c.id)
        .where(claim.c.id == claim_id)
    )
    row = connection.execute(query).one()
    return PayerName(row.id, row.name)

"""Reading what an account shows of claims: which stand at its visits, and which charges are on them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select

from zax.store.rows import many
from zax.store.schema import claim, claim_line, coverage, payer, plan


@dataclass(frozen=True, slots=True, kw_only=True)
class AccountClaim:
    id: int
    number: str
    visit_id: int
    state: str
    sent_at: datetime | None
    paid_cents: int
    payer_name: str


def claims_of_visits(connection: Connection, visit_ids: Iterable[int]) -> list[AccountClaim]:
    query = (
        select(
            claim.c.id,
            claim.c.number,
            claim.c.visit_id,
            claim.c.state,
            claim.c.sent_at,
            claim.c.paid_cents,
            payer.c.name.label("payer_name"),
        )
        .join(coverage, coverage.c.id == claim.c.coverage_id)
        .join(plan, plan.c.id == coverage.c.plan_id)
        .join(payer, payer.c.id == plan.c.payer_id)
        .where(claim.c.visit_id.in_(list(visit_ids) or [0]))
        .order_by(claim.c.id)
    )
    return many(connection, query, AccountClaim)


def claims_by_line(connection: Connection, claim_ids: Iterable[int]) -> dict[int, list[int]]:
    """{charge line: the claims it is on}."""
    found: dict[int, list[int]] = defaultdict(list)
    query = select(claim_line.c.claim_id, claim_line.c.line_id).where(
        claim_line.c.claim_id.in_(list(claim_ids) or [0])
    )
    for row in connection.execute(query):
        found[row.line_id].append(row.claim_id)
    return found

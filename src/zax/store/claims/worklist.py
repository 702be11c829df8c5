"""Open claims by what they need next: counts, sums, rows, and how long money has been with each payer.

Days since sent are counted by the UTC day. A payer's norm is what a biller set, else what its answers taught.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, Connection, Executable, text

from zax.core.claims.states import ClaimState
from zax.core.claims.worklist import LAST_ANSWERS, USUAL_DAYS, Need
from zax.core.remits.placing import Outcome
from zax.store.rows import many

_OPEN = ", ".join(f"'{state}'" for state in ClaimState if state != ClaimState.CLOSED)
_AT_PAYER = f"('{ClaimState.GOING}', '{ClaimState.SENT}', '{ClaimState.ACCEPTED}')"
_NORM = f"COALESCE(n.own_days, n.learned_days, {USUAL_DAYS})"
_DAYS = "DATEDIFF(:today, c.sent_at)"
_LATE = f"({_DAYS} > {_NORM} AND (c.again_on IS NULL OR c.again_on <= :today))"
# What is asked of the payer; planned work owes nothing yet.
_OWED = "IF(c.visit_id IS NULL, 0, c.cents - c.paid_cents)"
_NEED = f"""
    CASE
      WHEN c.state IN ('{ClaimState.HELD_BACK}', '{ClaimState.REJECTED}') THEN '{Need.FIX}'
      WHEN c.state = '{ClaimState.READY}' THEN '{Need.SEND}'
      WHEN c.state = '{ClaimState.DENIED}' AND c.paid_cents > 0 THEN '{Need.REST}'
      WHEN c.state = '{ClaimState.DENIED}' THEN '{Need.DENIED}'
      WHEN c.state = '{ClaimState.CLOSED}' THEN '{Need.SECOND}'
      WHEN {_LATE} THEN '{Need.OVERDUE}'
      ELSE '{Need.WAIT}'
    END
"""
_FROM = """
    FROM claim c
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    LEFT JOIN payer_norm n ON n.payer_id = y.id
"""
# What the first plan has paid and the second one has not been asked for.
_SECOND = f"""
    c.id IN (SELECT r.claim_id FROM remit_claim r WHERE r.outcome = '{Outcome.SECOND}')
    AND NOT EXISTS (SELECT 1 FROM claim k WHERE k.follows_id = c.id)
"""
_WORKED = f"(c.state IN ({_OPEN}) OR (c.state = '{ClaimState.CLOSED}' AND {_SECOND}))"
# Each begins with the state, which has an index: closed claims are many and are never looked through.
_NEEDING = {
    Need.FIX: f"c.state IN ('{ClaimState.HELD_BACK}', '{ClaimState.REJECTED}')",
    Need.SEND: f"c.state = '{ClaimState.READY}'",
    Need.OVERDUE: f"c.state IN {_AT_PAYER} AND {_LATE}",
    Need.DENIED: f"c.state = '{ClaimState.DENIED}' AND c.paid_cents <= 0",
    Need.REST: f"c.state = '{ClaimState.DENIED}' AND c.paid_cents > 0",
    Need.SECOND: f"c.state = '{ClaimState.CLOSED}' AND {_SECOND}",
    Need.WAIT: f"c.state IN {_AT_PAYER} AND {_LATE} IS NOT TRUE",
}


def _begin_with_claims(need: Need | None = None) -> str:
    """The tables are joined in the order they are written in: the claims first, by their state. Left to its
    guesses the database may begin with every coverage of a payer. Only those for a second plan are chosen by
    their answers, which are few.
    """
    return "" if need is Need.SECOND else "STRAIGHT_JOIN"


_SUM = f"""
    SELECT %s {_NEED} AS need, y.id AS payer_id, y.name AS payer_name, COUNT(*) AS number,
      SUM({_OWED}) AS cents
    {_FROM}
    WHERE %s
    GROUP BY need, y.id, y.name
"""
_SUMS = text(
    f"{_SUM % (_begin_with_claims(), f'c.state IN ({_OPEN})')} UNION ALL"
    f" {_SUM % (_begin_with_claims(Need.SECOND), _NEEDING[Need.SECOND])} ORDER BY payer_name, need"
)
_AGES = text(
    f"""
    SELECT {_begin_with_claims()} y.id AS payer_id, y.name AS payer_name, {_NORM} AS norm,
      LEAST(GREATEST({_DAYS}, 0) DIV 10, 7) AS decade, {_DAYS} > {_NORM} AS late,
      COUNT(*) AS number, SUM({_OWED}) AS cents
    {_FROM}
    WHERE c.state IN {_AT_PAYER}
    GROUP BY y.id, y.name, norm, decade, late
    ORDER BY y.name, decade
    """
)


@dataclass(frozen=True, slots=True)
class NeedSum:
    """How many claims of a payer need the same next, and their unpaid cents."""

    need: str
    payer_id: int
    payer_name: str
    number: int
    cents: int


@dataclass(frozen=True, slots=True)
class AgeSum:
    """Unpaid cents with a payer by tens of days since sent (7 and up: seventy or more)."""

    payer_id: int
    payer_name: str
    norm: int
    decade: int
    late: bool
    number: int
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkedClaim:
    """One row of the list: `days` since it was sent, None before; `norm` the payer's."""

    id: int
    number: str
    need: str
    state: str
    form: str
    rank: str
    frequency: str
    visit_id: int | None
    patient_id: int
    cents: int
    paid_cents: int
    findings: Sequence[Mapping[str, str]]
    kept: Sequence[Mapping[str, str]]
    closed_why: str
    status: str
    again_on: date | None
    owner_name: str | None
    made_at: datetime
    sent_at: datetime | None
    first: str
    last: str
    day: date
    payer_id: int
    payer_name: str
    payer_phone: str
    filing_days: int
    norm: int
    days: int | None


def need_sums(connection: Connection, today: date) -> list[NeedSum]:
    return many(connection, _SUMS, NeedSum, today=today)


def age_sums(connection: Connection, today: date) -> list[AgeSum]:
    return many(connection, _AGES, AgeSum, today=today)


_ORDERS = {
    Need.FIX: "t.day, t.id",
    Need.SEND: "t.day, t.id",
    Need.OVERDUE: "t.days - t.norm DESC, t.cents DESC, t.id",
    Need.DENIED: "t.cents DESC, t.id",
    Need.REST: "t.cents DESC, t.id",
    Need.SECOND: "t.day, t.id",
    Need.WAIT: "t.days DESC, t.id",
}


@dataclass(frozen=True, slots=True)
class ClaimFilter:
    """Which claims of a group are shown: 0 and empty mean all. Site and provider are the visit's (planned
    work has a provider only), `owner_id` who works on it, `days` at least so many since it was sent, `cents`
    at least.
    """

    payer_id: int = 0
    site_id: int = 0
    provider_id: int = 0
    rank: str = ""
    owner_id: int = 0
    days: int = 0
    cents: int = 0


_FILTERS = {
    "payer_id": "y.id = :payer_id",
    "site_id": "b.site_id = :site_id",
    "provider_id": "COALESCE(b.provider_id, w.provider_id) = :provider_id",
    "rank": "c.`rank` = :rank",
    "owner_id": "c.owner_id = :owner_id",
    "days": f"{_DAYS} >= :days",
    "cents": "c.cents >= :cents",
}
_ALL = ClaimFilter()


def _within(need: Need, filters: ClaimFilter) -> str:
    return " AND ".join([_NEEDING[need], *(sql for name, sql in _FILTERS.items() if getattr(filters, name))])


def counted(connection: Connection, need: Need, today: date, filters: ClaimFilter) -> tuple[int, int]:
    """How many claims need this next, and their unpaid cents."""
    query = f"""
    SELECT {_begin_with_claims(need)} COUNT(*) AS number, COALESCE(SUM({_OWED}), 0) AS cents
    {_FROM}
    LEFT JOIN visit b ON b.id = c.visit_id
    LEFT JOIN proposal w ON w.id = c.proposal_id
    WHERE {_within(need, filters)}
    """
    found = connection.execute(text(query), {"today": today, **asdict(filters)}).one()
    return int(found.number), int(found.cents)


def worked(
    connection: Connection,
    need: Need,
    today: date,
    *,
    most: int,
    start: int = 0,
    filters: ClaimFilter = _ALL,
    claim_id: int = 0,
) -> list[WorkedClaim]:
    """Claims that need this next, the most pressing first, or one claim alone. Which ones is
    decided first, then only theirs is read.
    """
    alone = "AND c.id = :claim_id" if claim_id else ""
    query = f"""
    SELECT c.id, c.number, :need AS need, c.state, c.form, c.`rank`, c.frequency, c.visit_id,
      c.patient_id, c.status, c.cents, c.paid_cents, c.findings, c.kept, c.closed_why, c.again_on, c.made_at,
      c.sent_at, a.first, a.last, t.day, y.id AS payer_id, y.name AS payer_name, y.phone AS payer_phone,
      y.filing_days, t.norm, t.days, u.name AS owner_name
    FROM (
      SELECT t.* FROM (
        SELECT {_begin_with_claims(need)} c.id, c.cents, COALESCE(b.day, DATE(c.made_at)) AS day,
          {_NORM} AS norm, {_DAYS} AS days
        {_FROM}
        LEFT JOIN visit b ON b.id = c.visit_id
        LEFT JOIN proposal w ON w.id = c.proposal_id
        WHERE {_within(need, filters)} {alone}
      ) t
      ORDER BY {_ORDERS[need]}
      LIMIT :most OFFSET :start
    ) t
    JOIN claim c ON c.id = t.id
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    JOIN patient a ON a.id = c.patient_id
    LEFT JOIN user u ON u.id = c.owner_id
    ORDER BY {_ORDERS[need]}
    """
    values: dict[str, Any] = {
        "need": need,
        "today": today,
        "most": most,
        "start": start,
        "claim_id": claim_id,
        **asdict(filters),
    }
    return many(connection, _typed(query), WorkedClaim, **values)


def _typed(query: str) -> Executable:
    """JSON columns come up as what they hold."""
    return text(query).columns(findings=JSON, kept=JSON)


def need_of(connection: Connection, claim_id: int, today: date) -> Need | None:
    """What one claim needs next; None when it is not on the list."""
    query = text(f"SELECT {_NEED} {_FROM} WHERE {_WORKED} AND c.id = :claim_id")
    found = connection.execute(query, {"today": today, "claim_id": claim_id}).scalar()
    return Need(found) if found else None


_ANSWERS = text(
    """
    SELECT DATEDIFF(c.answered_at, c.sent_at) FROM claim c
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    WHERE p.payer_id = :payer_id AND c.answered_at IS NOT NULL AND c.sent_at IS NOT NULL
    ORDER BY c.answered_at DESC, c.id DESC
    LIMIT :most
    """
)


def answer_days(connection: Connection, payer_id: int) -> list[int]:
    """In how many days the payer's last answers came, the latest first."""
    found = connection.execute(_ANSWERS, {"payer_id": payer_id, "most": LAST_ANSWERS}).scalars()
    return [int(each) for each in found]


@dataclass(frozen=True, slots=True)
class Norm:
    """What a payer's answers taught, and what a biller set instead."""

    payer_id: int
    learned_days: int | None
    own_days: int | None


def norms(connection: Connection) -> dict[int, Norm]:
    rows = many(connection, text("SELECT payer_id, learned_days, own_days FROM payer_norm"), Norm)
    return {row.payer_id: row for row in rows}


def keep_learned(connection: Connection, payer_id: int, days: int | None) -> None:
    """What its answers teach now."""
    _keep(connection, payer_id, "learned_days", days)


def keep_own(connection: Connection, payer_id: int, days: int | None) -> None:
    """What a biller sets; None goes back to what was learned."""
    _keep(connection, payer_id, "own_days", days)


def _keep(connection: Connection, payer_id: int, column: str, days: int | None) -> None:
    query = text(
        f"INSERT INTO payer_norm (payer_id, {column}) VALUES (:payer_id, :days)"
        f" ON DUPLICATE KEY UPDATE {column} = :days"
    )
    connection.execute(query, {"payer_id": payer_id, "days": days})

"""What the biller's pictures count: expected against received, days to the payment, what reasons cost. Each
count is of rows that can be opened.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, text

from zax.core.claims.states import ClaimState
from zax.store.rows import many


@dataclass(frozen=True, slots=True, kw_only=True)
class MonthSum:
    """What a payer was counted on to pay, and paid, for the claims it answered in a month (its first day)."""

    payer_id: int
    payer_name: str
    month: date
    expected_cents: int
    received_cents: int
    number: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ReasonSum:
    reason: str
    number: int
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ShortSum:
    payer_id: int
    payer_name: str
    number: int
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerDays:
    payer_id: int
    payer_name: str
    days: int


_MONTHS = f"""
    SELECT y.id AS payer_id, y.name AS payer_name, DATE_FORMAT(c.answered_at, '%Y-%m-01') AS month,
      SUM((SELECT COALESCE(SUM(IF(c.`rank` = 'P', l.first_cents, l.second_cents)), 0) FROM claim_line k
        JOIN charge_line l ON l.id = k.line_id WHERE k.claim_id = c.id)) AS expected_cents,
      SUM(c.paid_cents) AS received_cents, COUNT(*) AS number
    FROM claim c
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    WHERE c.answered_at >= :since AND c.visit_id IS NOT NULL
      AND c.state IN ('{ClaimState.CLOSED}', '{ClaimState.DENIED}')
    GROUP BY y.id, month ORDER BY y.name, month
"""
_REASONS = """
    SELECT r.reason, COUNT(*) AS number, SUM(s.cents) AS cents
    FROM shortfall s, JSON_TABLE(s.reasons, '$[*]' COLUMNS (reason VARCHAR(10) PATH '$')) r
    WHERE s.made_at >= :since AND s.work <> 'above'
    GROUP BY r.reason ORDER BY cents DESC, r.reason LIMIT :most
"""
_UNDERPAID = """
    SELECT y.id AS payer_id, y.name AS payer_name, COUNT(*) AS number, SUM(s.cents) AS cents
    FROM shortfall s
    JOIN claim c ON c.id = s.claim_id
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    WHERE s.work = 'underpaid' AND s.made_at >= :since
    GROUP BY y.id ORDER BY cents DESC
"""
_DAYS = """
    SELECT y.id AS payer_id, y.name AS payer_name, GREATEST(0, DATEDIFF(c.answered_at, c.sent_at)) AS days
    FROM claim c
    JOIN coverage v ON v.id = c.coverage_id
    JOIN plan p ON p.id = v.plan_id
    JOIN payer y ON y.id = p.payer_id
    WHERE c.answered_at >= :since AND c.sent_at IS NOT NULL AND c.paid_cents > 0
    ORDER BY y.name, days
"""


@dataclass(frozen=True, slots=True)
class _MonthRow:
    payer_id: int
    payer_name: str
    month: str
    expected_cents: int
    received_cents: int
    number: int


def month_sums(connection: Connection, since: date) -> list[MonthSum]:
    rows = many(connection, text(_MONTHS), _MonthRow, since=since)
    return [
        MonthSum(
            payer_id=row.payer_id,
            payer_name=row.payer_name,
            month=date.fromisoformat(row.month),
            expected_cents=int(row.expected_cents),
            received_cents=int(row.received_cents),
            number=row.number,
        )
        for row in rows
    ]


def reason_sums(connection: Connection, since: date, most: int) -> list[ReasonSum]:
    """What each reason left unpaid, the costliest first."""
    return many(connection, text(_REASONS), ReasonSum, since=since, most=most)


def underpaid_sums(connection: Connection, since: date) -> list[ShortSum]:
    return many(connection, text(_UNDERPAID), ShortSum, since=since)


def answer_days(connection: Connection, since: date) -> list[AnswerDays]:
    """For every claim that was paid, in how many days; by payer, the quickest first."""
    return many(connection, text(_DAYS), AnswerDays, since=since)

"""Sums over a site's journal by provider, tender, payer and reason; and the journal itself, in order."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlalchemy import Connection, text

from zax.core.money.tender import PaymentState
from zax.store.rows import many

# A reversal counts with the kind of what it reverses.
_ROWS = text(
    """
    SELECT j.day, COALESCE(l.provider_id, v.provider_id, 0) AS provider_id, COALESCE(r.kind, j.kind) AS
        kind, SUM(j.patient_cents) AS patient, SUM(j.insurer_cents) AS insurer
    FROM journal j
    LEFT JOIN journal r ON r.id = j.reverses_id
    LEFT JOIN charge_line l ON l.id = j.line_id
    LEFT JOIN visit v ON v.id = j.visit_id
    WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last
    GROUP BY j.day, provider_id, COALESCE(r.kind, j.kind)
    """
)
_TENDERS = text(
    f"""
    SELECT tender, SUM(cents) AS cents, COUNT(*) AS number
    FROM payment
    WHERE site_id = :site_id AND day BETWEEN :first AND :last AND state = '{PaymentState.TAKEN}'
    GROUP BY tender
    ORDER BY tender
    """
)
_PAYERS = text(
    """
    SELECT y.name, -SUM(j.insurer_cents) AS cents, COUNT(DISTINCT j.claim_id) AS number
    FROM journal j
    JOIN claim c ON c.id = j.claim_id
    JOIN coverage o ON o.id = c.coverage_id
    JOIN plan n ON n.id = o.plan_id
    JOIN payer y ON y.id = n.payer_id
    WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last AND j.kind = 'insurer'
    GROUP BY y.id
    ORDER BY cents DESC
    """
)
_REASONS = text(
    """
    SELECT COALESCE(e.words, CASE WHEN COALESCE(r.kind, j.kind) = 'discount' THEN 'Discounts' ELSE
        'Agreed price' END) AS words, -SUM(j.patient_cents + j.insurer_cents) AS cents
    FROM journal j
    LEFT JOIN journal r ON r.id = j.reverses_id
    LEFT JOIN reason e ON e.id = COALESCE(r.reason_id, j.reason_id)
    WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last AND COALESCE(r.kind, j.kind) IN
        ('writeoff', 'discount')
    GROUP BY 1
    HAVING cents <> 0
    ORDER BY cents DESC
    """
)
_JOURNAL = text(
    """
    SELECT j.id, j.day, j.kind, j.patient_cents, j.insurer_cents, j.words, j.visit_id, j.patient_id,
        j.reverses_id, p.first, p.last, u.name AS by_name, r.kind AS reversed
    FROM journal j
    JOIN patient p ON p.id = j.patient_id
    LEFT JOIN user u ON u.id = j.by_id
    LEFT JOIN journal r ON r.id = j.reverses_id
    WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last
    ORDER BY j.id
    """
)


@dataclass(frozen=True, slots=True, kw_only=True)
class KindSum:
    """`provider_id` 0: no provider. Cents."""

    day: date
    provider_id: int
    kind: str
    patient: int
    insurer: int


@dataclass(frozen=True, slots=True)
class TenderSum:
    tender: str
    cents: int
    number: int


@dataclass(frozen=True, slots=True)
class PayerSum:
    """What a payer paid on how many claims."""

    name: str
    cents: int
    number: int


@dataclass(frozen=True, slots=True)
class ReasonSum:
    words: str
    cents: int


@dataclass(frozen=True, slots=True, kw_only=True)
class JournalRow:
    """An entry with its patient and who made it; `reversed` is the kind of what it reverses."""

    id: int
    day: date
    kind: str
    patient_cents: int
    insurer_cents: int
    words: str
    visit_id: int | None
    patient_id: int
    reverses_id: int | None
    first: str
    last: str
    by_name: str | None
    reversed: str | None


def kind_sums(connection: Connection, site_id: int, first: date, last: date) -> list[KindSum]:
    return many(connection, _ROWS, KindSum, site_id=site_id, first=first, last=last)


def tender_sums(connection: Connection, site_id: int, first: date, last: date) -> list[TenderSum]:
    return many(connection, _TENDERS, TenderSum, site_id=site_id, first=first, last=last)


def payer_sums(connection: Connection, site_id: int, first: date, last: date) -> list[PayerSum]:
    return many(connection, _PAYERS, PayerSum, site_id=site_id, first=first, last=last)


def reason_sums(connection: Connection, site_id: int, first: date, last: date) -> list[ReasonSum]:
    return many(connection, _REASONS, ReasonSum, site_id=site_id, first=first, last=last)


def journal_rows(connection: Connection, site_id: int, first: date, last: date) -> list[JournalRow]:
    """Every entry of the days, in order."""
    return many(connection, _JOURNAL, JournalRow, site_id=site_id, first=first, last=last)

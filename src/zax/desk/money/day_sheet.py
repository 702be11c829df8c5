"""Production, collections and adjustments of a site's days: by provider, by tender, by payer. Every figure is a sum over the journal.

Production is charges and fees less their reversals; collections are what came in from patients and from plans; adjustments are what was written off or discounted. A
payment belongs to the provider of the visit it was taken for; what belongs to no visit stands under "No provider".
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, text

from zax.core.money.books import Sums
from zax.core.money.cents import decimal
from zax.core.money.journal import Kind
from zax.core.record.card import safe_cell
from zax.desk.clinic.clinic import Clinic

# A reversal counts with the kind of what it reverses.
_ROWS = text(
    "SELECT j.day, COALESCE(l.provider_id, v.provider_id, 0) AS provider_id, COALESCE(r.kind, j.kind) AS kind, SUM(j.patient_cents) AS patient, SUM(j.insurer_cents) AS insurer "
    "FROM journal j LEFT JOIN journal r ON r.id = j.reverses_id LEFT JOIN charge_line l ON l.id = j.line_id LEFT JOIN visit v ON v.id = j.visit_id "
    "WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last GROUP BY j.day, provider_id, COALESCE(r.kind, j.kind)"
)
_TENDERS = text(
    "SELECT tender, SUM(cents) AS cents, COUNT(*) AS number FROM payment WHERE site_id = :site_id AND day BETWEEN :first AND :last AND state = 'taken' GROUP BY tender ORDER BY tender"
)
_PAYERS = text(
    "SELECT y.name, -SUM(j.insurer_cents) AS cents, COUNT(DISTINCT j.claim_id) AS number FROM journal j JOIN claim c ON c.id = j.claim_id JOIN coverage o ON o.id = c.coverage_id "
    "JOIN plan n ON n.id = o.plan_id JOIN payer y ON y.id = n.payer_id WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last AND j.kind = 'insurer' GROUP BY y.id ORDER BY cents DESC"
)
_REASONS = text(
    "SELECT COALESCE(e.words, CASE WHEN COALESCE(r.kind, j.kind) = 'discount' THEN 'Discounts' ELSE 'Agreed price' END) AS words, -SUM(j.patient_cents + j.insurer_cents) AS cents "
    "FROM journal j LEFT JOIN journal r ON r.id = j.reverses_id LEFT JOIN reason e ON e.id = COALESCE(r.reason_id, j.reason_id) WHERE j.site_id = :site_id "
    "AND j.day BETWEEN :first AND :last AND COALESCE(r.kind, j.kind) IN ('writeoff', 'discount') GROUP BY 1 HAVING cents <> 0 ORDER BY cents DESC"
)
_JOURNAL = text(
    "SELECT j.id, j.day, j.kind, j.patient_cents, j.insurer_cents, j.words, j.visit_id, j.patient_id, j.reverses_id, p.first, p.last, u.name AS by_name, r.kind AS reversed FROM journal j "
    "JOIN patient p ON p.id = j.patient_id LEFT JOIN user u ON u.id = j.by_id LEFT JOIN journal r ON r.id = j.reverses_id "
    "WHERE j.site_id = :site_id AND j.day BETWEEN :first AND :last ORDER BY j.id"
)
JOURNAL_COLUMNS = (
    "entry", "day", "kind", "reverses", "patient", "name", "visit", "patient_part", "insurer_part", "words", "by",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class DaySheet:
    """`by_provider` in the clinic's order with names; `by_day` every day that has entries."""

    first: date
    last: date
    by_provider: Sequence[tuple[str, Sums]]
    by_day: Sequence[tuple[date, Sums]]
    tenders: Sequence[tuple[str, int, int]]
    payers: Sequence[Any]
    reasons: Sequence[Any]
    total: Sums


def day_sheet(connection: Connection, clinic: Clinic, site_id: int, first: date, last: date) -> DaySheet:
    """The sums of a range of days."""
    values = {"site_id": site_id, "first": first, "last": last}
    providers: dict[int, Sums] = {}
    days: dict[date, Sums] = {}
    total = Sums()
    for row in connection.execute(_ROWS, values):
        for sums in (providers.setdefault(row.provider_id, Sums()), days.setdefault(row.day, Sums()), total):
            sums.add(Kind(row.kind), int(row.patient) + int(row.insurer))
    order = {number: n for n, number in enumerate(clinic.providers)}
    named = sorted(providers.items(), key=lambda each: order.get(each[0], len(order)))
    name = lambda number: clinic.providers[number].short if number in clinic.providers else "No provider"  # noqa: E731
    return DaySheet(
        first, last, [(name(number), sums) for number, sums in named if not sums.empty], sorted(days.items()),
        [(clinic.money.tender_words(row.tender), int(row.cents), row.number) for row in connection.execute(_TENDERS, values)],
        connection.execute(_PAYERS, values).all(), connection.execute(_REASONS, values).all(), total,
    )  # fmt: skip


def journal_of(connection: Connection, site_id: int, first: date, last: date) -> Sequence[Any]:
    """Every entry of the days, in order."""
    return connection.execute(_JOURNAL, {"site_id": site_id, "first": first, "last": last}).all()


def journal_csv(rows: Sequence[Any]) -> str:
    """The entries as CSV: amounts in the currency with two digits, as docs/formats.md says."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(JOURNAL_COLUMNS)
    for row in rows:
        writer.writerow([
            row.id, row.day, row.kind, row.reverses_id or "", row.patient_id, safe_cell(f"{row.last}, {row.first}"), row.visit_id or "", decimal(row.patient_cents),
            decimal(row.insurer_cents), safe_cell(row.words), safe_cell(row.by_name or "Zax"),
        ])  # fmt: skip
    return out.getvalue()

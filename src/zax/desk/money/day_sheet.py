"""Production, collections and adjustments of a site's days: by provider, by tender, by payer. Every figure is
a sum over the journal.

Production is charges and fees less their reversals; collections are what came in from patients and from
plans; adjustments are what was written off or discounted. A payment belongs to the provider of the visit it
was taken for; what belongs to no visit stands under "No provider".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from zax.core.money.books import Sums
from zax.core.money.cents import decimal
from zax.core.money.journal import Kind
from zax.core.table import Cell, table_lines
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.money.sums import (
    JournalRow,
    PayerSum,
    ReasonSum,
    kind_sums,
    payer_sums,
    reason_sums,
    tender_sums,
)

JOURNAL_COLUMNS = (
    "entry",
    "day",
    "kind",
    "reverses",
    "patient",
    "name",
    "visit",
    "patient_part",
    "insurer_part",
    "words",
    "by",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DaySheet:
    """`by_provider` in the clinic's order with names; `by_day` every day that has entries."""

    first: date
    last: date
    by_provider: Sequence[tuple[str, Sums]]
    by_day: Sequence[tuple[date, Sums]]
    tenders: Sequence[tuple[str, int, int]]
    payers: Sequence[PayerSum]
    reasons: Sequence[ReasonSum]
    total: Sums


def day_sheet(connection: Connection, clinic: Clinic, site_id: int, first: date, last: date) -> DaySheet:
    """The sums of a range of days."""
    providers: dict[int, Sums] = {}
    days: dict[date, Sums] = {}
    total = Sums()
    for row in kind_sums(connection, site_id, first, last):
        for sums in (providers.setdefault(row.provider_id, Sums()), days.setdefault(row.day, Sums()), total):
            sums.add(Kind(row.kind), row.patient + row.insurer)
    order = {number: n for n, number in enumerate(clinic.providers)}
    named = sorted(providers.items(), key=lambda each: order.get(each[0], len(order)))

    def name(number: int) -> str:
        return clinic.providers[number].short if number in clinic.providers else "No provider"

    return DaySheet(
        first=first,
        last=last,
        by_provider=[(name(number), sums) for number, sums in named if not sums.empty],
        by_day=sorted(days.items()),
        tenders=[
            (clinic.money.tender_words(row.tender), row.cents, row.number)
            for row in tender_sums(connection, site_id, first, last)
        ],
        payers=payer_sums(connection, site_id, first, last),
        reasons=reason_sums(connection, site_id, first, last),
        total=total,
    )


def journal_lines(rows: Iterable[JournalRow]) -> Iterator[str]:
    """The entries as CSV, line by line: amounts in the currency with two digits, as docs/formats.md says."""
    return table_lines(JOURNAL_COLUMNS, (_cells(row) for row in rows))


def _cells(row: JournalRow) -> list[Cell]:
    return [
        row.id,
        row.day,
        row.kind,
        row.reverses_id,
        row.patient_id,
        f"{row.last}, {row.first}",
        row.visit_id,
        Decimal(decimal(row.patient_cents)),
        Decimal(decimal(row.insurer_cents)),
        row.words,
        row.by_name or "Zax",
    ]

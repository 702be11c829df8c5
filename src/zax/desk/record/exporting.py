"""Patients on their way out: cards with record, coverages and visits, read in slices so that any number can
be written.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date, datetime, timedelta
from typing import TypeVar
from zoneinfo import ZoneInfo

from zax.core.patients.fields import FIELDS
from zax.core.record.card import Card, CardCoverage, CardVisit
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.coverage.queries import coverages_of
from zax.store.coverage.records import Coverage
from zax.store.engine import Connection
from zax.store.patients.records import Patient
from zax.store.record.record import RecordVisit, patients_after, visits_of

SLICE = 500
Owned = TypeVar("Owned", Coverage, RecordVisit)


@act("see")
def note_export(tx: Transaction, what: str, kind: str) -> None:
    """Who took a list out of the clinic, which and in what form."""
    tx.audit("exported", what=what, kind=kind)


def cards_of(
    connection: Connection, clinic: Clinic, ids: Iterable[int] | None = None, visits: bool = False
) -> Iterator[Card]:
    """All patients that were not merged away, or those named; inactive ones too."""
    last, wanted = 0, sorted(ids) if ids is not None else None
    while True:
        rows = patients_after(connection, last, SLICE, wanted)
        if not rows:
            return
        last = rows[-1].id
        numbers = [row.id for row in rows]
        covers = _by_patient(coverages_of(connection, numbers))
        booked = _by_patient(visits_of(connection, numbers)) if visits else {}
        for row in rows:
            yield Card(
                _values(row),
                str(row.household_id),
                tuple(_coverage(c) for c in covers.get(row.id, ())),
                tuple(_visit(clinic, v) for v in booked.get(row.id, ())),
            )


def own_names(clinic: Clinic) -> list[str]:
    """The columns of the clinic's own fields."""
    return [each.name for each in clinic.own_fields.values()]


def _by_patient(rows: Iterable[Owned]) -> dict[int, list[Owned]]:
    found: dict[int, list[Owned]] = {}
    for row in rows:
        found.setdefault(row.patient_id, []).append(row)
    return found


def _values(row: Patient) -> dict[str, str]:
    values = {name: getattr(row, name) for name in FIELDS}
    text = {
        name: value.isoformat() if isinstance(value, date) else value
        for name, value in values.items()
        if value
    }
    return {**text, **row.own, "chart": row.chart or str(row.id), "status": row.status}


def _coverage(row: Coverage) -> CardCoverage:
    return CardCoverage(
        number=str(row.id),
        payer=row.payer_name,
        plan=row.plan_name,
        member_id=row.member_id,
        group=row.group_number,
        relationship=row.relationship,
        rank=row.rank,
        from_day=row.from_day,
        to_day=row.to_day,
    )


def _visit(clinic: Clinic, row: RecordVisit) -> CardVisit:
    zone = ZoneInfo(clinic.sites[row.site_id].timezone)
    starts = datetime(row.day.year, row.day.month, row.day.day, tzinfo=zone) + timedelta(
        minutes=row.start_min
    )
    return CardVisit(
        number=str(row.id),
        starts=starts,
        ends=starts + timedelta(minutes=row.minutes),
        words=clinic.types[row.type_id].name,
        provider=clinic.providers[row.provider_id].name,
        stop=row.state,
    )

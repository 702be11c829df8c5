"""Patients on their way out: cards with record, coverages and visits, read in slices so that any number can be written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import Connection, select

from zax.core.patients.fields import FIELDS
from zax.core.record.card import Card, CardCoverage, CardVisit
from zax.desk.clinic.clinic import Clinic
from zax.store import schema
from zax.store.coverage.queries import coverages_of

SLICE = 500


def cards_of(
    connection: Connection, clinic: Clinic, ids: Iterable[int] | None = None, visits: bool = False
) -> Iterator[Card]:
    """All patients that were not merged away, or those named; inactive ones too."""
    p = schema.patient
    last, wanted = 0, sorted(ids) if ids is not None else None
    while True:
        query = select(p).where(p.c.id > last, p.c.status != "merged").order_by(p.c.id).limit(SLICE)
        rows = connection.execute(query.where(p.c.id.in_(wanted or [0])) if wanted is not None else query).all()
        if not rows:
            return
        last = rows[-1].id
        numbers = [row.id for row in rows]
        covers = _by_patient(coverages_of(connection, numbers))
        booked = _by_patient(_visits(connection, numbers)) if visits else {}
        for row in rows:
            yield Card(
                _values(row),
                str(row.household_id),
                tuple(_coverage(c) for c in covers.get(row.id, ())),
                tuple(_visit(clinic, v) for v in booked.get(row.id, ())),
            )


def _by_patient(rows: Iterable[Any]) -> dict[int, list[Any]]:
    found: dict[int, list[Any]] = {}
    for row in rows:
        found.setdefault(row.patient_id, []).append(row)
    return found


def _values(row: Any) -> dict[str, str]:
    values = {name: getattr(row, name) for name in FIELDS}
    text = {name: value.isoformat() if isinstance(value, date) else value for name, value in values.items() if value}
    return text | {"chart": row.chart or str(row.id), "status": row.status}


def _coverage(row: Any) -> CardCoverage:
    return CardCoverage(
        str(row.id), row.payer_name, row.plan_name, row.member_id, row.group_number, row.relationship, row.rank, row.from_day, row.to_day,
    )  # fmt: skip


def _visits(connection: Connection, ids: list[int]) -> list[Any]:
    v = schema.visit
    return list(
        connection.execute(select(v).where(v.c.patient_id.in_(ids)).order_by(v.c.patient_id, v.c.day, v.c.start_min))
    )


def _visit(clinic: Clinic, row: Any) -> CardVisit:
    zone = ZoneInfo(clinic.sites[row.site_id].timezone)
    starts = datetime(row.day.year, row.day.month, row.day.day, tzinfo=zone) + timedelta(minutes=row.start_min)
    return CardVisit(
        str(row.id), starts, starts + timedelta(minutes=row.minutes), clinic.types[row.type_id].name, clinic.providers[row.provider_id].name, row.state,
    )  # fmt: skip

"""Reading payers, plans with their terms, contract fees, and who is out of whose network."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection, select

from zax.core.clinic.services import Service
from zax.core.coverage.benefits import benefits_from
from zax.core.coverage.fees import FeeSchedule
from zax.core.coverage.plan import Payer, Plan
from zax.store.coverage import tables
from zax.store.reading import many


def payers(connection: Connection) -> dict[int, Payer]:
    return {each.id: each for each in many(connection, select(tables.payer).order_by(tables.payer.c.id), Payer)}


def plans(connection: Connection, payers: Mapping[int, Payer]) -> dict[int, Plan]:
    found = connection.execute(select(tables.plan).order_by(tables.plan.c.id))
    return {
        row.id: Plan(
            id=row.id,
            payer_id=row.payer_id,
            payer_name=payers[row.payer_id].name,
            name=row.name,
            dental=row.dental,
            benefits=benefits_from(row.name, row.terms),
            active=row.active,
            version=row.version,
            note=row.note,
        )
        for row in found
    }


def fee_schedules(connection: Connection, services: Mapping[int, Service]) -> tuple[FeeSchedule, ...]:
    """Those that were not ended, each with its fees in cents by service code."""
    fees: dict[int, dict[str, int]] = {}
    for row in connection.execute(select(tables.fee).order_by(tables.fee.c.schedule_id)):
        fees.setdefault(row.schedule_id, {})[services[row.service_id].code] = row.cents
    schedule = tables.fee_schedule
    found = connection.execute(select(schedule).where(schedule.c.ended_at.is_(None)).order_by(schedule.c.id))
    return tuple(
        FeeSchedule(
            row.id,
            row.name,
            fees.get(row.id, {}),
            row.payer_id,
            row.plan_id,
            row.provider_id,
            row.network,
            row.from_day,
            row.to_day,
        )
        for row in found
    )


def out_of_network(connection: Connection) -> frozenset[tuple[int, int]]:
    """(payer, provider) pairs."""
    table = tables.out_of_network
    return frozenset((row.payer_id, row.provider_id) for row in connection.execute(select(table)))

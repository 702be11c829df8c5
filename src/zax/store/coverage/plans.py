"""Reading and writing payers, plans with their terms, contract fees, and who is out of whose network."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, delete, func, insert, select, update

from zax.core.clinic.services import Service
from zax.core.coverage.benefits import benefits_from
from zax.core.coverage.fees import FeeSchedule
from zax.core.coverage.plan import Payer, Plan
from zax.core.json import KeptJson
from zax.store.coverage import tables
from zax.store.rows import add, change, many, one


def payers(connection: Connection) -> dict[int, Payer]:
    return {
        each.id: each for each in many(connection, select(tables.payer).order_by(tables.payer.c.id), Payer)
    }


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
            id=row.id,
            name=row.name,
            fees=fees.get(row.id, {}),
            payer_id=row.payer_id,
            plan_id=row.plan_id,
            provider_id=row.provider_id,
            flag_id=row.flag_id,
            network=row.network,
            from_day=row.from_day,
            to_day=row.to_day,
        )
        for row in found
    )


def out_of_network(connection: Connection) -> frozenset[tuple[int, int]]:
    """(payer, provider) pairs."""
    table = tables.out_of_network
    return frozenset((row.payer_id, row.provider_id) for row in connection.execute(select(table)))


@dataclass(frozen=True, slots=True)
class StoredTerms:
    """A plan's terms as they are kept, with the version that a correction must name."""

    terms: KeptJson
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanNames:
    payer_id: int
    name: str
    dental: bool
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PayerTerms:
    """What is entered of a payer."""

    name: str
    electronic_id: str
    filing_days: int
    appeal_days: int
    kind: str
    eligibility: str
    filing_indicator: str
    required: Sequence[str]
    phone: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ScheduleTerms:
    """For whom a fee schedule is, and when it holds."""

    name: str
    network: str
    from_day: date | None
    to_day: date | None
    payer_id: int | None
    plan_id: int | None
    provider_id: int | None
    flag_id: int | None = None


def terms_for_update(connection: Connection, plan_id: int) -> StoredTerms | None:
    query = select(tables.plan.c.terms, tables.plan.c.version).where(tables.plan.c.id == plan_id)
    return one(connection, query.with_for_update(), StoredTerms)


def save_terms(connection: Connection, plan_id: int, terms: KeptJson, version: int) -> None:
    change(connection, tables.plan, plan_id, terms=terms, version=version)


def save_names(connection: Connection, plan_id: int, names: PlanNames) -> None:
    values = {"payer_id": names.payer_id, "name": names.name, "dental": names.dental, "note": names.note}
    change(connection, tables.plan, plan_id, **values)


def add_plan(connection: Connection, names: PlanNames, terms: KeptJson) -> int:
    return add(
        connection,
        tables.plan,
        payer_id=names.payer_id,
        name=names.name,
        dental=names.dental,
        note=names.note,
        terms=terms,
    )


def set_plan_active(connection: Connection, plan_id: int, active: bool) -> None:
    plan = tables.plan
    values = {"active": active, "version": plan.c.version + 1}
    connection.execute(update(plan).where(plan.c.id == plan_id).values(**values))


def delete_plan(connection: Connection, plan_id: int) -> None:
    connection.execute(delete(tables.plan).where(tables.plan.c.id == plan_id))


def coverages_with(connection: Connection, plan_id: int) -> int:
    """How many coverages on file name the plan, ended ones too."""
    query = select(func.count()).where(tables.coverage.c.plan_id == plan_id)
    return int(connection.execute(query).scalar_one())


def has_schedule(connection: Connection, plan_id: int) -> bool:
    schedule = tables.fee_schedule
    return (
        connection.execute(select(schedule.c.id).where(schedule.c.plan_id == plan_id).limit(1)).first()
        is not None
    )


def save_payer(connection: Connection, payer_id: int, terms: PayerTerms, outside: Sequence[int]) -> int:
    """A payer (`payer_id` 0 makes one) and the providers who are out of its network; its id."""
    payer, out = tables.payer, tables.out_of_network
    values: dict[str, object] = {
        "name": terms.name,
        "electronic_id": terms.electronic_id,
        "filing_days": terms.filing_days,
        "appeal_days": terms.appeal_days,
        "kind": terms.kind,
        "eligibility": terms.eligibility,
        "filing_indicator": terms.filing_indicator,
        "required": list(terms.required),
        "phone": terms.phone,
    }
    if payer_id:
        change(connection, payer, payer_id, **values, version=payer.c.version + 1)
    else:
        payer_id = add(connection, payer, **values)
    connection.execute(delete(out).where(out.c.payer_id == payer_id))
    if outside:
        rows = [{"payer_id": payer_id, "provider_id": number} for number in outside]
        connection.execute(insert(out), rows)
    return payer_id


def save_schedule(
    connection: Connection, schedule_id: int, terms: ScheduleTerms, fees: Mapping[int, int]
) -> int:
    """A fee schedule (0 makes one) with its fees in cents by service; its id."""
    schedule, fee = tables.fee_schedule, tables.fee
    values: dict[str, object] = {
        "name": terms.name,
        "network": terms.network,
        "from_day": terms.from_day,
        "to_day": terms.to_day,
        "payer_id": terms.payer_id,
        "plan_id": terms.plan_id,
        "provider_id": terms.provider_id,
        "flag_id": terms.flag_id,
    }
    if schedule_id:
        change(connection, schedule, schedule_id, **values)
        connection.execute(delete(fee).where(fee.c.schedule_id == schedule_id))
    else:
        schedule_id = add(connection, schedule, **values)
    rows = [
        {"schedule_id": schedule_id, "service_id": number, "cents": cents} for number, cents in fees.items()
    ]
    if rows:
        connection.execute(insert(fee), rows)
    return schedule_id


def put_fee(connection: Connection, schedule_id: int, service_id: int, cents: int) -> None:
    """One fee of a schedule, whether it had one for that service or not."""
    fee = tables.fee
    key = (fee.c.schedule_id == schedule_id, fee.c.service_id == service_id)
    if connection.execute(select(fee.c.cents).where(*key)).first() is None:
        connection.execute(insert(fee).values(schedule_id=schedule_id, service_id=service_id, cents=cents))
    else:
        connection.execute(update(fee).where(*key).values(cents=cents))


def end_schedule(connection: Connection, schedule_id: int, at: datetime) -> None:
    change(connection, tables.fee_schedule, schedule_id, ended_at=at)

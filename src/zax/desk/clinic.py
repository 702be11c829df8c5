"""The clinic's setup as read from the database: sites, rooms, providers, hours, visit types, services.

It changes seldom and every page needs it, so a process reads it once and again when the feed says that setup changed.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import Connection, select

from zax.core.book.booking import Helper
from zax.core.book.hours import Span
from zax.core.charges.lines import ServiceRule
from zax.core.coverage.estimate import Benefits
from zax.store import schema


@dataclass(frozen=True, slots=True)
class Site:
    id: int
    name: str
    timezone: str
    address: tuple[str, str, str, str]
    phone: str
    day: Span
    grid: int


@dataclass(frozen=True, slots=True)
class Room:
    id: int
    site_id: int
    name: str
    dental: bool


@dataclass(frozen=True, slots=True)
class Provider:
    id: int
    first: str
    last: str
    name: str
    short: str
    role: str
    dental: bool
    npi: str
    taxonomy: str
    room_id: int


@dataclass(frozen=True, slots=True)
class Service:
    id: int
    code: str
    words: str
    dental: bool
    category: str
    fee_cents: int
    rule: ServiceRule


@dataclass(frozen=True, slots=True)
class VisitType:
    """`role` is who it is booked with; `helper` a second person for some minutes."""

    id: int
    name: str
    dental: bool
    minutes: int
    role: str
    helper_role: str
    helper: Helper | None
    services: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Plan:
    id: int
    payer_id: int
    payer_name: str
    name: str
    dental: bool
    benefits: Benefits


@dataclass(frozen=True, slots=True)
class Clinic:
    """Everything by id. `about` holds the clinic's own names and numbers (see zax.demo.world for its keys)."""

    about: Mapping[str, Any]
    sites: Mapping[int, Site]
    rooms: Mapping[int, Room]
    providers: Mapping[int, Provider]
    hours: Mapping[tuple[int, int, int], tuple[Span, ...]]
    closures: Mapping[date, str]
    services: Mapping[int, Service]
    types: Mapping[int, VisitType]
    plans: Mapping[int, Plan]
    payers: Mapping[int, Any]

    def windows(self, provider_id: int, site_id: int, day: date) -> tuple[Span, ...]:
        """When this provider works at this site on this day; empty when not at all."""
        if day in self.closures:
            return ()
        return self.hours.get((provider_id, site_id, day.weekday()), ())

    def elsewhere(self, provider_id: int, site_id: int, day: date) -> list[tuple[Span, str]]:
        """When the provider works at another site that day, with its name."""
        return [
            (span, other.name)
            for other in self.sites.values()
            if other.id != site_id
            for span in self.windows(provider_id, other.id, day)
        ]

    def columns(self, site_id: int, day: date) -> list[Provider]:
        """The providers who work at the site that day, in the clinic's order; on a closed day those who would."""
        there = [p for p in self.providers.values() if self.hours.get((p.id, site_id, day.weekday()))]
        return there or [p for p in self.providers.values() if any(key[:2] == (p.id, site_id) for key in self.hours)]

    @property
    def wait_limit(self) -> int:
        """Minutes a patient may wait before it shows as too long."""
        return int(self.about.get("wait_limit_minutes", 10))


def load(connection: Connection) -> Clinic:
    """Read the whole setup; raises LookupError for a database without a clinic."""

    def read(table: Any, *order: Any) -> list[Any]:
        return list(connection.execute(select(table).order_by(*order or (table.c.id,))).all())

    about = {row.name: row.value for row in read(schema.setting, schema.setting.c.name)}
    payers = {row.id: row for row in read(schema.payer)}
    return Clinic(
        about=about,
        sites={
            s.id: Site(s.id, s.name, s.timezone, (s.street, s.city, s.state, s.zip), s.phone, Span(s.opens_min, s.closes_min), s.grid_minutes)
            for s in read(schema.site)
        },
        rooms={r.id: Room(r.id, r.site_id, r.name, r.dental) for r in read(schema.room, schema.room.c.position)},
        providers={
            p.id: Provider(p.id, p.first, p.last, p.name, p.short, p.role, p.dental, p.npi, p.taxonomy, p.room_id)
            for p in read(schema.provider, schema.provider.c.position)
        },
        hours=_hours(read(schema.provider_hours, schema.provider_hours.c.start_min)),
        closures={c.day: c.words for c in read(schema.closure, schema.closure.c.day)},
        services={
            s.id: Service(s.id, s.code, s.words, s.dental, s.category, s.fee_cents, ServiceRule(s.code, s.dental, s.needs_tooth, s.surfaces))
            for s in read(schema.service, schema.service.c.code)
        },
        types=_types(read(schema.visit_type, schema.visit_type.c.position), read(schema.visit_type_service, schema.visit_type_service.c.position)),
        plans={
            p.id: Plan(
                p.id, p.payer_id, payers[p.payer_id].name, p.name, p.dental,
                Benefits(p.name, p.percents, p.deductible_cents, frozenset(p.no_deductible)),
            )
            for p in read(schema.plan)
        },
        payers=payers,
    )  # fmt: skip


def _hours(found: list[Any]) -> dict[tuple[int, int, int], tuple[Span, ...]]:
    hours: dict[tuple[int, int, int], tuple[Span, ...]] = {}
    for row in found:
        key = (row.provider_id, row.site_id, row.weekday)
        hours[key] = (*hours.get(key, ()), Span(row.start_min, row.end_min))
    return hours


def _types(found: list[Any], services: list[Any]) -> dict[int, VisitType]:
    def helper(row: Any) -> Helper | None:
        if not row.helper_minutes:
            return None
        return Helper(row.helper_minutes, tuple(int(part) for part in row.helper_offsets.split()))

    by_type: dict[int, list[int]] = {}
    for row in services:
        by_type.setdefault(row.type_id, []).append(row.service_id)
    return {
        t.id: VisitType(
            t.id, t.name, t.dental, t.minutes, t.role, t.helper_role, helper(t), tuple(by_type.get(t.id, ()))
        )
        for t in found
    }

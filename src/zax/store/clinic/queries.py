"""Reading the clinic's setup: places, people and their hours, services, visit types. Each is keyed by id, in
the clinic's order.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Connection, Row, Table, select

from zax.core.book.booking import needs_from
from zax.core.book.calendar import Closure, DayException, Pattern, WeeklyRule
from zax.core.book.hours import Span
from zax.core.charges.lines import ServiceRule
from zax.core.charges.usual import Usual, UsualDrug
from zax.core.clinic.places import Room, Site
from zax.core.clinic.providers import Provider
from zax.core.clinic.services import Service, ServiceSet
from zax.core.clinic.visit_types import VisitType
from zax.store.clinic import tables


def sites(connection: Connection) -> dict[int, Site]:
    return {
        row.id: Site(
            id=row.id,
            name=row.name,
            timezone=row.timezone,
            address=(row.street, row.city, row.state, row.zip),
            phone=row.phone,
            day=Span(row.opens_min, row.closes_min),
            grid=row.grid_minutes,
            place=row.place,
        )
        for row in _all(connection, tables.site)
    }


def rooms(connection: Connection) -> dict[int, Room]:
    return {
        row.id: Room(
            id=row.id,
            site_id=row.site_id,
            name=row.name,
            dental=row.dental,
            equipment=frozenset(row.equipment),
            active=row.active,
        )
        for row in _all(connection, tables.room, tables.room.c.position)
    }


def providers(connection: Connection) -> dict[int, Provider]:
    return {
        row.id: Provider(
            id=row.id,
            first=row.first,
            last=row.last,
            name=row.name,
            short=row.short,
            role=row.role,
            dental=row.dental,
            npi=row.npi,
            taxonomy=row.taxonomy,
            room_id=row.room_id,
            at_once=row.at_once,
            left_on=row.left_on,
        )
        for row in _all(connection, tables.provider, tables.provider.c.position)
    }


def weekly_rules(connection: Connection) -> dict[int, tuple[WeeklyRule, ...]]:
    """By provider."""
    found: dict[int, tuple[WeeklyRule, ...]] = {}
    for row in _all(connection, tables.provider_hours, tables.provider_hours.c.start_min):
        span, pattern = Span(row.start_min, row.end_min), Pattern(row.pattern)
        rule = WeeklyRule(
            site_id=row.site_id,
            weekday=row.weekday,
            span=span,
            pattern=pattern,
            from_day=row.from_day,
            to_day=row.to_day,
            rest=row.rest,
            counted_from=row.counted_from,
        )
        found[row.provider_id] = (*found.get(row.provider_id, ()), rule)
    return found


def day_exceptions(connection: Connection) -> dict[int, tuple[DayException, ...]]:
    """By provider, those that were not taken back."""
    found: dict[int, tuple[DayException, ...]] = {}
    for row in _all(connection, tables.provider_exception):
        if row.ended_at is None:
            span = Span(row.start_min, row.end_min)
            each = DayException(
                from_day=row.from_day,
                to_day=row.to_day,
                span=span,
                words=row.words,
                extra=row.extra,
                site_id=row.site_id,
            )
            found[row.provider_id] = (*found.get(row.provider_id, ()), each)
    return found


def closures(connection: Connection) -> tuple[Closure, ...]:
    return tuple(
        Closure(row.starts, row.ends, row.words, row.site_id)
        for row in _all(connection, tables.closure, tables.closure.c.starts)
        if row.ended_at is None
    )


def services(connection: Connection) -> dict[int, Service]:
    return {
        row.id: Service(
            id=row.id,
            code=row.code,
            words=row.words,
            dental=row.dental,
            category=row.category,
            fee_cents=row.fee_cents,
            rule=ServiceRule(
                code=row.code,
                dental=row.dental,
                needs_tooth=row.needs_tooth,
                surfaces=row.surfaces,
                teeth=row.teeth,
                area=row.area,
            ),
            retired_on=row.retired_on,
            usual=Usual(
                row.usual_units,
                tuple(row.usual_modifiers.split()),
                row.usual_diagnosis,
                UsualDrug(row.ndc, row.ndc_quantity, row.ndc_unit) if row.ndc else None,
                row.taxonomy,
                row.lab,
            ),
        )
        for row in _all(connection, tables.service, tables.service.c.code)
    }


def service_sets(connection: Connection) -> dict[int, ServiceSet]:
    lines = _all(connection, tables.service_set_line, tables.service_set_line.c.position)
    brought = _services_by(lines, "set_id")
    return {
        row.id: ServiceSet(row.id, row.name, row.dental, brought.get(row.id, ()), row.active)
        for row in _all(connection, tables.service_set, tables.service_set.c.position)
    }


def visit_types(connection: Connection, sets: Mapping[int, ServiceSet]) -> dict[int, VisitType]:
    lines = _all(connection, tables.visit_type_service, tables.visit_type_service.c.position)
    own = _services_by(lines, "type_id")
    found = _all(connection, tables.visit_type, tables.visit_type.c.position)
    return {row.id: _visit_type(row, own.get(row.id, ()), sets) for row in found}


def _visit_type(row: Row[Any], own: tuple[int, ...], sets: Mapping[int, ServiceSet]) -> VisitType:
    brought = sets[row.set_id].services if row.set_id in sets else ()
    return VisitType(
        id=row.id,
        name=row.name,
        dental=row.dental,
        minutes=row.minutes,
        role=row.role,
        needs=needs_from(row.staff_needs),
        lead_parts=tuple((first, last) for first, last in row.lead_parts),
        services=tuple(dict.fromkeys((*own, *brought))),
        own_services=own,
        set_id=row.set_id or 0,
        buffer=row.buffer_min,
        hours=tuple((frozenset(each["weekdays"]), Span(each["start"], each["end"])) for each in row.hours),
        equipment=frozenset(row.equipment),
        room_ids=frozenset(row.room_ids),
        most=row.most_a_day,
        goal=row.goal_a_day,
        ask_after=row.ask_after_days,
        for_whom=row.for_whom,
        web=row.web,
        doubles=row.doubles,
        active=row.active,
        version=row.version,
        web_words=row.web_words,
        web_note=row.web_note,
        deposit_cents=row.deposit_cents,
    )


def _services_by(rows: Sequence[Row[Any]], owner: str) -> dict[int, tuple[int, ...]]:
    """Service ids by the set or type that brings them."""
    found: dict[int, tuple[int, ...]] = {}
    for row in rows:
        number = getattr(row, owner)
        found[number] = (*found.get(number, ()), row.service_id)
    return found


def _all(connection: Connection, table: Table, order: ColumnElement[Any] | None = None) -> Sequence[Row[Any]]:
    return connection.execute(select(table).order_by(table.c.id if order is None else order)).all()

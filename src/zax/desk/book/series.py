"""A plan of several visits before any is booked: each with its conflict, if it has one, and the nearest times
instead.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from zax.core.book.hours import Span
from zax.core.book.series import row_of_starts, series_days
from zax.core.clinic.providers import Provider
from zax.core.errors import Refused
from zax.desk.book.booking import BookOrder, length_of
from zax.desk.book.placing import Spot, nearest_anywhere, provider_of, trial
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection

NEXT_DAYS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """One visit of a plan. `why` is empty when its time can be had; `instead` are (day, start, provider) that
    could be had.
    """

    order: BookOrder
    name: str
    start: int
    minutes: int
    provider: Provider
    why: str
    instead: tuple[tuple[str, int, int, str], ...]


@dataclass(frozen=True, slots=True)
class Member:
    """One of a household in a plan: who, for what, with whom."""

    patient_id: int
    name: str
    type_id: int
    provider_id: int


def plan_series(
    connection: Connection,
    clinic: Clinic,
    today_minute: tuple[str, int],
    order: BookOrder,
    name: str,
    every: int,
    unit: str,
    times: int,
) -> list[Planned]:
    """The series from `order` on; the first row is the order itself. `today_minute` is the site's date (ISO)
    and minute now.
    """
    days = series_days(order.day, every, unit, times)
    orders = [order.but(day=day, key=f"{order.key[:34]}-{number}") for number, day in enumerate(days)]
    return [_planned(connection, clinic, today_minute, each, name, ()) for each in orders]


def plan_household(
    connection: Connection,
    clinic: Clinic,
    today_minute: tuple[str, int],
    order: BookOrder,
    members: Sequence[Member],
    together: bool,
) -> list[Planned]:
    """One visit for each member, back to back or side by side, from the order's time on."""
    if len(members) < 2:
        raise Refused("Choose at least one other member of the household.", "members")
    lengths = [clinic.types[member.type_id].minutes for member in members]
    rows: list[Planned] = []
    for number, (member, begins) in enumerate(
        zip(members, row_of_starts(order.at, lengths, together), strict=True)
    ):
        each = order.but(
            at=begins,
            patient_id=member.patient_id,
            type_id=member.type_id,
            provider_id=member.provider_id,
            minutes=None,
            key=f"{order.key[:34]}-{number}",
            planned=() if number else order.planned,
            also=() if number else order.also,
            sooner=False,
            short=False,
        )
        clash = tuple(row for row in rows if row.provider.id == member.provider_id and together)
        rows.append(_planned(connection, clinic, today_minute, each, member.name, clash))
    return rows


def _planned(
    connection: Connection,
    clinic: Clinic,
    today_minute: tuple[str, int],
    order: BookOrder,
    name: str,
    clash: Sequence[Planned],
) -> Planned:
    spot = _spot(clinic, order)
    earliest = today_minute[1] if order.day.isoformat() == today_minute[0] else 0
    why, near = trial(connection, clinic, spot, earliest)
    if clash and not why:
        why = f"{spot.provider.name} is with {clash[0].name} at that time. Choose someone else."
    instead = []
    if why:
        found: list[tuple[date, tuple[Provider, Span] | None]] = [(order.day, near)] if near else []
        for ahead in range(1, NEXT_DAYS + 1):
            day = order.day + timedelta(days=ahead)
            found.append((day, nearest_anywhere(connection, clinic, replace(spot, day=day), 0)))
        instead = [(day.isoformat(), hit[1].start, hit[0].id, hit[0].short) for day, hit in found if hit]
    return Planned(
        order=order,
        name=name,
        start=spot.span.start,
        minutes=spot.span.minutes,
        provider=spot.provider,
        why=why,
        instead=tuple(instead),
    )


def _spot(clinic: Clinic, order: BookOrder) -> Spot:
    kind = clinic.types.get(order.type_id)
    if kind is None:
        raise Refused("Choose what the visit is for.", "type_id")
    provider = provider_of(clinic, order.provider_id)
    if kind.role != provider.role:
        raise Refused(
            f"{provider.name} does not do “{kind.name}”. Choose another type or provider.", "type_id"
        )
    minutes = length_of(order.minutes, kind.minutes)
    return Spot(
        site_id=order.site_id,
        day=order.day,
        span=Span(order.at, order.at + minutes),
        provider=provider,
        kind=kind,
        room_id=order.room_id,
    )

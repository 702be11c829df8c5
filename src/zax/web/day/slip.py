"""The booking form beside the Book: what it starts with, by the address or by what was typed before."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.book.also import read_also
from zax.core.charges.teeth import AREAS, show_tooth
from zax.core.clinic.places import Room
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import Refused
from zax.core.reading import reference
from zax.desk.clinic.clinic import Clinic
from zax.desk.day.booking_form import Booking, booking_of
from zax.store.engine import Connection
from zax.store.patients.patients import active_patient
from zax.web.shell.address import number_in
from zax.web.shell.request_context import PostedForm, RequestContext


@dataclass(frozen=True, slots=True)
class Added:
    """Something added to the visit: `value` as the form carries it, and its words."""

    value: str
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Slip:
    """`kind` is the type put forward, `ticked` the planned services that stand ticked."""

    provider: Provider
    at: str
    types: Sequence[VisitType]
    kind: VisitType
    providers: Sequence[Provider]
    key: str
    day: date
    rooms: Sequence[Room]
    room: int
    minutes: str
    wait: int
    site_id: int
    ticked: Sequence[str]
    added: Sequence[Added]
    booking: Booking | None


def slip_of(
    ctx: RequestContext,
    connection: Connection,
    day: date,
    query: Mapping[str, str],
    typed: PostedForm | None,
) -> Slip | None:
    """None when the form is not open: `provider` in the address opens it."""
    provider = ctx.clinic.providers.get(number_in(query, "provider"))
    if provider is None:
        return None
    kinds = [kind for kind in ctx.clinic.types.values() if kind.active]
    fitting = [kind for kind in kinds if kind.role == provider.role] or kinds
    patient_id = reference(typed["patient_id"] if typed else query.get("patient", ""))
    known = patient_id and active_patient(connection, patient_id)
    booking = booking_of(connection, ctx.clinic, patient_id, ctx.today) if known else None
    site_id = number_in(query, "site_id") or ctx.site_id
    return Slip(
        provider=provider,
        at=query.get("at", ""),
        types=kinds,
        kind=_kind(fitting, number_in(query, "type"), booking),
        providers=ctx.clinic.hours.columns(site_id, day),
        key=(typed and typed["key"]) or uuid.uuid4().hex,
        day=day,
        rooms=[room for room in ctx.clinic.rooms.values() if room.site_id == site_id and room.active],
        room=number_in(query, "room_id"),
        minutes=query.get("minutes", ""),
        wait=number_in(query, "wait"),
        site_id=site_id,
        ticked=(typed.all.get("planned", []) if typed else query.get("planned", "").split(",")),
        added=[added_of(ctx.clinic, value) for value in typed.all.get("also", [])] if typed else [],
        booking=booking,
    )


def _kind(fitting: Sequence[VisitType], wanted: int, booking: Booking | None) -> VisitType:
    """The type of the address, or what the patient is due for with this provider, or the first."""
    due = [each.type_id for each in booking.due] if booking else []
    order = [wanted, *due]
    found = [kind for number in order for kind in fitting if kind.id == number]
    return (found or list(fitting))[0]


def added_of(clinic: Clinic, value: str) -> Added:
    """What was added, in words; Refused for what no form of ours sends."""
    also = read_also(value)
    if also.set_id:
        if also.set_id not in clinic.sets:
            raise Refused("Choose from the list what the visit is to do.", "also")
        return Added(value, f"{clinic.sets[also.set_id].name} (set)")
    service = clinic.find_service(also.service_id)
    tooth = f"tooth {show_tooth(also.tooth, clinic.numbering)}" if also.tooth else ""
    spot = " ".join(part for part in (tooth, also.surfaces, AREAS.get(also.area, "")) if part)
    return Added(value, f"{service.words}{', ' + spot if spot else ''}")

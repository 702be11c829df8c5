"""Work that no visit on the Book stands for: done elsewhere, or before Zax. It is entered as a visit of no
minutes, which takes nobody's time and begins at its checkout; from there it is charged, finished and billed
like any other.
"""

from __future__ import annotations

from datetime import date
from typing import Annotated

from zax.core.book.track import Stop
from zax.core.clinic.providers import Provider
from zax.core.clinic.visit_types import VisitType
from zax.core.errors import NotFound, Refused
from zax.core.form import Form, Key, Reference, a_day
from zax.core.wording import day_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.track import write_move
from zax.store.book.changes import add_visit
from zax.store.book.queries import visit_by_key
from zax.store.book.records import NewVisit
from zax.store.patients.patients import patient_of

# Longer ago than any payer takes a claim, and most likely a slip of the year.
OLDEST_YEARS = 10


class WorkForm(Form):
    """When the work was done, by whom, and for which site it counts."""

    day: Annotated[date, a_day("When was it done?")]
    provider_id: Reference
    site_id: Reference
    key: Key = ""


@act("claims")
def enter_work(tx: Transaction, patient_id: int, form: WorkForm) -> int:
    """A visit at its checkout for work done elsewhere; its services are entered next. Pressed twice it is the
    same visit.
    """
    if form.key and (known := visit_by_key(tx.connection, form.key)) is not None:
        return known.id
    if patient_of(tx.connection, patient_id) is None:
        raise NotFound("There is no such patient.")
    provider = tx.clinic.providers.get(form.provider_id)
    if provider is None:
        raise Refused("Choose who did it.", "provider_id")
    if form.site_id not in tx.clinic.sites:
        raise Refused("Choose the site it counts for.", "site_id")
    return start_afterwards(tx, patient_id, form.site_id, provider, form.day, form.key)


def start_afterwards(
    tx: Transaction, patient_id: int, site_id: int, provider: Provider, day: date, key: str = ""
) -> int:
    """Refused for a day to come, and for one too long ago."""
    today = tx.business_day(site_id)
    if day > today:
        raise Refused(f"{day_words(day, year=True)} is still to come. Book a visit for it.", "day")
    if day.year < today.year - OLDEST_YEARS:
        raise Refused(f"That is more than {OLDEST_YEARS} years ago. Check the year.", "day")
    kind, room_id = _kind_and_room(tx, provider, site_id)
    visit_id = add_visit(
        tx.connection,
        NewVisit(
            site_id=site_id,
            patient_id=patient_id,
            provider_id=provider.id,
            room_id=room_id,
            type_id=kind.id,
            day=day,
            start_min=0,
            minutes=0,
            buffer_min=0,
            state=Stop.CHECKOUT,
            note="",
            held_until=None,
            web_message="",
            request_key=key or None,
            made_at=tx.now,
            made_by=tx.actor.id,
        ),
    )
    write_move(tx, visit_id, "", Stop.CHECKOUT)
    tx.audit("visit.entered", patient_id=patient_id, visit_id=visit_id, day=day.isoformat())
    tx.tell("visit", site_id=site_id, day=day, visit_id=visit_id, patient_id=patient_id)
    return visit_id


def _kind_and_room(tx: Transaction, provider: Provider, site_id: int) -> tuple[VisitType, int]:
    """A type the provider leads, and a room it may use: a visit names both, and here they say only which kind
    of care it was.
    """
    led = [k for k in tx.clinic.types.values() if k.active and k.role == provider.role]
    for kind in led:
        rooms = tx.clinic.rooms_for(kind, site_id, provider.room_id)
        if rooms:
            return kind, rooms[0].id
    where = tx.clinic.sites[site_id].name
    raise Refused(f"{provider.name} has no visit type with a room at {where}. Add one in Setup.", "site_id")

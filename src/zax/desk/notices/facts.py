"""What the words of a message are filled with, from the clinic, the visits and whoever reads it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from urllib.parse import quote_plus

from zax.core.messages.channel import Channel
from zax.core.messages.language import language_of
from zax.core.messages.reach import Way, is_child, way
from zax.core.notices.words import MessageFacts, VisitFacts
from zax.core.wording import phone_words
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.reaching import reachable
from zax.desk.messages.addresses import known_of
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.patients.patients import guarantors_of
from zax.store.patients.records import Patient

MAP = "https://www.openstreetmap.org/search?query="


def called(patient: Patient) -> str:
    """The name they go by."""
    return patient.used_name or patient.first


def reader_of(patient: Patient, guarantor: Patient | None, today: date) -> Patient:
    """Who reads what is about this patient: a child's guarantor."""
    return guarantor if guarantor is not None and is_child(patient.birth, today) else patient


def visit_facts(clinic: Clinic, visit: Visit, whose: Patient) -> VisitFacts:
    site, provider = clinic.sites[visit.site_id], clinic.providers[visit.provider_id]
    street, city, state, code = site.address
    address = f"{street}, {city}, {state} {code[:5]}"
    return VisitFacts(
        first=called(whose),
        day=visit.day,
        start=visit.start_min,
        minutes=visit.minutes,
        provider=provider.short if provider.short.startswith("Dr.") else provider.name,
        site=site.name,
        address=address,
        map_link=MAP + quote_plus(address),
    )


def facts_for(
    clinic: Clinic,
    reader: Patient,
    visits: Sequence[VisitFacts] = (),
    site_id: int = 0,
    day: date | None = None,
    for_another: bool = False,
    link: str = "",
) -> MessageFacts:
    """`site_id` is whose phone it names; the first site's where none is meant."""
    site = clinic.sites.get(site_id, clinic.first_site)
    return MessageFacts(
        first=called(reader),
        language=language_of(reader.language),
        clinic=str(clinic.about["clinic_name"]),
        phone=phone_words(site.phone),
        visits=visits,
        day=day,
        for_another=for_another,
        link=link,
    )


def way_to(connection: Connection, patient: Patient, channel: Channel, today: date) -> Way:
    """How a channel reaches them about what somebody sends by hand, whatever they prefer for reminders."""
    guarantor = guarantors_of(connection, [patient.household_id]).get(patient.household_id)
    everyone = [patient, *([guarantor] if guarantor else [])]
    known = known_of(connection, [number for each in everyone for number in addresses_of(each)])
    return way(reachable(patient, guarantor), channel, today, "", known)


def addresses_of(patient: Patient) -> tuple[str, ...]:
    """Every phone and mail address on file."""
    return (patient.phone, patient.home_phone, patient.work_phone, patient.email)

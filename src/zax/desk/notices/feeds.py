"""Calendar addresses: whoever has one reads a provider's or a patient's visits in a calendar program, without
signing in. The address is a secret, made by somebody, and can be shut at any time. A provider's shows
initials unless the clinic allows names; a patient's says where and with whom, and nothing about care.
"""

from __future__ import annotations

import secrets
from datetime import timedelta

from zax.clock import local
from zax.core.errors import NotFound, Refused
from zax.core.notices.calendar_file import FeedEvent, calendar_feed
from zax.core.notices.digest import initials
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.notices.mail import domain_of
from zax.desk.notices.rules import habits_of
from zax.store.engine import Connection
from zax.store.notices import feeds as stored
from zax.store.notices.feeds import Feed, FeedVisit
from zax.store.patients.patients import known_patient

BACK, AHEAD = timedelta(days=31), timedelta(days=370)
LONGEST = 43
# A calendar program asks again and again: that it was read is kept once an hour.
NOTED_EVERY = timedelta(hours=1)
NO_PAGES = "Say under Setup, Messages where our pages are reached first: a calendar needs a whole address."


def address_of(clinic: Clinic, feed: Feed) -> str:
    return f"{habits_of(clinic).address}/calendar/{feed.secret}.ics"


@act("setup")
def open_provider_feed(tx: Transaction, provider_id: int, names: bool) -> None:
    """A new address; one that was there is shut."""
    if provider_id not in tx.clinic.providers:
        raise NotFound("There is no such provider.")
    _needs_pages(tx)
    for feed in stored.feeds_of_providers(tx.connection):
        if feed.provider_id == provider_id:
            stored.change_feed(tx.connection, feed.id, ended_at=tx.now)
    _add(tx, provider_id=provider_id, names=names)
    tx.audit("feed.opened", provider=provider_id, names=names)
    tx.tell("setup")


@act("patients")
def open_patient_feed(tx: Transaction, patient_id: int) -> None:
    """A new address; one that was there is shut."""
    patient = known_patient(tx.connection, patient_id)
    _needs_pages(tx)
    before = stored.feed_of_patient(tx.connection, patient.id)
    if before is not None:
        stored.change_feed(tx.connection, before.id, ended_at=tx.now)
    _add(tx, patient_id=patient.id)
    tx.audit("feed.opened", patient_id=patient.id)
    tx.tell("patient", patient_id=patient.id)


def _needs_pages(tx: Transaction) -> None:
    if not habits_of(tx.clinic).address:
        raise Refused(NO_PAGES, "feed")


def _add(tx: Transaction, **whose: object) -> None:
    stored.add_feed(
        tx.connection, secret=secrets.token_urlsafe(32), made_at=tx.now, made_by=tx.actor.id, **whose
    )


@act("patients")
def shut_patient_feed(tx: Transaction, patient_id: int) -> None:
    feed = stored.feed_of_patient(tx.connection, patient_id)
    if feed is None:
        raise NotFound("There is no such calendar address.")
    stored.change_feed(tx.connection, feed.id, ended_at=tx.now)
    tx.audit("feed.shut", patient_id=patient_id)
    tx.tell("patient", patient_id=patient_id)


@act("setup")
def shut_provider_feed(tx: Transaction, feed_id: int) -> None:
    feed = stored.feed_by_id(tx.connection, feed_id)
    if feed is None or feed.provider_id is None:
        raise NotFound("There is no such calendar address.")
    stored.change_feed(tx.connection, feed.id, ended_at=tx.now)
    tx.audit("feed.shut", provider=feed.provider_id)
    tx.tell("setup")


def read_feed(desk: Desk, secret: str) -> bytes:
    """The calendar of an address as it stands now (RFC 5545, METHOD PUBLISH). NotFound for one that is shut
    or never was.
    """
    now = desk.clock.now()
    with desk.engine.begin() as connection:
        feed = stored.feed_by_secret(connection, secret) if len(secret) == LONGEST else None
        if feed is None:
            raise NotFound("There is no such calendar.")
        if feed.read_at is None or now - feed.read_at >= NOTED_EVERY:
            stored.change_feed(connection, feed.id, read_at=now)
        visits = _visits(connection, desk.clinic, feed, desk)
        name = _name(connection, desk.clinic, feed)
    domain = domain_of(desk.clinic)
    return calendar_feed([_event(desk.clinic, feed, each) for each in visits], name, domain, now)


def _visits(connection: Connection, clinic: Clinic, feed: Feed, desk: Desk) -> list[FeedVisit]:
    today = local(desk.clock.now(), clinic.first_site.timezone).date()
    return stored.visits_between(
        connection, today - BACK, today + AHEAD, provider_id=feed.provider_id, patient_id=feed.patient_id
    )


def _name(connection: Connection, clinic: Clinic, feed: Feed) -> str:
    if feed.provider_id is not None:
        return f"{clinic.about['clinic_name']}, {clinic.providers[feed.provider_id].short}"
    return str(clinic.about["clinic_name"])


def _event(clinic: Clinic, feed: Feed, visit: FeedVisit) -> FeedEvent:
    site = clinic.sites[visit.site_id]
    if feed.provider_id is None:
        said = f"{clinic.about['clinic_name']}, {clinic.providers[visit.provider_id].short}"
    elif feed.names:
        said = f"{visit.first} {visit.last}, {clinic.types[visit.type_id].name}"
    else:
        said = initials(visit.first, visit.last)
    return FeedEvent(
        visit_id=visit.id,
        sequence=visit.version,
        day=visit.day,
        start=visit.start_min,
        minutes=visit.minutes,
        timezone=site.timezone,
        summary=said,
        where=f"{site.name}, {', '.join(site.address[:3])}",
    )

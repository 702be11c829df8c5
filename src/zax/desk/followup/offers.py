"""Offering an opening: made with everybody it may suit, texted in waves, closed by the first yes or in
another way; and what a person does with it meanwhile.

Whoever decides about an offer holds its row, so of many answers at one moment each sees what the one before
did. Every text has a key of its own, so it goes out once, however often the work is tried again.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from datetime import date, datetime, time, timedelta

from zax.clock import to_utc
from zax.core.book.waitlist import Gap
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.followup.candidates import By, Ranked, Ranking, Skipped, kept_words, why_words
from zax.core.followup.offer import (
    MOST_PEOPLE,
    REMEMBERED,
    Heard,
    Place,
    Rules,
    Stand,
    check_rules,
    ends_at,
    next_number,
)
from zax.core.followup.offer_words import invitation, not_open
from zax.core.json import KeptJson
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.messages.reach import Way, way
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.waitlist import time_at
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.candidates import candidates_for
from zax.desk.followup.offer_words import facts_of
from zax.desk.followup.reaching import reachable
from zax.desk.messages.quiet_hours import quiet_hours
from zax.desk.messages.writing import write_to
from zax.store.engine import Connection
from zax.store.followup import offers as stored
from zax.store.followup.candidates import busy_that_day
from zax.store.followup.offers import Offer, OfferPerson
from zax.store.patients.patients import guarantors_of, known_patient

SETTING = "offers"


@dataclass(frozen=True, slots=True, kw_only=True)
class Opening:
    """The time to offer; without `minutes` as long as it is free. `from_visit` is the canceled visit that
    left it, `without` whom somebody has unticked.
    """

    site_id: int
    provider_id: int
    day: date
    start: int
    minutes: int = 0
    from_visit: int | None = None
    without: frozenset[int] = frozenset()


def rules_of(clinic: Clinic) -> Rules:
    """The clinic's own, or those that ship."""
    kept = clinic.about.get(SETTING)
    return Rules(**kept) if isinstance(kept, dict) else Rules()


@act("setup")
def keep_rules(tx: Transaction, rules: Rules) -> None:
    """Raises Problems beside the fields."""
    check_rules(rules)
    tx.keep_setting(SETTING, asdict(rules))
    tx.change_setup("setup.offers", **asdict(rules))


def begins_at(clinic: Clinic, site_id: int, day: date, start: int) -> datetime:
    """When a time begins, in UTC."""
    wall = datetime.combine(day, time()) + timedelta(minutes=start)
    return to_utc(wall, clinic.sites[site_id].timezone)


def gap_of(connection: Connection, clinic: Clinic, opening: Opening, now: datetime) -> Gap:
    """The free time. Raises NotFound for nobody's, Conflict when it isn't free."""
    if opening.site_id not in clinic.sites or opening.provider_id not in clinic.providers:
        raise NotFound("There is no such opening.")
    found = time_at(
        connection,
        clinic,
        opening.site_id,
        opening.provider_id,
        opening.day,
        opening.start,
        now,
        opening.minutes,
    )
    if found is None:
        raise Conflict("This time isn’t free anymore. Pick another one on the Book.")
    return found.gap


@act("book")
def make_offer(tx: Transaction, opening: Opening) -> int:
    """Offer it now; the offer's id. Conflict when it isn't free or is being offered, Refused when there is
    nobody to offer it to.
    """
    gap = gap_of(tx.connection, tx.clinic, opening, tx.now)
    if stored.open_offer_at(tx.connection, gap.provider_id, gap.day, gap.start) is not None:
        raise Conflict("This time is being offered already. You’ll find it under Offers.")
    found = candidates_for(tx.connection, tx.clinic, gap, tx.now, rules_of(tx.clinic))
    if opening.without:
        found = found.but(opening.without, f"skipped by {tx.actor.initials or tx.actor.name}")
    if not found.best:
        raise Refused("No one to offer it to: the waitlist and the recalls hold no one it would suit.")
    return begin(tx, opening, gap, found)


def begin(tx: Transaction, opening: Opening, gap: Gap, found: Ranking) -> int:
    """Write the offer and text its first people. One without anybody is over at once, and says who was
    skipped.
    """
    rules = rules_of(tx.clinic)
    begins = begins_at(tx.clinic, gap.site_id, gap.day, gap.start)
    offer_id = stored.add_offer(
        tx.connection,
        site_id=gap.site_id,
        provider_id=gap.provider_id,
        day=gap.day,
        start_min=gap.start,
        minutes=gap.minutes,
        stand=Stand.OPEN if found.best else Stand.OVER,
        wave=rules.wave,
        wave_minutes=rules.minutes,
        next_at=tx.now if found.best else None,
        until_at=ends_at(begins, tx.now, rules),
        made_at=tx.now,
        made_by=tx.actor.id,
        from_visit_id=opening.from_visit,
        closed_at=None if found.best else tx.now,
    )
    rows = [_row(offer_id, place, each, gap) for place, each in enumerate(found.best[:MOST_PEOPLE], 1)]
    rows += [
        _skipped_row(offer_id, place, each, gap) for place, each in enumerate(found.skipped[:MOST_PEOPLE], 1)
    ]
    stored.add_people(tx.connection, rows)
    tx.audit("offer.made", offer=offer_id, day=gap.day.isoformat(), provider=gap.provider_id)
    offer = held(tx, offer_id)
    if offer.is_open:
        _wave_if_due(tx, offer)
    tell(tx, offer)
    return offer_id


def _row(offer_id: int, place: int, found: Ranked, gap: Gap) -> KeptJson:
    who = found.who
    why, more = why_words(who, gap)
    kept, kept_more = kept_words(who)
    return {
        "offer_id": offer_id,
        "patient_id": who.patient_id,
        "rank_no": place,
        "place": Place.WAITING,
        "by_way": who.by,
        "phone": who.to,
        "language": who.language,
        "type_id": who.type_id,
        "minutes": who.minutes,
        "worth_cents": who.worth,
        "wait_id": who.wait_id or None,
        "recall_id": who.recall_id or None,
        "visit_id": who.visit_id or None,
        "leaves_day": who.leaves,
        "planned": list(who.planned),
        "why": why[:120],
        "why_more": more[:120],
        "kept": kept,
        "kept_more": kept_more,
        "points": found.sentence[:200],
        "wished": found.wished,
        "skipped_why": "",
        "may_join": False,
    }


def _skipped_row(offer_id: int, place: int, skipped: Skipped, gap: Gap) -> KeptJson:
    row = _row(offer_id, place, Ranked(skipped.who, 0, True, ()), gap)
    return {
        **row,
        "place": Place.SKIPPED,
        "skipped_why": skipped.why[:160],
        "may_join": skipped.may and bool(skipped.who.to),
    }


def held(tx: Transaction, offer_id: int) -> Offer:
    offer = stored.hold_offer(tx.connection, offer_id)
    if offer is None:
        raise NotFound("There is no such offer.")
    return offer


def held_open(tx: Transaction, offer_id: int) -> Offer:
    offer = held(tx, offer_id)
    if not offer.is_open:
        raise Conflict("This isn’t being offered anymore.")
    return offer


def still_free(connection: Connection, clinic: Clinic, offer: Offer, now: datetime) -> bool:
    found = time_at(
        connection,
        clinic,
        offer.site_id,
        offer.provider_id,
        offer.day,
        offer.start_min,
        now,
        offer.minutes,
    )
    return found is not None


def look_at(tx: Transaction, offer_id: int) -> None:
    """What the clock asks for: the next wave, or the end. Nothing where somebody else has just done it."""
    offer = held(tx, offer_id)
    if not offer.is_open:
        return
    if tx.now >= offer.until_at:
        close(tx, offer, Stand.OVER)
    elif not still_free(tx.connection, tx.clinic, offer, tx.now):
        close(tx, offer, Stand.GONE)
    else:
        _wave_if_due(tx, offer)


def _wave_if_due(tx: Transaction, offer: Offer) -> None:
    """Text the next few; in quiet hours when they end."""
    if offer.next_at is None or offer.next_at > tx.now:
        return
    wall = tx.local_now(offer.site_id)
    opens = quiet_hours(tx.clinic).over_at(wall)
    if opens > wall:
        at = to_utc(opens, tx.clinic.sites[offer.site_id].timezone)
        stored.change_offer(tx.connection, offer.id, next_at=at)
        return
    _send_wave(tx, offer)


def _send_wave(tx: Transaction, offer: Offer) -> None:
    sent = 0
    while sent < offer.wave:
        found = stored.next_in_line(tx.connection, offer.id, offer.wave - sent)
        if not found:
            break
        sent += sum(_invite(tx, offer, person) for person in found)
    more = bool(stored.next_in_line(tx.connection, offer.id, 1))
    at = tx.now + timedelta(minutes=offer.wave_minutes) if more else None
    stored.change_offer(tx.connection, offer.id, next_at=at)
    tell(tx, offer)


def _invite(tx: Transaction, offer: Offer, person: OfferPerson) -> bool:
    """Text one person, or put them up to be called; False for somebody who may not be asked by now."""
    there = _way_now(tx, offer, person)
    if there.why_not:
        stored.change_person(tx.connection, person.id, place=Place.SKIPPED, skipped_why=there.why_not)
        return False
    person = replace(person, phone=there.to)
    number = 1
    if person.by_way == By.TEXT:
        heard = heard_of(tx.connection, person.phone, tx.now)
        number = next_number(heard, tx.now)
        words = invitation(facts_of(tx.clinic, offer, replace(person, number=number)))
        text_to(tx, person, "offer", words)
    sent = {"place": Place.SENT, "sent_at": tx.now, "number": number, "phone": person.phone}
    stored.change_person(tx.connection, person.id, **sent)
    tx.audit("offer.sent", patient_id=person.patient_id, offer=offer.id, by=person.by_way)
    return True


def _way_now(tx: Transaction, offer: Offer, person: OfferPerson) -> Way:
    """Where they are reached by now, or what has changed since the offer was made."""
    patient = known_patient(tx.connection, person.patient_id)
    guarantor = guarantors_of(tx.connection, [patient.household_id]).get(patient.household_id)
    channel = Channel.TEXT if person.by_way == By.TEXT else Channel.CALL
    if busy_that_day(tx.connection, [patient.id], offer.day):
        return Way(why_not="has a visit that day by now")
    if person.by_way == By.TEXT or patient.status != "active":
        return way(reachable(patient, guarantor), channel, tx.business_day(offer.site_id))
    return Way(to=person.phone)


def heard_of(connection: Connection, phone: str, now: datetime) -> list[Heard]:
    """What this phone was offered of late."""
    return [
        Heard(person.id, person.number, person.sent_at, offer.is_open, offer.day, offer.start_min)
        for person, offer in stored.heard_at(connection, phone, now - REMEMBERED)
        if person.sent_at is not None
    ]


def text_to(tx: Transaction, person: OfferPerson, what: str, words: str, visit_id: int | None = None) -> None:
    """A text to somebody of an offer; each `what` goes out once."""
    write_to(
        tx,
        Channel.TEXT,
        person.phone,
        words,
        key=f"{what}-{person.id}",
        sort=Sort.OFFER,
        patient_id=person.patient_id,
        visit_id=visit_id,
    )


def close(tx: Transaction, offer: Offer, stand: Stand) -> None:
    """It isn't offered anymore: whoever was texted and hasn't said no is told. After a yes only who asked
    something is; the others have nothing to expect until they answer.
    """
    stored.change_offer(
        tx.connection, offer.id, stand=stand, closed_at=tx.now, closed_by=tx.actor.id, next_at=None
    )
    for person in stored.still_to_tell(tx.connection, offer.id):
        if stand is Stand.TAKEN and person.place != Place.ASKS:
            continue
        text_to(tx, person, "offer-gone", not_open(facts_of(tx.clinic, offer, person)))
        stored.change_person(tx.connection, person.id, told_at=tx.now)
    tx.audit("offer.closed", offer=offer.id, stand=stand)
    tell(tx, offer)


def tell(tx: Transaction, offer: Offer) -> None:
    """Let open screens know: the offer's own, and the Book of that day."""
    tx.tell("offer", site_id=offer.site_id, day=offer.day)


@act("book")
def text_next(tx: Transaction, offer_id: int) -> None:
    """The next few at once, without waiting; quiet hours hold all the same."""
    offer = held_open(tx, offer_id)
    opens = quiet_hours(tx.clinic).over_at(tx.local_now(offer.site_id))
    if opens > tx.local_now(offer.site_id):
        raise Refused("These are quiet hours, so no texts go out. Call them instead.")
    if not still_free(tx.connection, tx.clinic, offer, tx.now):
        close(tx, offer, Stand.GONE)
        return
    _send_wave(tx, offer)


@act("book")
def stop_offering(tx: Transaction, offer_id: int) -> None:
    """Nobody else is asked, and those who were are told."""
    close(tx, held_open(tx, offer_id), Stand.STOPPED)


@act("book")
def let_join(tx: Transaction, person_id: int) -> None:
    """Somebody who was skipped comes next in line, because a person says so."""
    person, offer = person_in(tx, person_id)
    if not offer.is_open:
        raise Conflict("This isn’t being offered anymore.")
    if person.place != Place.SKIPPED or not person.may_join:
        raise Refused(f"{person.name} can’t be put in: {person.skipped_why or 'already in line'}.")
    first = stored.next_in_line(tx.connection, offer.id, 1)
    rank = first[0].rank_no - 1 if first else person.rank_no
    stored.change_person(tx.connection, person.id, place=Place.WAITING, rank_no=rank, may_join=False)
    if offer.next_at is None:
        stored.change_offer(tx.connection, offer.id, next_at=tx.now)
    tx.audit("offer.joined", patient_id=person.patient_id, offer=offer.id, was=person.skipped_why)
    tell(tx, offer)


@act("book")
def pass_over(tx: Transaction, person_id: int) -> None:
    """Somebody in line isn't asked this time."""
    person, offer = person_in(tx, person_id)
    if person.place != Place.WAITING:
        raise Conflict(f"{person.name} was asked already.")
    by = f"skipped by {tx.actor.initials or tx.actor.name}"
    stored.change_person(tx.connection, person.id, place=Place.SKIPPED, skipped_why=by, may_join=True)
    tx.audit("offer.passed_over", patient_id=person.patient_id, offer=offer.id)
    tell(tx, offer)


def person_in(tx: Transaction, person_id: int) -> tuple[OfferPerson, Offer]:
    """The person and the offer, whose row is held, as they are now."""
    known = stored.person_of(tx.connection, person_id)
    if known is None:
        raise NotFound("There is no such person in an offer.")
    offer = held(tx, known.offer_id)
    person = stored.person_of(tx.connection, person_id)
    assert person is not None
    return person, offer

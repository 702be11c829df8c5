"""What somebody answers to an offer, by text or to a person on the phone. The first yes is booked, or their
visit moved, in the same transaction that closes the offer; a later one gets a kind word and keeps their
place.

A yes that can't be booked leaves the offer open for the others and reaches a person with the reason.
"""

from __future__ import annotations

from collections.abc import Callable

from zax.core.errors import Conflict, Refused, ZaxError
from zax.core.followup.candidates import By
from zax.core.followup.offer import MAY_ANSWER, Place, Stand
from zax.core.followup.offer_words import likely_answer, not_open, too_late, yours
from zax.core.messages.length import text_length
from zax.core.messages.reply import Meaning, Reading
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.booking import BookOrder, book_orders
from zax.desk.book.moving import MoveOrder, move
from zax.desk.book.track import locked_visit
from zax.desk.followup.offer_words import facts_of
from zax.desk.followup.offers import close, person_in, still_free, tell, text_to
from zax.store.followup import offers as stored
from zax.store.followup.offers import Offer, OfferPerson

MOST_MESSAGES = 3


def answered(tx: Transaction, person_id: int, reading: Reading, words: str, likely: str = "") -> bool:
    """A text that answers an offer. What is no plain yes or no waits for a person, with the likely answer
    written (`likely`, or one from what they ask).

    False where the offer doesn't hold it and somebody has to read the text itself: it is urgent, or asks
    something of an offer that nobody watches anymore.
    """
    person, offer = person_in(tx, person_id)
    if reading.meaning is Meaning.ACCEPT:
        _yes(tx, person, offer, words)
        return True
    if reading.meaning is Meaning.DECLINE and person.place != Place.YES:
        if person.place in MAY_ANSWER:
            _write(tx, person, offer, Place.NO, words)
        return True
    if offer.is_open or person.place == Place.YES:
        written = likely or likely_answer(reading, words, facts_of(tx.clinic, offer, person))
        _asks(tx, person, offer, words, written)
    return offer.is_open and not reading.urgent


def _yes(tx: Transaction, person: OfferPerson, offer: Offer, words: str) -> None:
    if person.place in {Place.YES, Place.LATE}:
        return  # said it before, and knows how it went
    begun = tx.now >= offer.until_at
    if offer.is_open and not begun and still_free(tx.connection, tx.clinic, offer, tx.now):
        why_not = _taken(tx, person, offer, words)
        if not why_not:
            return
        # The desk may have booked the time in this very moment; if not, it is about the person.
        if still_free(tx.connection, tx.clinic, offer, tx.now):
            _asks(tx, person, offer, words, "", why_not)
            return
    _late(tx, person, offer, words)
    if offer.is_open:
        close(tx, offer, Stand.OVER if begun else Stand.GONE)


def _late(tx: Transaction, person: OfferPerson, offer: Offer, words: str) -> None:
    """Somebody else was faster, or the time is gone; they keep their place on the list."""
    if person.by_way == By.TEXT:
        kind = too_late if offer.stand == Stand.TAKEN else not_open
        text_to(tx, person, "offer-late", kind(facts_of(tx.clinic, offer, person)))
    _write(tx, person, offer, Place.LATE, words)
    stored.change_person(tx.connection, person.id, told_at=tx.now)


def _asks(
    tx: Transaction, person: OfferPerson, offer: Offer, words: str, likely: str, why_not: str = ""
) -> None:
    """A person has to answer. Whoever took the time keeps it until that person has read what they say."""
    place = Place.YES if person.place == Place.YES else Place.ASKS
    _write(tx, person, offer, place, words)
    stored.change_person(tx.connection, person.id, likely=likely[:320], skipped_why=why_not[:160])


def _write(tx: Transaction, person: OfferPerson, offer: Offer, place: Place, words: str) -> None:
    stored.change_person(
        tx.connection, person.id, place=place, answer=words[:320], answered_at=tx.now, likely=""
    )
    tx.audit("offer.answered", patient_id=person.patient_id, offer=offer.id, place=place)
    tell(tx, offer)


def _taken(tx: Transaction, person: OfferPerson, offer: Offer, words: str) -> str:
    """Book it for them, or move their visit there, all or nothing; why it couldn't be, or nothing."""
    queued = {write: list(rows) for write, rows in tx.queued.items()}
    try:
        with tx.connection.begin_nested():
            visit_id, freed = _place(tx, person, offer)
    except ZaxError as error:
        tx.queued = queued
        return error.message
    stored.change_offer(tx.connection, offer.id, booked_visit_id=visit_id, freed=freed)
    _write(tx, person, offer, Place.YES, words)
    if person.by_way == By.TEXT:
        text_to(tx, person, "offer-yours", yours(facts_of(tx.clinic, offer, person)), visit_id)
        stored.change_person(tx.connection, person.id, told_at=tx.now)
    close(tx, offer, Stand.TAKEN)
    return ""


def _place(tx: Transaction, person: OfferPerson, offer: Offer) -> tuple[int, dict[str, object]]:
    """The visit's id, and where a moved one stood before."""
    if not person.visit_id:
        return book_orders(tx, [_order(person, offer)])[0], {}
    visit = locked_visit(tx, person.visit_id)
    if visit.patient_id != person.patient_id:
        raise Conflict("The visit they would leave is someone else’s by now.")
    if (visit.day, visit.start_min) <= (offer.day, offer.start_min):
        raise Conflict("The visit they would leave isn’t later anymore.")
    freed: dict[str, object] = {
        "site": visit.site_id,
        "provider": visit.provider_id,
        "day": visit.day.isoformat(),
        "start": visit.start_min,
        "minutes": visit.minutes,
    }
    place = MoveOrder(site_id=offer.site_id, day=offer.day, at=offer.start_min, provider_id=offer.provider_id)
    move(tx, visit.id, place)
    return visit.id, freed


def _order(person: OfferPerson, offer: Offer) -> BookOrder:
    return BookOrder(
        site_id=offer.site_id,
        day=offer.day,
        at=offer.start_min,
        provider_id=offer.provider_id,
        type_id=person.type_id,
        minutes=person.minutes,
        patient_id=person.patient_id,
        key=f"offer-{person.id}",
        planned=tuple(person.planned),
        wait_id=person.wait_id or 0,
    )


@act("book")
def said_yes(tx: Transaction, person_id: int) -> int:
    """They said yes to a person; the visit's id. Conflict when the time is gone."""
    person, offer = person_in(tx, person_id)
    if not offer.is_open or not still_free(tx.connection, tx.clinic, offer, tx.now):
        raise Conflict("Someone was faster: this time is gone.")
    why_not = _taken(tx, person, offer, f"yes, to {tx.actor.initials or tx.actor.name}")
    if why_not:
        raise Conflict(why_not)
    taken = stored.one_offer(tx.connection, offer.id)
    assert taken is not None and taken.booked_visit_id is not None
    return taken.booked_visit_id


@act("book")
def said_no(tx: Transaction, person_id: int) -> None:
    """They said no to a person."""
    words = f"no, to {tx.actor.initials}"
    _said(tx, person_id, lambda person, offer: _write(tx, person, offer, Place.NO, words))


@act("book")
def no_answer(tx: Transaction, person_id: int) -> None:
    """Called in vain: the next in line has better chances, and they may still call back."""
    words = f"no answer, {tx.actor.initials}"
    _said(tx, person_id, lambda person, offer: _write(tx, person, offer, Place.SENT, words))


def _said(tx: Transaction, person_id: int, write: Callable[[OfferPerson, Offer], None]) -> None:
    person, offer = person_in(tx, person_id)
    if person.place not in MAY_ANSWER:
        raise Conflict(f"{person.name} has answered already.")
    write(person, offer)


@act("book")
def write_back(tx: Transaction, person_id: int, words: str) -> None:
    """A person's answer to what somebody asked; they may say yes or no after it."""
    person, offer = person_in(tx, person_id)
    said = " ".join(words.split())
    if not said:
        raise Refused("Write what to answer.", "words")
    if text_length(said).messages > MOST_MESSAGES:
        raise Refused(f"Keep it to {MOST_MESSAGES} messages.", "words")
    if person.by_way != By.TEXT:
        raise Refused(f"{person.name} is called, not texted.", "words")
    text_to(tx, person, f"offer-back-{tx.now:%y%m%d%H%M%S%f}", said)
    place = Place.SENT if person.place == Place.ASKS else Place(person.place)
    stored.change_person(tx.connection, person.id, place=place, likely="", skipped_why="")
    tx.audit("offer.written_back", patient_id=person.patient_id, offer=offer.id, words=said)
    tell(tx, offer)

"""Texts that patients send: taken in once each, understood by rules, and carried to what they answer. What no
rule is sure of reaches a person.

The gateway keeps a reply until it is told that the clinic has it, and that is said only once it is written: a
worker that dies in between finds it again, and knows it by its number.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import structlog

from zax.core.book.track import Stop
from zax.core.errors import Conflict, NotFound
from zax.core.followup.offer import MAY_ANSWER, REMEMBERED, meant
from zax.core.followup.offer_words import Facts, likely_which, stopped
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.messages.reply import Asked, Meaning, Reading, read_reply, says_thanks
from zax.core.messages.reply_words import Phrases
from zax.core.wording import phone_words
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.each import each_for_itself
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.followup.offer_answers import answered
from zax.desk.followup.offer_words import facts_of
from zax.desk.followup.offers import heard_of
from zax.desk.inbox.answers import Question, answer, question_to
from zax.desk.inbox.reply_words import phrases_of
from zax.desk.messages.writing import write_to
from zax.desk.patients.texting import start_texts, stop_texts
from zax.outside.doors import TextReply, Texts
from zax.store.engine import TROUBLE
from zax.store.followup.offers import Offer, OfferPerson, heard_at
from zax.store.inbox import replies as stored
from zax.store.patients.patients import texted_at, with_phone

log = structlog.get_logger()


def take_replies(desk: Desk, texts: Texts) -> int:
    """Everything the gateway has; how many. Raises OutsideTrouble when it can't be reached."""
    return each_for_itself(texts.replies(), partial(_take, desk, texts))


def _take(desk: Desk, texts: Texts, reply: TextReply) -> None:
    try:
        in_transaction(desk, WORKER, lambda tx: take_in(tx, reply))
    except TROUBLE:
        raise
    except Exception as error:
        # Whatever went wrong with it, a person gets to read it; the defect is told by the duty.
        log.error("reply.failed", number=reply.number, exc_info=error)
        in_transaction(desk, WORKER, lambda tx: _keep(tx, reply, Reading(Meaning.UNCLEAR), None, ""))
        texts.taken(reply.number)
        raise
    texts.taken(reply.number)


def take_reply(desk: Desk, number: int, sender: str, words: str) -> None:
    """One that the gateway brings itself. It keeps it all the same until it is fetched and said to be
    taken.
    """
    in_transaction(desk, WORKER, lambda tx: take_in(tx, TextReply(number, sender, words)))


def take_in(tx: Transaction, reply: TextReply) -> None:
    """Keep it and do what it says; nothing when it was taken in before."""
    if stored.known(tx.connection, reply.number):
        return
    heard = heard_at(tx.connection, reply.sender, tx.now - REMEMBERED)
    question = question_to(
        tx.connection, reply.sender, tx.now, lambda number: tx.clinic.sites[number].timezone
    )
    order = read_reply(reply.words, Asked.NOTHING, None, phrases_of(tx.clinic))
    if order.meaning in {Meaning.STOP, Meaning.START}:
        _order(tx, reply, order, heard)
    elif says_thanks(reply.words):
        _keep(tx, reply, order, None, "said thanks", question)
    elif order.meaning is Meaning.HELP:
        _help(tx, reply, order)
    elif heard and not _about_our_question(heard, question, reply.words):
        _to_offer(tx, reply, heard, question)
    elif question is not None:
        _to_question(tx, reply, question)
    else:
        _keep(tx, reply, order, None, "")


def _about_our_question(
    heard: list[tuple[OfferPerson, Offer]], question: Question | None, words: str
) -> bool:
    """Whether it answers a message of ours rather than an offer: that came after, and no offer stands
    open.
    """
    if question is None or any(offer.is_open for _, offer in heard):
        return False
    asked_at = question.message.sent_at or question.message.made_at
    return all(person.sent_at is None or person.sent_at < asked_at for person, _ in heard)


def _to_offer(
    tx: Transaction, reply: TextReply, heard: list[tuple[OfferPerson, Offer]], question: Question | None
) -> None:
    phrases = phrases_of(tx.clinic)
    reading = read_reply(reply.words, Asked.OFFER, None, phrases)
    person, likely = _whom(tx, reply, reading, heard)
    if reading.meaning is Meaning.WRONG_NUMBER:
        # Whoever reads this phone isn't the patient: nobody else of these offers is at it either.
        answered(tx, person.id, Reading(Meaning.DECLINE), reply.words)
        _keep(tx, reply, reading, person, "")
        return
    if question is not None and _claimed_twice(reading, question, reply.words, phrases):
        # A yes to the opening, or to the visit we asked about? Nobody knows, so a person asks.
        _keep(tx, reply, Reading(Meaning.UNCLEAR), person, "", question)
        return
    known = Reading(Meaning.UNCLEAR, urgent=reading.urgent) if likely else reading
    held = answered(tx, person.id, known, reply.words, likely)
    _keep(tx, reply, reading, person, "with the offer" if held else "")


def _claimed_twice(reading: Reading, question: Question, words: str, phrases: Phrases) -> bool:
    """An offer and a reminder that both stand, and an answer that each would take for itself."""
    if reading.number or question.asked is not Asked.REMINDER:
        return False
    other = read_reply(words, Asked.REMINDER, question.when, phrases)
    unsaid = any(visit.state == Stop.BOOKED for visit in question.visits)
    return unsaid and reading.meaning is Meaning.ACCEPT and other.meaning is Meaning.CONFIRM


def _to_question(tx: Transaction, reply: TextReply, question: Question) -> None:
    reading = read_reply(reply.words, question.asked, question.when, phrases_of(tx.clinic))
    did = answer(tx, question, reading, reply.words, reply.number)
    _keep(tx, reply, reading, None, done_words(did), question, did)


def done_words(did: Mapping[str, Any]) -> str:
    """What a reply did by itself, for the Inbox; empty for nothing."""
    if "confirmed" in did:
        return "confirmed" if did["confirmed"] else "confirmed before"
    if "noted" in did:
        return "glad about the time"
    if "canceled" in did:
        return "canceled"
    return f"{did['minutes']} min late, told Day" if "late" in did else ""


def _help(tx: Transaction, reply: TextReply, reading: Reading) -> None:
    """Who we are, and how to stop us (CTIA); at once, to whoever asks."""
    whose = texted_at(tx.connection, reply.sender)
    clinic, site = tx.clinic.about["clinic_name"], tx.clinic.first_site
    write_to(
        tx,
        Channel.TEXT,
        reply.sender,
        f"{clinic}. Questions? Call {phone_words(site.phone)}. Reply STOP to get no more texts.",
        key=f"help-{reply.number}",
        sort=Sort.ANSWER,
        patient_id=whose[0] if whose else None,
    )
    _keep(tx, reply, reading, None, "told how to reach us")


def _whom(
    tx: Transaction, reply: TextReply, reading: Reading, heard: list[tuple[OfferPerson, Offer]]
) -> tuple[OfferPerson, str]:
    """Whose offer it is about; of several that it could be the newest, and the question which is meant."""
    found = meant(heard_of(tx.connection, reply.sender, tx.now), reading.number, tx.now)
    by_id = {person.id: (person, offer) for person, offer in heard}
    if found is not None:
        return by_id[found.person_id][0], ""
    standing = [pair for pair in heard if pair[1].is_open] or heard
    asked: list[Facts] = [facts_of(tx.clinic, offer, person) for person, offer in standing]
    return standing[-1][0], likely_which(asked)


def _order(
    tx: Transaction, reply: TextReply, reading: Reading, heard: list[tuple[OfferPerson, Offer]]
) -> None:
    """STOP and START: obeyed, whatever else the text says, and confirmed once."""
    person = heard[-1][0] if heard else None
    if reading.meaning is Meaning.START:
        start_texts(tx, reply.sender)
        _keep(tx, reply, reading, person, "texts are on again")
        return
    for each, _ in heard:
        if each.place in MAY_ANSWER:
            answered(tx, each.id, Reading(Meaning.DECLINE), reply.words)
    whose = stop_texts(tx, reply.sender)
    site = tx.clinic.first_site
    words = stopped(str(tx.clinic.about["clinic_name"]), site.phone)
    write_to(
        tx,
        Channel.TEXT,
        reply.sender,
        words,
        key=f"stop-{reply.number}",
        sort=Sort.STOPPED,
        patient_id=whose[0] if whose else None,
    )
    _keep(tx, reply, reading, person, "texts are off")


def _keep(
    tx: Transaction,
    reply: TextReply,
    reading: Reading,
    person: OfferPerson | None,
    done: str,
    question: Question | None = None,
    did: Mapping[str, Any] | None = None,
) -> None:
    """Write it down; open, for a person to read, unless something was `done` with it."""
    whose = texted_at(tx.connection, reply.sender) or with_phone(tx.connection, reply.sender)
    asked = question.message.patient_id if question else None
    patient_id = person.patient_id if person else asked or (whose[0] if whose else None)
    stored.add_reply(
        tx.connection,
        gateway_no=reply.number,
        phone=reply.sender[:20],
        words=reply.words[:1000],
        at=tx.now,
        meaning=reading.meaning,
        patient_id=patient_id,
        offer_person_id=person.id if person else None,
        done_words=done,
        done_at=tx.now if done else None,
        message_id=question.message.id if question else None,
        did=did or {},
    )
    tx.audit("reply.taken", patient_id=patient_id, meaning=reading.meaning)
    tx.tell("reply", patient_id=patient_id)


@act("book")
def seen_to(tx: Transaction, reply_id: int, words: str) -> None:
    """Somebody read it and did what it asks. Conflict when somebody else was faster."""
    row = stored.hold_reply(tx.connection, reply_id)
    if row is None:
        raise NotFound("There is no such text.")
    if row.done_at is not None:
        raise Conflict("Someone has seen to this text already.")
    said = " ".join(words.split())[:200]
    stored.change_reply(tx.connection, row.id, done_at=tx.now, done_by=tx.actor.id, done_words=said or "read")
    tx.audit("reply.done", patient_id=row.patient_id, reply=row.id, words=said)
    tx.tell("reply", patient_id=row.patient_id)

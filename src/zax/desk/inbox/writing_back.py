"""Writing to a patient by hand: by text, or by mail to who wrote one; moving their visit as they asked.

Whoever writes back answers every text of that phone that still waits: nobody else needs to read them.
"""

from __future__ import annotations

from datetime import date

from zax.core.errors import Conflict, NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in, language_of
from zax.core.messages.message import Sort
from zax.core.messages.reach import Known, is_child, way
from zax.core.notices.words import LONGEST_MAIL, LONGEST_TEXT
from zax.core.wording import clock_words, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.moving import MoveOrder, move
from zax.desk.followup.reaching import reachable
from zax.desk.inbox.proposals import visit_of
from zax.desk.messages.addresses import known_of
from zax.desk.messages.writing import write_to
from zax.desk.notices.facts import addresses_of, called
from zax.store.engine import Connection
from zax.store.inbox import inbox as stored
from zax.store.inbox.replies import change_reply, hold_reply
from zax.store.messages.messages import (
    change_message,
    keep_address,
    message_by_id,
)
from zax.store.patients.patients import guarantors_of, known_patient
from zax.store.patients.records import Patient


def texts_reach(connection: Connection, patient: Patient, today: date) -> tuple[str, str]:
    """The phone that a text by hand goes to, or why none does."""
    guarantor = guarantors_of(connection, [patient.household_id]).get(patient.household_id)
    phones = [patient.phone, patient.home_phone, patient.work_phone]
    if guarantor is not None and is_child(patient.birth, today):
        phones += [guarantor.phone, guarantor.home_phone, guarantor.work_phone]
    found = way(reachable(patient, guarantor), Channel.TEXT, today, "reminders", known_of(connection, phones))
    # By hand one may text somebody who would rather have mail; not somebody who wants no texts.
    if not found.to and found.why_not.startswith(("wants email", "wants calls", "wants letters")):
        found = way(reachable(patient, guarantor), Channel.TEXT, today, "", known_of(connection, phones))
    return found.to, found.why_not


@act("book")
def write_back(tx: Transaction, patient_id: int, words: str, key: str, call_id: int = 0) -> str:
    """Text a patient by hand; the phone. Their texts that still wait are answered by it, and so is the call
    that is named. Refused beside `words` when it is empty, too long, or they can't be texted.
    """
    said = _said(words, LONGEST_TEXT)
    patient = known_patient(tx.connection, patient_id)
    to, why_not = texts_reach(tx.connection, patient, tx.clinic_day)
    if not to:
        raise Refused(f"{called(patient)} can’t be texted: {why_not}.", "words")
    write_to(tx, Channel.TEXT, to, said, key=f"hand-{key}"[:60], sort=Sort.ANSWER, patient_id=patient_id)
    _answered(tx, to, "answered by text")
    call = stored.hold_asking(tx.connection, call_id) if call_id else None
    if call is not None and call.seen_at is None and call.patient_id == patient_id:
        change_message(tx.connection, call.id, seen_at=tx.now, seen_by=tx.actor.id)
    tx.audit("message.by_hand", patient_id=patient_id)
    return to


def _said(words: str, longest: int) -> str:
    said = words.replace("\r\n", "\n").strip()
    if not said:
        raise Refused("Write something first.", "words")
    if len(said) > longest:
        raise Refused(f"Keep it to {longest} characters.", "words")
    return said


@act("patients")
def reach_again(tx: Transaction, patient_id: int, address: str) -> None:
    """Somebody says that an address of theirs works, or may be written to, after all. NotFound for an address
    that isn't theirs or has no trouble.
    """
    patient = known_patient(tx.connection, patient_id)
    known = known_of(tx.connection, addresses_of(patient)).get(address, Known())
    if not known.trouble:
        raise NotFound("Nothing is known against that address.")
    keep_address(tx.connection, address, tx.now, trouble="")
    tx.audit("address.works", patient_id=patient_id, was=known.trouble)
    tx.tell("patient", patient_id=patient_id)


@act("book")
def mail_back(tx: Transaction, reply_id: int, words: str, key: str) -> str:
    """Answer a mail by mail; the address it came from. Refused beside `words` when it is empty, too long, or
    nothing goes there anymore.
    """
    said = _said(words, LONGEST_MAIL)
    row = hold_reply(tx.connection, reply_id)
    if row is None or row.channel != Channel.EMAIL:
        raise NotFound("There is no such email.")
    trouble = known_of(tx.connection, [row.phone]).get(row.phone, Known()).trouble
    if trouble:
        raise Refused(f"No email goes to {row.phone}: {trouble}.", "words")
    ours = message_by_id(tx.connection, row.message_id) if row.message_id else None
    subject = f"Re: {ours.subject}" if ours is not None else f"From {tx.clinic.about['clinic_name']}"
    write_to(
        tx,
        Channel.EMAIL,
        row.phone,
        said,
        key=f"hand-{key}"[:60],
        sort=Sort.ANSWER,
        patient_id=row.patient_id,
        subject=subject,
    )
    _answered(tx, row.phone, "answered by email")
    tx.audit("message.by_hand", patient_id=row.patient_id)
    return row.phone


def _answered(tx: Transaction, phone: str, words: str) -> None:
    for number in stored.unread_of(tx.connection, phone):
        change_reply(tx.connection, number, done_at=tx.now, done_by=tx.actor.id, done_words=words)
        if tx.actor.id is not None:
            stored.free_lock(tx.connection, f"text-{number}", tx.actor.id)
    tx.tell("reply")


@act("book")
def move_as_asked(tx: Transaction, reply_id: int, day: date, start: int, provider_id: int) -> str:
    """Move the visit that a text is about to a time that was proposed, and tell its patient so. Conflict when
    the time is gone by now, or somebody has answered.
    """
    row = hold_reply(tx.connection, reply_id)
    if row is None or row.patient_id is None:
        raise NotFound("There is no such text.")
    if row.done_at is not None:
        raise Conflict("Someone has seen to this text already.")
    visit = visit_of(tx.connection, row)
    if visit is None:
        raise Conflict("The visit isn’t ahead anymore.")
    move(
        tx,
        visit.id,
        MoveOrder(site_id=visit.site_id, day=day, at=start, provider_id=provider_id, minutes=visit.minutes),
    )
    patient = known_patient(tx.connection, visit.patient_id)
    language = language_of(patient.language)
    when = f"{day_in(day, language)}, {clock_words(start)}"
    name, phone = tx.clinic.about["clinic_name"], phone_words(tx.clinic.sites[visit.site_id].phone)
    said = (
        f"Hecho, {called(patient)}: su cita es {when}. {name}, {phone}"
        if language is Language.SPANISH
        else f"Done, {called(patient)}: your visit is now {when}. {name}, {phone}"
    )
    key = f"asked-{row.id}"
    write_to(
        tx,
        Channel(row.channel),
        row.phone,
        said,
        key=key,
        sort=Sort.ANSWER,
        patient_id=visit.patient_id,
        subject=when if row.channel == Channel.EMAIL else "",
        visit_id=visit.id,
    )
    _answered(tx, row.phone, f"moved to {when}")
    return f"Moved to {when}, and {called(patient)} is told."

"""A conversation with a patient: everything sent and received, in the order it was said, why each went and
what became of it; and writing back by hand.

Whoever writes back answers every text of that phone that still waits: nobody else needs to read them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from zax.clock import local
from zax.core.book.track import EXPECTED
from zax.core.errors import Conflict, NotFound, Refused
from zax.core.inbox.asked_time import AskedTime, asked_time
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in, language_of
from zax.core.messages.message import SORT_WORDS, STATE_WORDS, Sort, State
from zax.core.messages.reach import Known, is_child, way
from zax.core.messages.reply import Meaning
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.words import LONGEST_MAIL, LONGEST_TEXT
from zax.core.wording import clock_words, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.moving import MoveOrder, move
from zax.desk.book.openings import Part, Request, find_openings
from zax.desk.clinic.clinic import Clinic
from zax.desk.followup.reaching import reachable
from zax.desk.messages.addresses import known_of
from zax.desk.messages.writing import write_to
from zax.desk.notices.facts import addresses_of, called
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.inbox import inbox as stored
from zax.store.inbox.replies import ReplyRow, change_reply, hold_reply
from zax.store.messages.messages import (
    Message,
    change_message,
    keep_address,
    message_by_id,
    messages_about,
)
from zax.store.patients.patients import guarantors_of, known_patient
from zax.store.patients.records import Patient

MOST = 200
PROPOSED = 2
# How far from the time asked for is looked, minutes: the very time first.
_AROUND = (0, 30, 90, 180)


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One thing said. `ours`: by us; `head` what it is, `under` what became of it; `at` is UTC."""

    ours: bool
    head: str
    words: str
    under: str
    at: datetime
    subject: str = ""
    message: Message | None = None
    reply: ReplyRow | None = None


def conversation(connection: Connection, patient: Patient) -> list[Line]:
    """The newest of what was sent to them and came from them, the oldest first."""
    sent = messages_about(connection, patient.id, MOST)
    came = stored.talk_with(connection, patient.id, addresses_of(patient), MOST)
    lines = [*(_ours(each) for each in sent), *(_theirs(patient, each) for each in came)]
    return sorted(lines, key=lambda line: line.at)[-MOST:]


def head_of(message: Message) -> str:
    """What a message is: 'Reminder', 'Written by hand'."""
    if message.event in list(Event):
        return EVENTS[Event(message.event)].name
    return SORT_WORDS.get(Sort(message.event), "Message")


def _ours(message: Message) -> Line:
    return Line(
        ours=True,
        head=head_of(message),
        words=message.words,
        subject=message.subject,
        under=_became(message),
        at=message.sent_at or message.state_at or message.due_at,
        message=message,
    )


def _became(message: Message) -> str:
    state = STATE_WORDS[State(message.state)]
    more = f": {message.state_words}" if message.state_words else ""
    opened = ", opened" if message.opened_at else ""
    shut = ", its link is shut" if message.paper and not message.attached and message.link is None else ""
    return f"{state}{more}{opened}{shut}"


def _theirs(patient: Patient, reply: ReplyRow) -> Line:
    under = "taken back, someone reads it" if reply.back_at and not reply.done_at else reply.done_words
    return Line(
        ours=False,
        head=called(patient),
        words=reply.words,
        under=under or "waits for someone to answer",
        at=reply.at,
        reply=reply,
    )


@dataclass(frozen=True, slots=True)
class Proposal:
    """A time near what was asked: when, with whom, and the way there in words."""

    day: date
    start: int
    provider_id: int
    site_id: int
    provider: str
    same: bool


def visit_of(connection: Connection, reply: ReplyRow) -> Visit | None:
    """The visit that a text is about: that of our message before it, as long as it is ahead."""
    message = message_by_id(connection, reply.message_id) if reply.message_id else None
    if message is None or not message.visit_id:
        return None
    found = visits_by_id(connection, [message.visit_id]).get(message.visit_id)
    return found if found is not None and found.state in EXPECTED else None


def proposals(connection: Connection, clinic: Clinic, reply: ReplyRow, now: datetime) -> list[Proposal]:
    """Free times near the one that a text asks for; none where it asks for none."""
    visit = visit_of(connection, reply)
    if visit is None or reply.meaning not in {
        Meaning.OTHER_TIME,
        Meaning.UNCLEAR,
        Meaning.QUESTION,
        Meaning.CANCEL,
    }:
        return []
    today = local(now, clinic.sites[visit.site_id].timezone).date()
    asked = asked_time(reply.words, today, visit.day)
    if not asked.is_said or asked.day is None or asked.day < today:
        return []
    made: list[Proposal] = []
    for around in _AROUND if asked.minute is not None else (24 * 60,):
        made += _openings(connection, clinic, visit, asked, around, now)
        if len(dict.fromkeys(made)) >= PROPOSED:
            break
    return list(dict.fromkeys(made))[:PROPOSED]


def _openings(
    connection: Connection, clinic: Clinic, visit: Visit, asked: AskedTime, around: int, now: datetime
) -> list[Proposal]:
    """Free times no further from the one asked for than so many minutes, the nearest first."""
    try:
        found = find_openings(connection, clinic, now, _request(visit, asked, around))
    except Refused:
        return []
    wanted = asked.minute if asked.minute is not None else visit.start_min
    near = sorted(found, key=lambda each: (abs(each.start - wanted), each.lead != visit.provider_id))
    return [
        Proposal(
            each.day,
            each.start,
            each.lead,
            each.site_id,
            clinic.providers[each.lead].short,
            each.lead == visit.provider_id,
        )
        for each in near
        if (each.day, each.start) != (visit.day, visit.start_min)
    ]


def _request(visit: Visit, asked: AskedTime, around: int) -> Request:
    assert asked.day is not None
    first, last = 0, 24 * 60
    if asked.minute is not None:
        first = max(0, asked.minute - around)
        last = min(24 * 60, asked.minute + around + visit.minutes)
    return Request(
        parts=(Part(visit.type_id, visit.minutes),),
        sites=(visit.site_id,),
        first=asked.day,
        last=asked.day,
        from_min=first,
        to_min=last,
        patient_id=visit.patient_id,
        leaving=frozenset({visit.id}),
        limit=20,
    )


def written_answer(clinic: Clinic, patient: Patient, found: Sequence[Proposal]) -> str:
    """What one would most likely write back; read and changed before it goes."""
    spanish = language_of(patient.language) is Language.SPANISH
    name = clinic.about["clinic_name"]
    if not found:
        return ""
    language = Language.SPANISH if spanish else Language.ENGLISH
    times = [
        f"{number}: {day_in(each.day, language)}, {clock_words(each.start)} {'con' if spanish else 'with'}"
        f" {each.provider}"
        for number, each in enumerate(found, 1)
    ]
    if spanish:
        return f"Hola {called(patient)}, tenemos {' o '.join(times)}. Cual prefiere? {name}"
    return f"Hi {called(patient)}, we have {' or '.join(times)}. Which would you like? {name}"


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

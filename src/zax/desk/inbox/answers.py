"""What a patient's answer to one of our messages does by itself: a yes confirms the visits that the message
was about, "running 10 late" tells Day, a cancel takes them off where the clinic lets patients do so by text.
Everything else goes to a person.

A message is answered only as long as its visits stand as it said: a yes to a time that has moved since
confirms nothing. What was done is kept with the reply and can be taken back.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from zax.clock import local
from zax.core.book.cancellation import OffWhy
from zax.core.book.track import EXPECTED, Stop
from zax.core.errors import Conflict, NotFound, ZaxError
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in
from zax.core.messages.message import Sort
from zax.core.messages.reply import Asked, Meaning, Reading, When
from zax.core.notices.events import Event
from zax.core.wording import clock_words, phone_words
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.book.cancellation import cancel
from zax.desk.book.track import locked_visit, step
from zax.desk.book.undo import take_act_back
from zax.desk.followup.offers import begins_at
from zax.desk.messages.writing import write_to
from zax.desk.notices.planning import time_mark
from zax.desk.notices.rules import habits_of
from zax.store.book.changes import save_visit
from zax.store.book.queries import visits_by_id
from zax.store.book.records import Visit
from zax.store.engine import Connection
from zax.store.inbox import replies as stored
from zax.store.messages.messages import Message, messages_to
from zax.store.notices.told import told_of

REMEMBERED = timedelta(days=8)
TAKE_BACK_WITHIN = timedelta(days=2)
_ASKS: Mapping[str, Asked] = {
    Event.REMINDER: Asked.REMINDER,
    Event.UNCONFIRMED: Asked.REMINDER,
    Event.LATE: Asked.REMINDER,
    Event.BOOKED: Asked.REMINDER,
    Event.MOVED: Asked.REMINDER,
    Event.RECALL: Asked.RECALL,
}
_TELLS = frozenset({Event.BOOKED, Event.MOVED})


@dataclass(frozen=True, slots=True)
class Question:
    """What a phone was asked last: our message, and those of its visits that still stand as it said; `by` is
    the way the answer came.
    """

    message: Message
    asked: Asked
    visits: Sequence[Visit] = ()
    by: str = "text"

    @property
    def when(self) -> When | None:
        """The time it was about, where it was one."""
        return When(self.visits[0].day, self.visits[0].start_min) if len(self.visits) == 1 else None


def question_to(
    connection: Connection, phone: str, now: datetime, zone_of: Callable[[int], str]
) -> Question | None:
    """The newest of our messages to this phone that can still be answered."""
    for message in messages_to(connection, phone, now - REMEMBERED):
        found = question_of(connection, message, now, zone_of)
        if found is not None:
            return found
    return None


def question_of(
    connection: Connection, message: Message, now: datetime, zone_of: Callable[[int], str]
) -> Question | None:
    """What one message asks, as long as it can be answered."""
    asked = _ASKS.get(message.event)
    if asked is None:
        return None
    if asked is Asked.RECALL:
        return Question(message, asked)
    standing = _standing(connection, message, now, zone_of)
    return Question(message, asked, standing) if standing else None


def _standing(
    connection: Connection, message: Message, now: datetime, zone_of: Callable[[int], str]
) -> list[Visit]:
    told = {each.subject_id: each.about for each in told_of(connection, message.id)}
    found = visits_by_id(connection, told).values()
    return sorted(
        (
            visit
            for visit in found
            if visit.state in EXPECTED
            and told[visit.id] == time_mark(visit.day, visit.start_min)
            and local(now, zone_of(visit.site_id)).date() <= visit.day
        ),
        key=lambda visit: (visit.day, visit.start_min),
    )


def answer(tx: Transaction, question: Question, reading: Reading, words: str, number: int) -> dict[str, Any]:
    """Do what it says, and say what was done; nothing where a person has to."""
    match reading.meaning:
        case Meaning.CONFIRM if question.message.event in _TELLS:
            # We told them a time and asked nothing: an "ok" to that is no promise to come weeks ahead.
            return {"noted": [visit.id for visit in question.visits]}
        case Meaning.CONFIRM:
            return _confirm(tx, question, words, number)
        case Meaning.CANCEL:
            return _cancel(tx, question, words, number)
        case Meaning.LATE:
            return _late(tx, question, reading.minutes, words)
        case _:
            return {}


def _confirm(tx: Transaction, question: Question, words: str, number: int) -> dict[str, Any]:
    done = []
    for each in question.visits:
        visit = locked_visit(tx, each.id)
        if visit.state == Stop.BOOKED:
            step(tx, visit, Stop.CONFIRMED, f"by {question.by}: “{words[:60]}”")
            done.append(visit.id)
    _thank(tx, question, number, _CONFIRMED)
    return {"confirmed": done}


def may_cancel(tx: Transaction, visit: Visit) -> bool:
    """Whether the clinic lets a reply cancel it: by its type, so many hours before; never where that is below
    0.
    """
    habits = habits_of(tx.clinic)
    hours = habits.cancel_by_type.get(str(visit.type_id), habits.cancel_hours)
    if hours < 0:
        return False
    begins = begins_at(tx.clinic, visit.site_id, visit.day, visit.start_min)
    return begins - tx.now >= timedelta(hours=hours)


def _cancel(tx: Transaction, question: Question, words: str, number: int) -> dict[str, Any]:
    """All of them or none; several visits are a person's to ask about."""
    if len(question.visits) != 1 or not may_cancel(tx, question.visits[0]):
        return {}
    visit = question.visits[0]
    queued = dict(tx.queued)
    try:
        act_id = cancel(tx, visit.id, OffWhy.WANTS_ANOTHER, f"by {question.by}: “{words[:60]}”")
    except ZaxError:
        tx.queued = queued
        return {}
    _thank(tx, question, number, _CANCELED)
    return {"canceled": [act_id], "visits": [visit.id]}


def _late(tx: Transaction, question: Question, minutes: int, words: str) -> dict[str, Any]:
    """Day says so. Without a number, or on another day, a person asks."""
    today = [each for each in question.visits if each.day == tx.business_day(each.site_id)]
    if not minutes or not today:
        return {}
    visit = locked_visit(tx, today[0].id)
    save_visit(tx.connection, visit, replace(visit, late_min=minutes))
    tx.audit(
        "visit.late",
        patient_id=visit.patient_id,
        visit_id=visit.id,
        said=f"heard they’re {minutes} min late: “{words[:60]}”",
    )
    tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return {"late": [visit.id], "was": visit.late_min, "minutes": minutes}


_CONFIRMED = {
    Language.ENGLISH: "Thank you, you're confirmed for {when}. {clinic}",
    Language.SPANISH: "Gracias, su cita queda confirmada: {when}. {clinic}",
}
_CANCELED = {
    Language.ENGLISH: "Your visit {when} is canceled. For another time just reply, or call {phone}. {clinic}",
    Language.SPANISH: "Su cita {when} queda cancelada. Para otra hora responda o llame al {phone}. {clinic}",
}


def _thank(tx: Transaction, question: Question, number: int, words: dict[Language, str]) -> None:
    """Our answer to a text; to a call there is none."""
    if question.by != "text":
        return
    first = question.visits[0]
    language = Language(question.message.language)
    when = f"{day_in(first.day, language)}, {clock_words(first.start_min)}"
    said = words[language].format(
        when=when,
        clinic=tx.clinic.about["clinic_name"],
        phone=phone_words(tx.clinic.sites[first.site_id].phone),
    )
    write_to(
        tx,
        Channel.TEXT,
        question.message.address,
        said,
        key=f"thanks-{number}",
        sort=Sort.ANSWER,
        patient_id=first.patient_id,
        visit_id=first.id,
    )


@act("book")
def take_back(tx: Transaction, reply_id: int) -> str:
    """Undo what a reply did by itself; a person reads it then. Conflict when the visit has changed since."""
    row = stored.hold_reply(tx.connection, reply_id)
    if row is None or not row.did:
        raise NotFound("There is nothing to undo.")
    if row.back_at is not None:
        raise Conflict("Someone has undone this already.")
    said = _undo(tx, row.did)
    stored.change_reply(
        tx.connection, row.id, back_at=tx.now, back_by=tx.actor.id, done_at=None, done_words="", done_by=None
    )
    tx.audit("reply.taken_back", patient_id=row.patient_id, reply=row.id)
    tx.tell("reply", patient_id=row.patient_id)
    return said


def _undo(tx: Transaction, did: Mapping[str, Any]) -> str:
    for visit_id in did.get("confirmed", ()):
        visit = locked_visit(tx, visit_id)
        if visit.state != Stop.CONFIRMED:
            raise Conflict(f"{visit.first}’s visit has moved on since. Change the visit itself.")
        step(tx, visit, Stop.BOOKED, "the text was read again")
    for act_id in did.get("canceled", ()):
        take_act_back(tx, act_id, None, TAKE_BACK_WITHIN)
    for visit_id in did.get("late", ()):
        visit = locked_visit(tx, visit_id)
        save_visit(tx.connection, visit, replace(visit, late_min=did["was"]))
        tx.tell("visit", site_id=visit.site_id, day=visit.day, visit_id=visit.id, patient_id=visit.patient_id)
    return "Undone. The text waits for someone to read it."
